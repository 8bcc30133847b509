import { experiment } from '../crystal/experiment.ts';
import { beforeAll, describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import { allOperators, siteSymmetry, snapToSymmetry } from '../crystal/space-group.ts';
import { metricTensor } from '../crystal/cell.ts';
import { fragments } from '../geometry/bonds.ts';
import { buildScene } from '../draw/build-scene.ts';
import { atomsOfExtent } from '../draw/extent.ts';
import { itemsOf } from '../draw/scene.ts';
import { isHome } from '../crystal/atom-ref.ts';
import { seededRandom } from '../math/random.ts';
import { elementsOf, evaluateStructure, siteArrays } from '../refine/single-crystal-problem.ts';
import { scatteringTable, structureFactors } from '../scattering/structure-factors.ts';
import { quietContext } from '../task-context.ts';
import type { Structure } from '../crystal/structure.ts';
import { buildModel, expectedAtoms, invertedStructure, labelSites, peaksFromPhases } from './build-model.ts';
import { chargeFlip, type FlippingReport } from './charge-flipping.ts';
import { expandToP1, laueExpansionGroup, type PhasingData } from './expand.ts';
import { analyseIntake, candidateGroups, mergeForGroup, mergeForLaue } from './prepare.ts';
import { PhaseIndex, symmetrizedPhase, SymmetryProbe } from './symmetry-from-phases.ts';

const SMALL = 'CC(O)c1ccccc1Cl';

describe('a set in P 21/c expanded to P1', () => {
  let crystal: ReturnType<typeof testCrystal>, data: PhasingData, index: PhaseIndex, truth: Float32Array;
  const group = spaceGroupFromSymbol('P 1 21/c 1');
  const shift = [0.137, 0.291, 0.418] as const;
  beforeAll(() => {
    crystal = testCrystal(SMALL, 'P 1 21/c 1', 31);
    const laue = mergeForLaue(crystal.raw, crystal.structure.cell, group);
    data = expandToP1(
      laue,
      crystal.structure.cell,
      laueExpansionGroup(laueRotations(rotationsOf(group)), group.centring),
    );
    index = new PhaseIndex(data);
    const elements = elementsOf(crystal.structure);
    const { a, b } = structureFactors(
      scatteringTable(
        crystal.structure.cell,
        group,
        { count: data.h.length, h: data.h, k: data.k, l: data.l },
        elements,
        0,
      ),
      siteArrays(crystal.structure, elements),
    );
    // The true phases, seen from another origin.
    truth = Float32Array.from(
      a,
      (x, i) =>
        Math.atan2(b[i]!, x) + 2 * Math.PI * (data.h[i]! * shift[0] + data.k[i]! * shift[1] + data.l[i]! * shift[2]),
    );
  });

  it('holds half a sphere, strongest first, equivalents with one amplitude', () => {
    for (let i = 1; i < data.h.length; i++) expect(data.amplitude[i]!).toBeLessThanOrEqual(data.amplitude[i - 1]!);
    for (let i = 0; i < data.h.length; i += 37) {
      const mate = index.find(-data.h[i]!, data.k[i]!, -data.l[i]!);
      expect(mate).not.toBe(0);
      expect(data.amplitude[Math.abs(mate) - 1]).toBeCloseTo(data.amplitude[i]!, 10);
      expect(index.find(-data.h[i]!, -data.k[i]!, -data.l[i]!)).toBe(-(i + 1));
    }
    expect(index.find(300, 0, 0)).toBe(0);
  });

  it('shows its group and origin to the right probe, and none to random phases', () => {
    const match = new SymmetryProbe(group, data, index).match(truth);
    expect(match.score).toBeGreaterThan(0.9);
    // The origin is one of the eight equivalent ones, half a cell apart.
    match.origin.forEach((x, k) => {
      const d = 2 * (x + shift[k]!),
        e = 2 * (x - shift[k]!);
      expect(Math.min(Math.abs(d - Math.round(d)), Math.abs(e - Math.round(e)))).toBeLessThan(0.05);
    });
    const wrong = new SymmetryProbe(spaceGroupFromSymbol('P 1 21/a 1'), data, index).match(truth);
    expect(Math.min(...wrong.operators)).toBeLessThan(0.4);
    const random = seededRandom(2);
    const noise = new SymmetryProbe(group, data, index).match(
      Float32Array.from(truth, () => 2 * Math.PI * random.next()),
    );
    expect(noise.score).toBeLessThan(0.2);
    expect(new SymmetryProbe(spaceGroupFromSymbol('P 1'), data, index).match(truth)).toEqual({
      score: 0,
      origin: [0, 0, 0],
      operators: [],
    });
  });

  it('gives real phases once they are averaged over the group', () => {
    const { origin } = new SymmetryProbe(group, data, index).match(truth);
    let off = 0,
      all = 0;
    for (let i = 0; i < 200; i++) {
      const { cos, sin } = symmetrizedPhase(
        group,
        index,
        truth,
        data.amplitude,
        origin,
        data.h[i]!,
        data.k[i]!,
        data.l[i]!,
      );
      off += Math.abs(sin);
      all += Math.hypot(cos, sin);
    }
    expect(off / all).toBeLessThan(0.05);
  });

  it('is phased from random starts, and the density stands up as it is', async () => {
    const probe = new SymmetryProbe(group, data, index);
    const reports: FlippingReport[] = [];
    const result = await chargeFlip(
      data,
      5,
      { maxIterations: 1500, test: (phases) => probe.match(phases).score > 0.25 },
      { ...quietContext(), progress: (r) => reports.push(r as FlippingReport) },
    );
    expect(result.converged).toBe(true);
    expect(reports.at(-1)!.skewness).toBeGreaterThan(1.5 * reports[0]!.skewness);
    const again = await chargeFlip(data, 5, { maxIterations: 30 }, quietContext());
    const third = await chargeFlip(data, 5, { maxIterations: 30 }, quietContext());
    expect(again.phases).toEqual(third.phases);
  });

  it('becomes a model from peaks alone', async () => {
    const { origin } = new SymmetryProbe(group, data, index).match(truth);
    const reflections = mergeForGroup(crystal.raw, crystal.structure.cell, group).reflections;
    const input = {
      cell: crystal.structure.cell,
      group,
      reflections,
      wavelength: crystal.wavelength,
      contents: { C: 32, H: 36, O: 4, Cl: 4 },
    };
    expect(expectedAtoms(input)).toBe(10);
    const peaks = peaksFromPhases(input, data, index, truth, origin, 18);
    expect(peaks[0]!.height).toBeGreaterThan(peaks[9]!.height);
    const model = (await buildModel(input, peaks, quietContext() as never))!;
    expect(model.r1).toBeLessThan(0.2);
    expect(model.completeness).toBe(1);
    expect(model.guessed).toBe(false);
    expect(new Set(model.structure.sites.map((x) => x.label)).size).toBe(model.structure.sites.length);
    expect(model.structure.sites[0]!.element).toBe('Cl');
  });

  it('offers few candidates, the right one first', () => {
    const analysis = analyseIntake(crystal.raw, crystal.structure.cell);
    const groups = candidateGroups(analysis.ranking);
    expect(groups[0]!.number).toBe(14);
    expect(groups.length).toBeLessThanOrEqual(8);
  });
});

describe('the other hand', () => {
  it('fits a crystal with anomalous scattering worse', () => {
    const { structure, raw, wavelength } = testCrystal('CC(O)c1ccccc1Cl', 'P 21 21 21', 6, {
      wavelength: 1.54187,
      dMin: 0.95,
      systematic: 0.01,
    });
    const other = invertedStructure(structure)!;
    expect(other.spaceGroup.number).toBe(19);
    const merged = mergeForGroup(raw, structure.cell, structure.spaceGroup).reflections;
    const right = evaluateStructure(experiment(structure, merged, wavelength)).figures.r1,
      wrong = evaluateStructure(experiment(other, merged, wavelength)).figures.r1;
    expect(wrong).toBeGreaterThan(right + 0.005);
  });

  it('of an enantiomorphic group is in its partner, and a centrosymmetric structure has none', () => {
    const base = testCrystal('CO', 'P 1', 1).structure;
    const cell = { a: 8, b: 8, c: 12, alpha: 90, beta: 90, gamma: 90 };
    expect(invertedStructure({ ...base, cell, spaceGroup: spaceGroupFromSymbol('P 41') })!.spaceGroup.number).toBe(78);
    expect(invertedStructure({ ...base, spaceGroup: spaceGroupFromSymbol('P -1') })).toBeUndefined();
  });
});

describe('molecules on the page', () => {
  const { structure: s } = testCrystal(SMALL, 'P 1 21/c 1', 4);
  it('are shown whole in the cell', () => {
    const size = { width: 100, height: 100 };
    const packed = buildScene(s, { extent: { kind: 'packed cell' } }, size).layers;
    const atoms = itemsOf(packed, 'atoms');
    expect(atoms).toHaveLength(4 * s.sites.length);
    const own = buildScene(s, { extent: { kind: 'unique' } }, size).layers;
    expect(itemsOf(packed, 'bonds').length).toBe(4 * itemsOf(own, 'bonds').length);
    expect(atoms.filter((a) => isHome(a.ref)).length % s.sites.length).toBe(0);
    expect(atomsOfExtent(s, { kind: 'molecules' })).toHaveLength(s.sites.length);
  });

  it('on an inversion centre are completed', () => {
    // Half of a flat six-ring about the origin.
    const half: Structure = {
      cell: { a: 10, b: 10, c: 10, alpha: 90, beta: 90, gamma: 90 },
      spaceGroup: spaceGroupFromSymbol('P -1'),
      sites: [0, 60, 120].map((deg, i) => ({
        id: `${i}`,
        label: `C${i + 1}`,
        element: 'C',
        position: [0.139 * Math.cos((deg * Math.PI) / 180), 0.139 * Math.sin((deg * Math.PI) / 180), 0] as const,
        occupancy: 1,
        displacement: { kind: 'iso' as const, u: 0.03 },
      })),
    };
    expect(atomsOfExtent(half, { kind: 'molecules' })).toHaveLength(6);
    expect(atomsOfExtent(half, { kind: 'packed cell' })).toHaveLength(6);
    expect(fragments(half)).toHaveLength(1);
  });

  it('are numbered so that no two labels are alike', () => {
    const labelled = labelSites({ ...s, sites: s.sites.map((x) => ({ ...x, label: x.element })) });
    expect(new Set(labelled.sites.map((x) => x.label)).size).toBe(s.sites.length);
    for (const x of labelled.sites) expect(x.label.startsWith(x.element)).toBe(true);
  });
});

it('a position near a symmetry element is put on it, others stay', () => {
  const cell = { a: 8, b: 9, c: 10, alpha: 90, beta: 105, gamma: 90 };
  const g = spaceGroupFromSymbol('P 1 2/m 1'),
    metric = metricTensor(cell);
  expect(snapToSymmetry(g, metric, [0.003, 0.2, -0.002], 0.1)).toEqual([0, 0.2, 0]);
  expect(snapToSymmetry(g, metric, [0.1, 0.004, 0.3], 0.1)).toEqual([0.1, 0, 0.3]);
  expect(snapToSymmetry(g, metric, [0.1, 0.2, 0.3], 0.1)).toEqual([0.1, 0.2, 0.3]);
  expect(siteSymmetry(g, metric, [0, 0, 0]).operators).toHaveLength(allOperators(g).length);
});
