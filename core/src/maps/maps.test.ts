import { experiment } from '../crystal/experiment.ts';
import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { cellVolume, type Cell } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { allOperators, reflectionSymmetry } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { calculatedIntensities } from '../../../demo/src/simulate.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { gridFor, reach, synthesize } from './fourier.ts';
import { contourSurface } from './isosurface.ts';
import { localMaxima, uniquePeaks } from './peaks.ts';
import { modelMap, residualPeaks } from './residual.ts';

const cell: Cell = { a: 7, b: 8, c: 9, alpha: 90, beta: 102, gamma: 90 };

describe('the synthesis', () => {
  it.each(['P 1 21/c 1', 'P 21', 'C 1 2/c 1', 'P -1'])('in %s agrees with the direct Fourier sum', (symbol) => {
    const g = spaceGroupFromSymbol(symbol);
    const random = seededRandom(2);
    const h: number[] = [],
      k: number[] = [],
      l: number[] = [],
      a: number[] = [],
      b: number[] = [];
    for (const [p, q, r] of [
      [1, 1, 2],
      [2, 0, 2],
      [0, 2, 1],
      [3, 1, -1],
      [1, 3, 0],
      [2, 4, -2],
    ] as const) {
      if (reflectionSymmetry(g, p, q, r).absent) continue;
      h.push(p);
      k.push(q);
      l.push(r);
      a.push(random.normal());
      // Phases must be possible: centric reflections of a group with its inversion at the origin are real.
      b.push(g.centricAtOrigin || reflectionSymmetry(g, p, q, r).centric ? 0 : random.normal());
    }
    const map = synthesize(cell, g, gridFor(cell, 0.7), { count: h.length, h, k, l }, a, b, 12);
    const { nx, ny, nz } = map.grid;
    for (const [x, y, z] of [
      [0, 0, 0],
      [3, 5, 2],
      [1, 7, 6],
    ] as const) {
      let direct = 12;
      const done = new Set<string>();
      h.forEach((_, i) => {
        for (const o of allOperators(g)) {
          const p = h[i]! * o.r[0] + k[i]! * o.r[3] + l[i]! * o.r[6],
            q = h[i]! * o.r[1] + k[i]! * o.r[4] + l[i]! * o.r[7],
            r = h[i]! * o.r[2] + k[i]! * o.r[5] + l[i]! * o.r[8];
          for (const s of [1, -1]) {
            if (done.has([s * p + 0, s * q + 0, s * r + 0].join())) continue;
            done.add([s * p + 0, s * q + 0, s * r + 0].join());
            const shift = -2 * Math.PI * (h[i]! * o.t[0] + k[i]! * o.t[1] + l[i]! * o.t[2]);
            const phase = Math.atan2(b[i]!, a[i]!) + shift;
            direct +=
              Math.hypot(a[i]!, b[i]!) *
              Math.cos(s * phase - 2 * Math.PI * s * ((p * x) / nx + (q * y) / ny + (r * z) / nz));
          }
        }
      });
      expect(map.values[x + nx * (y + ny * z)]).toBeCloseTo(direct / cellVolume(cell), 9);
    }
  });
});

describe('residual density', () => {
  const s: Structure = {
    cell,
    spaceGroup: spaceGroupFromSymbol('P 1 21/c 1'),
    sites: [
      ['C', 0.1, 0.2, 0.3],
      ['O', 0.25, 0.3, 0.35],
      ['N', 0.4, 0.15, 0.6],
    ].map(([element, x, y, z], i) => ({
      id: `${i}`,
      label: `${element}${i}`,
      element: element as string,
      position: [x, y, z] as never,
      occupancy: 1,
      displacement: { kind: 'iso' as const, u: 0.03 },
    })),
  };
  const c = calculatedIntensities(s, 0.8, 0.71075);
  const merged = mergeForGroup(
    { count: c.count, h: c.h, k: c.k, l: c.l, intensity: c.f2, sigma: c.f2.map((x) => 0.01 * x + 0.1), merged: false },
    cell,
    s.spaceGroup,
  ).reflections;

  it('shows a missing atom where it is, with its surroundings', () => {
    const part = { ...s, sites: s.sites.slice(0, 2) };
    const { data } = evaluateStructure(experiment(part, merged, 0.71075));
    const map = modelMap('difference', part, merged, data);
    const { peaks, holes } = residualPeaks(map, part);
    expect(peaks[0]!.name).toBe('ρ1');
    expect(peaks[0]!.height).toBeGreaterThan(3);
    const [x] = uniquePeaks(
      [
        { position: peaks[0]!.position, height: 1 },
        { position: s.sites[2]!.position, height: 0.5 },
      ],
      cell,
      s.spaceGroup,
      5,
      0.15,
    );
    expect(x!.position).toEqual(peaks[0]!.position);
    expect(
      uniquePeaks(
        [
          { position: peaks[0]!.position, height: 1 },
          { position: s.sites[2]!.position, height: 0.5 },
        ],
        cell,
        s.spaceGroup,
        5,
        0.15,
      ),
    ).toHaveLength(1);
    expect(peaks[0]!.near[0]!.label).toMatch(/C0|O1/);
    expect(holes[0]!.height).toBeLessThan(0);
  });

  it('is flat for the true model', () => {
    const { data } = evaluateStructure(experiment(s, merged, 0.71075));
    const map = modelMap('difference', s, merged, data);
    expect(Math.max(...map.values)).toBeLessThan(0.01);
    const full = modelMap('observed', s, merged, data);
    const top = uniquePeaks(localMaxima(full, 2, 1), cell, s.spaceGroup, 3, 0.5);
    // The heights rank as the atoms do.
    expect(
      top.map((p) =>
        s.sites.findIndex(
          (x) =>
            x.position.every((v, i) => Math.abs(v - p.position[i]!) < 0.02) ||
            uniquePeaks([p, { ...p, position: x.position }], cell, s.spaceGroup, 2, 0.2).length === 1,
        ),
      ),
    ).toEqual([1, 2, 0]);
  });

  it('knows how far its indices reach', () => {
    expect(reach(cell, merged).dMin).toBeGreaterThan(0.799);
    expect(reach(cell, merged).dMin).toBeLessThan(0.82);
  });
});

it('a contour of a sphere is closed and has its area and volume', () => {
  const edge = 10,
    n = 40,
    radius = 3;
  const values = new Float32Array(n ** 3);
  for (let z = 0; z < n; z++)
    for (let y = 0; y < n; y++)
      for (let x = 0; x < n; x++) values[x + n * (y + n * z)] = radius - Math.hypot(x / 4 - 5, y / 4 - 5, z / 4 - 5);
  const cubic: Cell = { a: edge, b: edge, c: edge, alpha: 90, beta: 90, gamma: 90 };
  const { positions, indices } = contourSurface(
    { grid: { nx: n, ny: n, nz: n }, values },
    cubic,
    { min: [0, 0, 0], max: [1, 1, 1] },
    0,
  );
  const edges = new Map<string, number>();
  let volume = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [indices[t]!, indices[t + 1]!, indices[t + 2]!];
    for (const [p, q] of [
      [a, b],
      [b, c],
      [c, a],
    ])
      edges.set([p, q].sort((x, y) => x! - y!).join(), (edges.get([p, q].sort((x, y) => x! - y!).join()) ?? 0) + 1);
    const v = (i: number, k: number): number => positions[3 * i + k]! - 5;
    volume +=
      (v(a, 0) * (v(b, 1) * v(c, 2) - v(b, 2) * v(c, 1)) -
        v(a, 1) * (v(b, 0) * v(c, 2) - v(b, 2) * v(c, 0)) +
        v(a, 2) * (v(b, 0) * v(c, 1) - v(b, 1) * v(c, 0))) /
      6;
  }
  expect([...edges.values()].every((x) => x === 2)).toBe(true);
  // Positive when the triangles face outwards.
  expect(volume).toBeGreaterThan(0.96 * ((4 / 3) * Math.PI * radius ** 3));
  expect(volume).toBeLessThan(1.02 * ((4 / 3) * Math.PI * radius ** 3));
});
