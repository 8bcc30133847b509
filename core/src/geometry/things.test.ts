import { describe, expect, it } from 'vitest';
import { originalRef, placementOf, type AtomRef } from '../crystal/atom-ref.ts';
import { parseXyz } from '../crystal/operator.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { cross, dot, norm, normalize, subtract, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { cartesianOf } from './measure.ts';
import { planeOf } from './points.ts';
import { scatterOf } from './scatter.ts';
import { deviationsFrom, readThings, type Thing } from './things.ts';

const random = seededRandom(77);
const structure: Structure = {
  cell: { a: 7.1, b: 9.3, c: 8.2, alpha: 90, beta: 104.2, gamma: 90, su: [0.003, 0.004, 0.005, 0, 0.03, 0] },
  spaceGroup: spaceGroupFromSymbol('P 1 21/c 1'),
  sites: Array.from({ length: 10 }, (_, i) => ({
    id: `s${i}`,
    label: `C${i}`,
    element: 'C',
    position: [0.05 + 0.09 * i, 0.2 + 0.15 * random.next(), 0.3 + 0.15 * random.next()] as const,
    positionSu: [0.0009 + 0.0001 * i, 0.0008, 0.0011] as const,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.03 },
  })),
};
const copy = (site: string): AtomRef => ({
  site,
  ...placementOf(structure.spaceGroup, parseXyz('-x+1,y+1/2,-z+1/2')),
});
const atoms = (...n: number[]): AtomRef[] => n.map((i) => originalRef(`s${i}`));
const thing = (kind: 'point' | 'line' | 'plane', ...n: number[]): Thing => ({ kind, atoms: atoms(...n) });

const CASES: [string, Thing[]][] = [
  ['a chain of four centroids', [thing('point', 0), thing('point', 1, 2), thing('point', 4), thing('point', 6, 7)]],
  ['two planes', [thing('plane', 0, 1, 2, 3), { kind: 'plane', atoms: [4, 5, 6, 8].map((i) => copy(`s${i}`)) }]],
  ['a point and a plane', [thing('point', 9), thing('plane', 0, 2, 3, 5)]],
  ['a line and a plane', [thing('line', 0, 1), thing('plane', 3, 5, 6, 8)]],
  ['two lines', [thing('line', 0, 1, 2), thing('line', 6, 8)]],
  ['a line and a centroid', [thing('line', 2, 4), thing('point', 7, 8, 9)]],
  ['a plane', [thing('plane', 0, 1, 4, 6, 7)]],
];

describe('what things measure', () => {
  it.each(CASES)('%s: the s.u. is the scatter of the truth', (_, things) => {
    const { readings, source } = readThings(structure, things);
    expect(source).toBe('file');
    const bare = { ...structure, sites: structure.sites.map(({ positionSu: _su, ...x }) => x) };
    const plain = (s: Structure): number[] => {
      const moved = {
        ...bare,
        cell: s.cell,
        sites: bare.sites.map((x, i) => ({ ...x, position: s.sites[i]!.position })),
      };
      return readThings(moved, things).readings.map((r) => r.value);
    };
    const scatter = scatterOf(structure, plain, 6000);
    readings.forEach((r, i) => expect(Math.abs(r.su / scatter[i]! - 1), r.name).toBeLessThan(0.05));
  });

  it('agrees with direct evaluation', () => {
    const [p, q] = [
      [0, 1, 2, 3],
      [4, 5, 6, 8],
    ] as const;
    const a = planeOf(cartesianOf(structure, atoms(...p))),
      b = planeOf(cartesianOf(structure, atoms(...q)));
    const middle = (n: readonly number[]): Vec3 => {
      const at = cartesianOf(structure, atoms(...n));
      return [0, 1, 2].map((k) => at.reduce((sum, x) => sum + x[k]!, 0) / at.length) as never;
    };
    const between = subtract(middle(q), middle(p));
    const found = new Map(
      readThings(structure, [thing('plane', ...p), thing('plane', ...q)]).readings.map((r) => [r.name, r.value]),
    );
    const along = Math.abs(dot(between, a.normal));
    expect(found.get('distance')).toBeCloseTo(norm(between), 9);
    expect(found.get('perpendicular')).toBeCloseTo(along, 9);
    expect(found.get('perpendicular back')).toBeCloseTo(Math.abs(dot(between, b.normal)), 9);
    expect(found.get('offset')).toBeCloseTo(Math.sqrt(norm(between) ** 2 - along ** 2), 9);
    const tilt = (Math.acos(Math.min(1, Math.abs(dot(a.normal, b.normal)))) * 180) / Math.PI;
    expect(found.get('angle')).toBeCloseTo(tilt, 7);
    const [line, row] = [thing('line', 0, 3), { kind: 'row', direction: [0, 1, 0] } as const];
    const [x, y] = cartesianOf(structure, atoms(0, 3));
    const d = normalize(subtract(y!, x!));
    expect(readThings(structure, [line, row]).readings[0]!.value).toBeCloseTo(
      (Math.asin(norm(cross(d, [0, 1, 0]))) * 180) / Math.PI,
      7,
    );
  });

  it('gives the deviation of further atoms from a plane', () => {
    const [off] = deviationsFrom(structure, atoms(0, 1, 2), [copy('s5')]);
    const at = cartesianOf(structure, [...atoms(0, 1, 2), copy('s5')]);
    const normal = normalize(cross(subtract(at[1]!, at[0]!), subtract(at[2]!, at[0]!)));
    expect(Math.abs(off!.value)).toBeCloseTo(Math.abs(dot(subtract(at[3]!, at[0]!), normal)), 9);
    expect(off!.su).toBeGreaterThan(0.001);
  });

  it.each<[string, Thing[], RegExp]>([
    ['a plane of two atoms', [thing('plane', 0, 1)], /takes 3 atoms/],
    ['a row of no direction', [thing('line', 0, 1), { kind: 'row', direction: [0, 0, 0] }], /no direction/],
    ['a point against a row', [thing('point', 0), { kind: 'row', direction: [1, 0, 0] }], /no angle with a row/],
    ['three planes', [0, 1, 2].map((i) => thing('plane', i, i + 1, i + 3)), /two at a time/],
    ['an atom that is gone', [{ kind: 'point', atoms: [originalRef('gone')] }, thing('point', 1)], /not in the model/],
  ])('refuses %s in words', (_, things, said) => {
    expect(() => readThings(structure, things)).toThrow(said);
  });
});
