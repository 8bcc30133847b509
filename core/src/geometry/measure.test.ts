import { describe, expect, it } from 'vitest';
import { originalRef, placementOf, type AtomRef } from '../crystal/atom-ref.ts';
import { orthogonalization, type Cell } from '../crystal/cell.ts';
import { parseXyz } from '../crystal/operator.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { Dual, type DualVec3 } from '../math/dual.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import {
  angle,
  angleBetween,
  betweenFigure,
  centroidFigure,
  deviationFigure,
  distance,
  distanceBetween,
  lineThrough,
  planeFigure,
  planeThrough,
  torsion,
  valuesOf,
  type Figure,
} from './figures.ts';
import { cellTies } from '../crystal/group-cell.ts';
import { cartesianOf, measure, measureFigure, orthogonalizationSlopes } from './measure.ts';
import { angleOf, distanceOf, planeOf, torsionOf } from './points.ts';
import { scatterOf } from './scatter.ts';

const random = seededRandom(41);
const points = (n: number): Vec3[] =>
  Array.from({ length: n }, (_, i) => [2.1 * i + random.next(), 3 * random.next(), 3 * random.next()]);

const FIGURES: [string, Figure, number][] = [
  ['distance', distance, 2],
  ['angle', angle, 3],
  ['torsion', torsion, 4],
  ['centroid', centroidFigure, 5],
  ['plane: normal and deviations', planeFigure, 6],
  ['deviation from a plane', deviationFigure, 6],
  ['two planes', betweenFigure('plane', 4, 'plane'), 8],
  ['line and plane', betweenFigure('line', 3, 'plane'), 7],
  ['two lines', betweenFigure('line', 2, 'line'), 5],
  ['point and plane', betweenFigure('point', 3, 'plane'), 7],
  ['point and line', betweenFigure('point', 1, 'line'), 4],
  ['two points', betweenFigure('point', 3, 'point'), 5],
];

describe('figures', () => {
  it.each(FIGURES)('%s: the Jacobian is that of finite differences', (_, figure, n) => {
    const x = points(n);
    const count = 3 * n;
    const dual = x.map((p, i) => p.map((v, k) => Dual.variable(v, 3 * i + k, count)) as unknown as DualVec3);
    const out = figure(dual);
    const h = 1e-5;
    for (let i = 0; i < n; i++)
      for (let k = 0; k < 3; k++) {
        const at = (sign: number): number[] =>
          valuesOf(
            figure,
            x.map((p, j) => (j === i ? (p.map((v, q) => (q === k ? v + sign * h : v)) as never) : p)),
          );
        const up = at(1),
          down = at(-1);
        out.forEach((d, m) => {
          // An eigenvector's sign is free; it must not flip between the two.
          const slope = (up[m]! - down[m]!) / (2 * h);
          expect(d.gradient[3 * i + k]!).toBeCloseTo(slope, 5);
        });
      }
  });

  it('agree with plain evaluation', () => {
    const x = points(4);
    expect(valuesOf(distance, x)[0]).toBeCloseTo(distanceOf(x), 12);
    expect(valuesOf(angle, x)[0]).toBeCloseTo(angleOf(x), 10);
    expect(valuesOf(torsion, x)[0]).toBeCloseTo(torsionOf(x), 10);
    const flat = planeOf(x);
    const [a, b, c, ...off] = valuesOf(planeFigure, x);
    expect(Math.abs(a! * flat.normal[0] + b! * flat.normal[1] + c! * flat.normal[2])).toBeCloseTo(1, 10);
    off.forEach((d, i) => expect(Math.abs(d)).toBeCloseTo(Math.abs(flat.deviations[i]!), 10));
  });

  it('know parallel lines, planes seen edge-on, and that points have no direction', () => {
    const p = (x: number, y: number, z: number): DualVec3 =>
      [x, y, z].map((v) => Dual.constant(v, 0)) as unknown as DualVec3;
    const first = lineThrough([p(0, 0, 0), p(1, 0, 0)]);
    const second = lineThrough([p(5, 2, 0), p(7, 2, 0)]);
    expect(distanceBetween(first, second).value).toBeCloseTo(2, 12);
    expect(angleBetween(first, second).value).toBeCloseTo(0, 12);
    const plane = planeThrough([p(0, 0, 3), p(1, 0, 3), p(0, 1, 3), p(1, 1, 3)]);
    expect(angleBetween(first, plane).value).toBeCloseTo(0, 8);
    expect(distanceBetween(plane, first).value).toBeCloseTo(3, 12);
    expect(() => angleBetween({ kind: 'point', at: p(0, 0, 0) }, plane)).toThrow(/no direction/);
  });
});

const cell: Cell = { a: 7.1, b: 9.3, c: 8.2, alpha: 90, beta: 104.2, gamma: 90, su: [0.004, 0.006, 0.005, 0, 0.05, 0] };
const structure: Structure = {
  cell,
  spaceGroup: spaceGroupFromSymbol('P 1 21/c 1'),
  sites: Array.from({ length: 8 }, (_, i) => ({
    id: `s${i}`,
    label: `C${i}`,
    element: 'C',
    position: [0.05 + 0.11 * i, 0.2 + 0.1 * random.next(), 0.3 + 0.1 * random.next()] as const,
    positionSu: [0.0011 + 0.0002 * i, 0.0008, 0.0013] as const,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.03 },
  })),
};

describe('measures', () => {
  const copy = (site: string): AtomRef => ({
    site,
    ...placementOf(structure.spaceGroup, parseXyz('-x+1,y+1/2,-z+1/2')),
  });
  const CASES: [string, Figure, AtomRef[]][] = [
    ['distance across symmetry', distance, [originalRef('s0'), copy('s1')]],
    ['distance between copies of one site', distance, [originalRef('s2'), copy('s2')]],
    ['angle', angle, [originalRef('s0'), originalRef('s3'), copy('s4')]],
    ['torsion', torsion, ['s0', 's2', 's4', 's7'].map(originalRef)],
    ['deviation from a plane', deviationFigure, ['s0', 's1', 's2', 's3', 's4', 's6'].map(originalRef)],
    [
      'plane against plane',
      betweenFigure('plane', 4, 'plane'),
      ['s0', 's1', 's2', 's4', 's3', 's5', 's6', 's7'].map(originalRef),
    ],
  ];

  it.each(CASES)('%s: the s.u. is the scatter of the truth', (_, figure, refs) => {
    const { su } = measureFigure(structure, refs, figure);
    scatterOf(structure, (moved) => valuesOf(figure, cartesianOf(moved, refs))).forEach((scatter, i) =>
      expect(Math.abs(su[i]! / scatter - 1)).toBeLessThan(0.05),
    );
  });

  it('have none where symmetry fixes them, whatever the rounding', () => {
    // Four atoms on a mirror plane: the torsion is 180° because it must be.
    const flat: Structure = {
      cell: { a: 7, b: 9, c: 11, alpha: 90, beta: 90, gamma: 90, su: [0.001, 0.001, 0.002, 0, 0, 0] },
      spaceGroup: spaceGroupFromSymbol('P n m a'),
      sites: [
        [0.1, 0.2],
        [0.21, 0.31],
        [0.37, 0.27],
        [0.48, 0.41],
      ].map(([x, z], i) => ({
        id: `${i}`,
        label: `C${i}`,
        element: 'C',
        position: [x!, 0.25, z!] as const,
        positionSu: [0.0004, 0, 0.0003] as const,
        occupancy: 1,
        displacement: { kind: 'iso' as const, u: 0.02 },
      })),
    };
    const chain = ['0', '1', '2', '3'].map((id) => originalRef(id));
    const t = measure(flat, chain, torsion);
    expect(Math.abs(t.value)).toBeCloseTo(180, 9);
    expect(t.su).toBe(0);
    expect(measure(flat, chain.slice(0, 2), distance).su).toBeGreaterThan(0.001);
  });

  it('have none where a hydrogen was placed and not refined', () => {
    const hydrogen = (su: Vec3) => ({
      ...structure.sites[0]!,
      id: 'h',
      element: 'H',
      position: [0.2, 0.3, 0.3] as Vec3,
      positionSu: su,
    });
    const bond = (su: Vec3) => {
      const s: Structure = { ...structure, sites: [...structure.sites, hydrogen(su)] };
      return measure(s, [originalRef(structure.sites[0]!.id), originalRef('h')], distance).su;
    };
    expect(
      measure(
        structure,
        structure.sites.slice(0, 2).map((x) => originalRef(x.id)),
        distance,
      ).su,
    ).toBeGreaterThan(0);
    expect(bond([0.001, 0.001, 0.001])).toBeGreaterThan(0);
    expect(bond([0, 0, 0])).toBe(0);
  });
  it('have no s.u. where no site has one', () => {
    const bare = { ...structure, sites: structure.sites.map(({ positionSu: _, ...x }) => x) };
    const m = measureFigure(bare, [originalRef('s0'), originalRef('s1')], distance);
    expect(m).toMatchObject({ su: [0], source: 'none' });
    expect(measureFigure(structure, [originalRef('s0'), originalRef('s1')], distance).source).toBe('file');
    expect(() => measure(structure, [originalRef('gone'), originalRef('s1')], distance)).toThrow(/not in the model/);
  });
});

describe('the cell in a measure', () => {
  it('has analytic slopes', () => {
    const c: Cell = { a: 6, b: 8, c: 11, alpha: 81, beta: 97, gamma: 112 };
    const names = ['a', 'b', 'c', 'alpha', 'beta', 'gamma'] as const;
    orthogonalizationSlopes(c).forEach((slope, k) => {
      const h = 1e-5;
      const up = orthogonalization({ ...c, [names[k]!]: c[names[k]!] + h }),
        down = orthogonalization({ ...c, [names[k]!]: c[names[k]!] - h });
      slope.forEach((x, i) => expect(x).toBeCloseTo((up[i]! - down[i]!) / (2 * h), 7));
    });
  });

  it('ties what symmetry makes equal and leaves out what it fixes', () => {
    expect(cellTies(spaceGroupFromSymbol('P 1'))).toEqual([[0], [1], [2], [3], [4], [5]]);
    expect(cellTies(spaceGroupFromSymbol('P 1 21/c 1'))).toEqual([[0], [1], [2], [4]]);
    expect(cellTies(spaceGroupFromSymbol('I 41/a'))).toEqual([[0, 1], [2]]);
    expect(cellTies(spaceGroupFromSymbol('P 63/m m c'))).toEqual([[0, 1], [2]]);
    expect(cellTies(spaceGroupFromSymbol('F m -3 m'))).toEqual([[0, 1, 2]]);
    // A body diagonal of a cube known to 0.002 Å along each edge is known to √3 times that, not to 0.002.
    const cube: Structure = {
      cell: { a: 4, b: 4, c: 4, alpha: 90, beta: 90, gamma: 90, su: [0.002, 0.002, 0.002, 0, 0, 0] },
      spaceGroup: spaceGroupFromSymbol('P m -3 m'),
      sites: [0, 0.5].map((x, i) => ({
        id: `${i}`,
        label: `C${i}`,
        element: 'C',
        position: [x, x, x] as const,
        positionSu: [1e-9, 0, 0] as const,
        occupancy: 1,
        displacement: { kind: 'iso' as const, u: 0.02 },
      })),
    };
    expect(measure(cube, [originalRef('0'), originalRef('1')], distance).su).toBeCloseTo((0.002 * Math.sqrt(3)) / 2, 6);
  });
});
