import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { moveRef, siteIndices, type AtomRef } from '../crystal/atom-ref.ts';
import { IDENTITY } from '../crystal/operator.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { spaceGroupFromOperators } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { add, cross, dot, norm, normalize, scale, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { shippedShelf } from '../shelf/entry.ts';
import { betweenFigure } from './figures.ts';
import { cartesianOf, measureFigure } from './measure.ts';
import { planeOf } from './points.ts';
import { puckering } from './puckering.ts';
import { readRing, ringRelations } from './ring-readings.ts';
import { findRings, fusedSystems, type Ring } from './rings.ts';

const P1 = spaceGroupFromOperators([IDENTITY]);
const BOX = 40;
/** Carbon atoms at Cartesian places in a box much larger than they are. */
const boxed = (points: readonly Vec3[], su?: number): Structure => ({
  cell: { a: BOX, b: BOX, c: BOX, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: P1,
  sites: points.map((p, i) => ({
    id: `s${i}`,
    label: `C${i + 1}`,
    element: 'C',
    position: [p[0] / BOX + 0.4, p[1] / BOX + 0.4, p[2] / BOX + 0.4],
    occupancy: 1,
    displacement: { kind: 'iso', u: 0.03 },
    ...(su === undefined ? {} : { positionSu: [su / BOX, su / BOX, su / BOX] }),
  })),
});
const hexagon = (radius = 1.39): Vec3[] =>
  Array.from({ length: 6 }, (_, k) => [radius * Math.cos((k * Math.PI) / 3), radius * Math.sin((k * Math.PI) / 3), 0]);
const sizes = (rings: readonly Ring[]): number[] => rings.map((r) => r.atoms.length);

describe('rings', () => {
  it.each([
    ['c1ccc2ccccc2c1', [6, 6]],
    ['CC1CC(O)CN1C(=O)c1ccncc1', [5, 6]],
    ['C1CC2CCC1CC2', [6, 6, 6]],
    ['C1CCCCCCCCC1', [10]],
    ['CCO', []],
  ])('of %s', (line, expected) => {
    const { structure } = testCrystal(line, 'P -1', 5, { dMin: 2, repeats: 1 });
    expect(sizes(findRings(structure))).toEqual(expected);
  });

  it('of a cube are its six faces, not the hexagons around its corners', () => {
    const corners = [0, 1].flatMap((x) =>
      [0, 1].flatMap((y) => [0, 1].map((z): Vec3 => [1.55 * x, 1.55 * y, 1.55 * z])),
    );
    expect(sizes(findRings(boxed(corners)))).toEqual([4, 4, 4, 4, 4, 4]);
  });

  it('of a truncated icosahedron are twelve of five and twenty of six', () => {
    const g = (1 + Math.sqrt(5)) / 2;
    const seeds: Vec3[] = [
      [0, 1, 3 * g],
      [1, 2 + g, 2 * g],
      [2, 1 + 2 * g, g],
    ];
    const all = new Map<string, Vec3>();
    for (const [x, y, z] of seeds)
      for (const [i, j, k] of [
        [x, y, z],
        [y, z, x],
        [z, x, y],
      ] as Vec3[])
        for (const sx of [1, -1])
          for (const sy of [1, -1])
            for (const sz of [1, -1]) {
              const p: Vec3 = [sx * i, sy * j, sz * k];
              all.set(p.map((v) => (v + 0).toFixed(6)).join(), scale(p, 0.715));
            }
    expect(all.size).toBe(60);
    const found = sizes(findRings(boxed([...all.values()])));
    expect(found.filter((n) => n === 5)).toHaveLength(12);
    expect(found.filter((n) => n === 6)).toHaveLength(20);
    expect(found).toHaveLength(32);
  });

  it('go on through symmetry: half a ring in the model is one ring, listed once', () => {
    const half = hexagon().slice(0, 3);
    const s: Structure = {
      ...boxed(half),
      spaceGroup: spaceGroupFromSymbol('P -1'),
      sites: boxed(half).sites.map((x) => ({ ...x, position: x.position.map((v) => v - 0.4) as never })),
    };
    const rings = findRings(s);
    expect(sizes(rings)).toEqual([6]);
    expect(new Set(rings[0]!.atoms.map((a) => a.site)).size).toBe(3);
    const points = cartesianOf(s, rings[0]!.atoms);
    points.forEach((p, i) => expect(norm(subtract(p, points[(i + 1) % 6]!))).toBeCloseTo(1.39, 6));
  });

  it('of networks: quartz has rings of twelve atoms, a dense salt is done in no time', () => {
    const of = (id: string): number[] => sizes(findRings(shippedShelf().find((e) => e.id === id)!.structure));
    expect(new Set(of('quartz'))).toEqual(new Set([12]));
    expect(of('fluorite')).toEqual([]);
  });
});

describe('puckering', () => {
  /** A ring whose heights are those of amplitudes and phase, by the definition. */
  const ring = (n: number, q: number, phi: number, q3 = 0): Vec3[] =>
    Array.from({ length: n }, (_, j) => [
      1.45 * Math.cos((-2 * Math.PI * j) / n),
      1.45 * Math.sin((-2 * Math.PI * j) / n),
      Math.sqrt(2 / n) * q * Math.cos((phi * Math.PI) / 180 + (4 * Math.PI * j) / n) +
        (n === 6 ? (q3 * (j % 2 ? -1 : 1)) / Math.sqrt(6) : 0),
    ]);

  it('gives back amplitudes and phases, however the ring lies', () => {
    const random = seededRandom(4);
    for (let round = 0; round < 20; round++) {
      const n = round % 2 ? 5 : 6,
        q2 = 0.2 + 0.4 * random.next(),
        phi = 360 * random.next(),
        q3 = n === 6 ? random.next() - 0.5 : 0;
      const axis = normalize([random.next(), random.next(), random.next()]);
      const p = puckering(ring(n, q2, phi, q3).map((x) => add(turn(x, axis, round), [3, 1, 2])));
      expect(p.pairs[0]!.q).toBeCloseTo(q2, 8);
      expect(Math.abs(((p.phi! - phi + 540) % 360) - 180)).toBeLessThan(1e-6);
      expect(p.q).toBeCloseTo(Math.hypot(q2, q3), 8);
      if (n === 6) {
        expect(p.single).toBeCloseTo(q3, 8);
        expect(p.theta).toBeCloseTo((Math.atan2(q2, q3) * 180) / Math.PI, 6);
      }
      expect(p.heights.reduce((a, b) => a + b, 0)).toBeCloseTo(0, 10);
    }
  });

  it('names the ideal forms', () => {
    const form = (...args: Parameters<typeof ring>): string => puckering(ring(...args)).form;
    expect(form(6, 0, 0, 0.57)).toBe('chair');
    expect(form(6, 0, 0, -0.57)).toBe('chair');
    expect(form(6, 0.6, 0)).toBe('boat');
    expect(form(6, 0.6, 90)).toBe('twist-boat');
    expect(form(6, 0.57 * Math.sin(0.955), 0, 0.57 * Math.cos(0.955))).toBe('envelope');
    expect(form(6, 0.57 * Math.sin(0.886), 30, 0.57 * Math.cos(0.886))).toBe('half-chair');
    expect(form(5, 0.4, 0)).toBe('envelope');
    expect(form(5, 0.4, 18)).toBe('twist');
    expect(puckering(ring(5, 0.4, 0)).flap).toBe(0);
    expect(form(6, 0.02, 0)).toBe('flat');
    expect(() => puckering(ring(5, 0.4, 0).slice(0, 3))).toThrow(/three/);
  });
});

describe('relations of rings', () => {
  /** A hexagon, and another tilted by an angle at a place. */
  const pair = (tilt: number, at: Vec3, su?: number): Structure =>
    boxed([...hexagon(), ...hexagon().map((p) => add(turn(p, [1, 0, 0], (tilt * Math.PI) / 180), at))], su);
  const relation = (tilt: number, at: Vec3, reach = 8) => {
    const s = pair(tilt, at);
    return ringRelations(s, findRings(s), reach);
  };

  it('are measured as a direct evaluation has them', () => {
    const s = pair(23, [1.1, -0.7, 3.6]);
    const [r] = ringRelations(s, findRings(s), 6);
    const points = cartesianOf(
      s,
      s.sites.map((x): AtomRef => ({ site: x.id, operator: 0, shift: [0, 0, 0] })),
    );
    const one = planeOf(points.slice(0, 6)),
      two = planeOf(points.slice(6));
    const between = subtract(two.centre, one.centre);
    expect(r!.angle.value).toBeCloseTo(23, 6);
    expect(r!.centroidDistance.value).toBeCloseTo(norm(between), 6);
    expect(r!.perpendicular1.value).toBeCloseTo(Math.abs(dot(between, one.normal)), 6);
    expect(r!.perpendicular2.value).toBeCloseTo(Math.abs(dot(between, two.normal)), 6);
    expect(r!.offset).toBeCloseTo(norm(cross(between, one.normal)), 6);
  });

  it('are named for how they lie', () => {
    expect(relation(0, [0.4, 0, 3.5])[0]!.kind).toBe('face to face');
    expect(relation(0, [1.6, 0, 3.5])[0]!.kind).toBe('parallel and offset');
    expect(relation(0, [4.6, 0, 2.8])[0]!.kind).toBe('far');
    expect(relation(88, [0, 0, 4.9])[0]!.kind).toBe('edge to face');
    expect(relation(45, [0, 0, 4.6])[0]!.kind).toBe('inclined');
    expect(relation(0, [0, 0, 7])[0]!.kind).toBe('far');
    expect(relation(0, [0, 0, 7], 5)).toEqual([]);
  });

  it('come once each, copies by symmetry included', () => {
    const s: Structure = { ...boxed(hexagon()), cell: { a: 9, b: 9, c: 3.6, alpha: 90, beta: 90, gamma: 90 } };
    const stacked: Structure = {
      ...s,
      sites: hexagon().map((p, i) => ({ ...s.sites[i]!, position: [p[0] / 9 + 0.5, p[1] / 9 + 0.5, 0.5] })),
    };
    const rings = findRings(stacked);
    expect(sizes(rings)).toEqual([6]);
    const found = ringRelations(stacked, rings, 4);
    expect(found).toHaveLength(1);
    expect(Math.abs(found[0]!.placement.shift[2])).toBe(1);
    expect(found[0]!.centroidDistance.value).toBeCloseTo(3.6, 6);
  });

  it('have the s.u. that a thousand trembling models have', () => {
    const su = 0.004,
      random = seededRandom(9);
    const s = pair(23, [1.1, -0.7, 3.6], su);
    const rings = findRings(s);
    const [r] = ringRelations(s, rings, 6);
    const angles: number[] = [],
      distances: number[] = [];
    for (let i = 0; i < 4000; i++) {
      const points = cartesianOf(
        s,
        s.sites.map((x): AtomRef => ({ site: x.id, operator: 0, shift: [0, 0, 0] })),
      );
      const moved = points.map((p) => p.map((v) => v + su * random.normal()) as unknown as Vec3);
      const one = planeOf(moved.slice(0, 6)),
        two = planeOf(moved.slice(6));
      angles.push((Math.acos(Math.abs(dot(one.normal, two.normal))) * 180) / Math.PI);
      distances.push(norm(subtract(two.centre, one.centre)));
    }
    const spread = (list: number[]): number => {
      const mean = list.reduce((a, b) => a + b, 0) / list.length;
      return Math.sqrt(list.reduce((a, b) => a + (b - mean) ** 2, 0) / list.length);
    };
    expect(r!.angle.su / spread(angles)).toBeCloseTo(1, 1);
    expect(Math.abs(r!.angle.su / spread(angles) - 1)).toBeLessThan(0.05);
    expect(Math.abs(r!.centroidDistance.su / spread(distances) - 1)).toBeLessThan(0.05);
  });

  it('have the s.u. of the same measures made of all their atoms, copies and the cell’s own s.u. included', () => {
    const { structure } = testCrystal('COc1ccncc1', 'P 1 21/c 1', 3, { dMin: 2, repeats: 1 });
    const random = seededRandom(6);
    const s: Structure = {
      ...structure,
      cell: { ...structure.cell, su: [0.002, 0.003, 0.004, 0, 0.02, 0] },
      sites: structure.sites.map((x) => ({
        ...x,
        positionSu: [1e-4 * random.next(), 1e-4 * random.next(), 1e-4 * random.next()],
      })),
    };
    const rings = findRings(s);
    const found = ringRelations(s, rings, 9);
    expect(found.filter((r) => r.placement.operator > 0).length).toBeGreaterThan(3);
    for (const r of found) {
      const first = rings[r.first]!.atoms,
        second = rings[r.second]!.atoms.map((a) => moveRef(s.spaceGroup, r.placement, a));
      const n = first.length;
      const planes = measureFigure(s, [...first, ...second], betweenFigure('plane', n, 'plane')),
        middles = measureFigure(s, [...first, ...second], betweenFigure('point', n, 'point')),
        other = measureFigure(s, [...second, ...first], betweenFigure('plane', second.length, 'plane'));
      for (const [mine, direct, k] of [
        [r.perpendicular1, planes, 0],
        [r.angle, planes, 1],
        [r.centroidDistance, middles, 0],
        [r.perpendicular2, other, 0],
      ] as const) {
        expect(mine.value).toBeCloseTo(direct.values[k]!, 8);
        expect(mine.su).toBeCloseTo(direct.su[k]!, 8);
      }
      expect(r.centroidDistance.su).toBeGreaterThan(1e-5);
    }
  });

  it('come with what each ring is', () => {
    const { structure } = testCrystal('COc1ccncc1', 'P 1 21/c 1', 3, { dMin: 2, repeats: 1 });
    const [ring] = findRings(structure);
    const r = readRing(structure, ring!);
    expect(r.members).toBe('C5N');
    expect(r.rms).toBeLessThan(0.02);
    expect(r.puckering!.form).toBe('flat');
    expect(r.deviations).toHaveLength(6);
    const index = siteIndices(structure);
    const middle = [0, 1, 2].map(
      (k) => ring!.atoms.reduce((sum, a) => sum + structure.sites[index.get(a.site)!]!.position[k]!, 0) / 6,
    );
    r.centroid.forEach((x, k) => expect(x).toBeCloseTo(middle[k]!, 6));
  });
});

describe('fused systems', () => {
  const systems = (smiles: string): number[] => {
    const { structure } = testCrystal(smiles, 'P 1', 4);
    const rings = findRings(structure).map((r) => r.atoms);
    return fusedSystems(structure, rings).map(
      (list) => new Set(list.flatMap((i) => rings[i]!.map((a) => a.site))).size,
    );
  };
  it('join rings that share a bond, and leave those that stand alone', () => {
    expect(systems('c1ccc2ccccc2c1')).toEqual([10]);
    expect(systems('c1ccccc1-c1ccccc1')).toEqual([]);
  });
});
