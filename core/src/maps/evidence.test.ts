import { experiment } from '../crystal/experiment.ts';
import { describe, expect, it } from 'vitest';
import { calculatedIntensities } from '../../../demo/src/simulate.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { cellVolume } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { gridSize } from '../math/fft.ts';
import { apply3, norm } from '../math/matrix3.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { plotData } from '../refine/data-plots.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { quietContext } from '../task-context.ts';
import { contourLines } from './contour-lines.ts';
import { modelMap, residualPeaks } from './residual.ts';
import { readPeaks } from './peak-reading.ts';
import { densityAt } from './sample.ts';
import { findVoids, gridStructureFactors, solventMask } from './solvent-mask.ts';
import { gridFor } from './fourier.ts';

const crystal = testCrystal('CC(=O)Nc1ccccc1', 'P 1 21/c 1', 5, { dMin: 0.85 });
const truth = crystal.structure;
const dataOf = (s: Structure, dMin = 0.9) => {
  const c = calculatedIntensities(s, dMin, crystal.wavelength);
  return mergeForGroup(
    {
      count: c.count,
      h: c.h,
      k: c.k,
      l: c.l,
      intensity: Float64Array.from(c.f2),
      sigma: Float64Array.from(c.f2, (x) => 0.02 * x + 1),
      merged: false,
    },
    s.cell,
    s.spaceGroup,
  ).reflections;
};

describe('density between grid points', () => {
  it('is exact on the grid, periodic, and close to a smooth function off it', () => {
    const grid = { nx: 24, ny: 20, nz: 18 };
    const f = (x: number, y: number, z: number): number =>
      Math.cos(2 * Math.PI * (x - y)) + 0.5 * Math.sin(2 * Math.PI * (2 * z + x));
    const values = Float64Array.from({ length: gridSize(grid) }, (_, i) =>
      f((i % 24) / 24, (Math.floor(i / 24) % 20) / 20, Math.floor(i / 480) / 18),
    );
    const map = { grid, values };
    expect(densityAt(map, 3 / 24, 5 / 20, 7 / 18)).toBeCloseTo(f(3 / 24, 5 / 20, 7 / 18), 9);
    expect(densityAt(map, 0.317 - 2, 0.522 + 1, 0.119)).toBeCloseTo(f(0.317, 0.522, 0.119), 1);
    expect(densityAt(map, 0.317, 0.522, 1.119)).toBeCloseTo(densityAt(map, 0.317, 0.522, 0.119), 9);
  });
  it('is drawn as contour lines that lie on the level', () => {
    const n = 41,
      values = Float64Array.from({ length: n * n }, (_, i) => Math.hypot((i % n) - 20, Math.floor(i / n) - 20));
    const lines = contourLines(values, n, n, 11.3);
    expect(lines.length).toBeGreaterThan(60);
    for (const [x, y] of lines) expect(Math.hypot(x - 20, y - 20)).toBeCloseTo(11.3, 1);
    expect(contourLines(values, n, n, 99)).toEqual([]);
  });
});

describe('the reading of residual maxima', () => {
  const data = dataOf(truth);
  const read = (s: Structure) => {
    const map = modelMap('difference', s, data, evaluateStructure(experiment(s, data, crystal.wavelength)).data);
    const { peaks, holes } = residualPeaks(map, s);
    return { peaks, holes, readings: readPeaks(s, peaks, map.sigma), down: readPeaks(s, holes, map.sigma, -1) };
  };
  it('knows hydrogens that are not yet placed', () => {
    const heavy: Structure = { ...truth, sites: truth.sites.filter((x) => x.element !== 'H') };
    const { readings } = read(heavy);
    expect(readings.slice(0, 6).filter((r) => r.kind === 'hydrogen').length).toBeGreaterThanOrEqual(5);
    expect(readings[0]!.text).toMatch(/hydrogen on/);
    expect(readings[0]!.angle).toBeGreaterThan(85);
  });
  it('knows an atom that is missing, one too light and one too heavy', () => {
    const lacking = read({ ...truth, sites: truth.sites.filter((x) => x.label !== 'O1') });
    expect(lacking.readings[0]).toMatchObject({ kind: 'missing atom' });
    const light = read({ ...truth, sites: truth.sites.map((x) => (x.label === 'O1' ? { ...x, element: 'C' } : x)) });
    expect(light.readings[0]).toMatchObject({ kind: 'wrong element' });
    const heavy = read({ ...truth, sites: truth.sites.map((x) => (x.label === 'C4' ? { ...x, element: 'O' } : x)) });
    expect(heavy.down[0]).toMatchObject({ kind: 'wrong element' });
    expect(heavy.down[0]!.text).toMatch(/lighter/);
  });
});

describe('the solvent mask', () => {
  it('transforms a density on the grid into structure factors as the direct sum does', () => {
    const grid = { nx: 12, ny: 10, nz: 8 },
      volume = 300;
    const density = Float64Array.from({ length: 960 }, (_, i) => Math.sin(i * 1.7) ** 2);
    const hkl = { count: 4, h: [1, -2, 0, 3], k: [0, 1, -2, -1], l: [2, 0, 1, -3] };
    const { a, b } = gridStructureFactors(density, grid, volume, hkl);
    for (let r = 0; r < 4; r++) {
      let re = 0,
        im = 0;
      for (let i = 0; i < 960; i++) {
        const phase =
          2 *
          Math.PI *
          ((hkl.h[r]! * (i % 12)) / 12 +
            (hkl.k[r]! * (Math.floor(i / 12) % 10)) / 10 +
            (hkl.l[r]! * Math.floor(i / 120)) / 8);
        re += (density[i]! * Math.cos(phase) * volume) / 960;
        im += (density[i]! * Math.sin(phase) * volume) / 960;
      }
      expect(a[r]).toBeCloseTo(re, 6);
      expect(b[r]).toBeCloseTo(im, 6);
    }
  });

  it(
    'finds the void of a solvent that was taken out, most of its electrons, and lowers R1',
    { tags: 'long', timeout: 300_000 },
    async () => {
      // A made-up cell with room: a molecule of the crystal is left out of a P1 supercell's model.
      const solvated = testCrystal('CC(=O)Nc1ccccc1.CCOCC', 'P -1', 11, { dMin: 0.9 });
      const s = solvated.structure;
      const host: Structure = { ...s, sites: s.sites.slice(0, 19) };
      const guest = s.sites.slice(19);
      const data = dataOf(s, 0.95);
      const before = evaluateStructure(experiment(host, data, solvated.wavelength)).figures.r1;
      const mask = await solventMask(host, data, solvated.wavelength, {}, quietContext());
      const after = evaluateStructure(
        experiment(host, data, solvated.wavelength, { weights: { a: 0.1, b: 0 }, treatment: { mask } }),
      ).figures.r1;
      expect(before).toBeGreaterThan(0.2);
      expect(after).toBeLessThan(0.5 * before);
      const electrons = 2 * guest.reduce((t, x) => t + ({ C: 6, O: 8, H: 1 } as Record<string, number>)[x.element]!, 0);
      expect(mask.electrons / electrons).toBeGreaterThan(0.6);
      expect(mask.electrons / electrons).toBeLessThan(1.35);
      expect(mask.voids.reduce((t, v) => t + v.volume, 0)).toBeCloseTo(mask.volume, 3);
      expect(mask.volume).toBeLessThan(cellVolume(s.cell) / 2);
      // Every void lies where the solvent was: its middle is among the atoms of a copy.
      const heavy = guest.filter((x) => x.element !== 'H').map((x) => x.position);
      const cartesian = orthogonalization(s.cell);
      for (const v of mask.voids.filter((x) => x.electrons > 5)) {
        const near = heavy.flatMap((p) =>
          [1, -1].map((sign) => {
            const d = p.map((x, k) => sign * x - v.centre[k]!).map((x) => x - Math.round(x));
            return norm(apply3(cartesian, [d[0]!, d[1]!, d[2]!]));
          }),
        );
        // A carbon's radius and the probe's.
        expect(Math.min(...near)).toBeLessThan(1.7 + 1.2);
      }
      expect(mask.voids.some((x) => x.electrons > 5)).toBe(true);
    },
  );

  it('says when there is no void', { tags: 'long' }, async () => {
    expect(findVoids(truth, gridFor(truth.cell, 0.4)).volume).toBeLessThan(60);
    expect(findVoids(truth, gridFor(truth.cell, 0.3), 2.6).list).toHaveLength(0);
    await expect(solventMask(truth, dataOf(truth, 1.2), crystal.wavelength, {}, quietContext(), 2.6)).rejects.toThrow(
      /no void/,
    );
  });
});

describe('plots of the data', () => {
  it('rank reflections and average shells as direct sums do', () => {
    const data = mergeForGroup(crystal.raw, truth.cell, truth.spaceGroup).reflections;
    const e = evaluateStructure(experiment(truth, data, crystal.wavelength, { weights: { a: 0, b: 0 } }));
    const p = plotData(truth, data, e.data, { a: 0, b: 0 }, e.figures.s);
    expect(p.fo.length).toBe(e.data.used.length);
    const order = Array.from(p.delta, (d, i) => [d, p.expected[i]!] as const).sort((x, y) => x[0] - y[0]);
    for (let i = 1; i < order.length; i++) expect(order[i]![1]).toBeGreaterThanOrEqual(order[i - 1]![1]);
    // With right weights the deviations are nearly normal.
    const inside = Array.from(p.delta).filter((d) => Math.abs(d) < 1).length / p.delta.length;
    expect(inside).toBeGreaterThan(0.6);
    expect(p.shells.reduce((t, s) => t + s.count, 0)).toBe(p.fo.length);
    const i = 17;
    expect(p.fo[i]! ** 2).toBeCloseTo(Math.max(0, e.data.fo2[i]!), 1);
    expect(p.variance).toHaveLength(10);
  });
});
