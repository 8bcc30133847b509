import { describe, expect, it } from 'vitest';
import type { HydrogenShape } from '../crystal/controls.ts';
import { add, cross, dot, norm, normalize, scale, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import {
  hydrogenLength,
  idealHydrogens,
  KEPT,
  reshapeHydrogens,
  TURNING,
  usualCount,
  type Surroundings,
} from './hydrogens.ts';

const DEGREE = Math.PI / 180;
const { normal, next } = seededRandom(23);
const direction = (): Vec3 => normalize([normal(), normal(), normal()]);
const across = (v: Vec3): Vec3 => normalize(cross(v, Math.abs(v[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0]));

/** Neighbours at usual angles about a parent somewhere in space, turned at random. */
function surroundings(count: 1 | 2 | 3, angle: number): Surroundings {
  const parent: Vec3 = [3 * next(), 3 * next(), 3 * next()];
  const axis = direction(),
    side = across(axis);
  const at = (u: Vec3): Vec3 => add(parent, scale(u, 1.45));
  if (count === 1) {
    const neighbour = at(axis);
    return { parent, neighbours: [neighbour], beyond: add(neighbour, scale(side, 1.4)) };
  }
  // On a cone about −axis whose half angle gives the angle between any two.
  const fan = (2 * Math.PI) / count;
  const sine = Math.sin(angle / 2) / Math.sin(fan / 2);
  const neighbours = Array.from({ length: count }, (_, i) =>
    at(add(scale(axis, -Math.sqrt(1 - sine * sine)), scale(turn(side, axis, i * fan), sine))),
  );
  return { parent, neighbours };
}
const angleAt = (p: Vec3, a: Vec3, b: Vec3): number => {
  const u = normalize(subtract(a, p)),
    v = normalize(subtract(b, p));
  return Math.acos(Math.max(-1, Math.min(1, dot(u, v)))) / DEGREE;
};

/** Shape, neighbours it needs, their angle, and what the angles at its hydrogens must be. */
const SHAPES: readonly (readonly [shape: HydrogenShape, neighbours: 1 | 2 | 3, angle: number, toNeighbour: number])[] =
  [
    ['aromatic', 2, 120, 120],
    ['vinyl', 2, 122, 119],
    ['planar NH', 2, 124, 118],
    ['methine', 3, 109.47, 109.47],
    ['ammonium NH', 3, 109.47, 109.47],
    ['methylene', 2, 109.5, 109.47],
    ['ammonium NH2', 2, 109.5, 109.47],
    ['terminal vinyl', 1, 0, 120],
    ['planar NH2', 1, 0, 120],
    ['alkyne', 1, 0, 180],
    ['methyl', 1, 0, 109.47],
    ['ammonium', 1, 0, 109.47],
    ['pyramidal NH2', 1, 0, 110],
    ['hydroxyl', 1, 0, 109.5],
    ['thiol', 1, 0, 96],
  ];

describe.each(SHAPES)('%s hydrogens', (shape, count, angle, toNeighbour) => {
  const around = surroundings(count, angle * DEGREE);
  const length = 0.95;
  const made = idealHydrogens(shape, around, length)!;

  it('are as many as usual, at their length', () => {
    expect(made).toHaveLength(usualCount[shape]);
    for (const h of made) expect(norm(subtract(h, around.parent))).toBeCloseTo(length, 9);
  });

  it('stand at their angle to every neighbour', () => {
    for (const h of made)
      for (const n of around.neighbours) expect(angleAt(around.parent, h, n)).toBeCloseTo(toNeighbour, 0);
  });

  it('come back from a shake, in the order they were', () => {
    const shaken = made.map((h) => add(h, scale(direction(), 0.08)));
    const back = reshapeHydrogens(shape, around, length, shaken);
    expect(back).toHaveLength(made.length);
    back.forEach((h, i) => {
      expect(norm(subtract(h, around.parent))).toBeCloseTo(length, 9);
      for (const n of around.neighbours) expect(angleAt(around.parent, h, n)).toBeCloseTo(toNeighbour, 0);
      // Nearer to where it was than to where any other was.
      const far = shaken.map((s) => norm(subtract(s, h)));
      expect(far.indexOf(Math.min(...far))).toBe(i);
    });
  });
});

describe('hydrogens that turn', () => {
  it.each([...TURNING].filter((s) => s !== 'pyramidal NH2'))('%s: keep the torsion they were found at', (shape) => {
    const around = surroundings(1, 0);
    for (const torsion of [0.3, 1.9, -2.4]) {
      const there = idealHydrogens(shape, around, 0.9, torsion)!;
      const back = reshapeHydrogens(shape, around, 0.9, there);
      back.forEach((h, i) => expect(norm(subtract(h, there[i]!))).toBeLessThan(1e-6));
    }
  });
});

describe('hydrogens without a rule', () => {
  it.each([...KEPT])('%s: keep their directions and take their length', (shape) => {
    const around = surroundings(1, 0);
    const now = [add(around.parent, scale(direction(), 1.3)), add(around.parent, scale(direction(), 0.7))];
    reshapeHydrogens(shape, around, 0.84, now).forEach((h, i) => {
      expect(norm(subtract(h, around.parent))).toBeCloseTo(0.84, 9);
      expect(angleAt(around.parent, h, now[i]!)).toBeLessThan(1e-4);
    });
  });
});

describe('a shape its neighbours do not allow', () => {
  it('is not made', () => {
    expect(idealHydrogens('methine', surroundings(2, 2), 1)).toBeUndefined();
    expect(idealHydrogens('methyl', surroundings(2, 2), 1)).toBeUndefined();
    expect(idealHydrogens('alkyne', surroundings(3, 1.9), 1)).toBeUndefined();
    const { parent } = surroundings(1, 0);
    const straight = { parent, neighbours: [add(parent, [1.4, 0, 0]), add(parent, [-1.4, 0, 0])] as Vec3[] };
    expect(idealHydrogens('methylene', straight, 1)).toBeUndefined();
  });
});

it('bonds to hydrogen shorten as the crystal warms', () => {
  const lengths = [100, 210, 295].map((t) => hydrogenLength('aromatic', 'C', t));
  expect(lengths).toEqual([...lengths].sort((a, b) => b - a));
  expect(lengths[0]! - lengths[2]!).toBeCloseTo(0.02, 9);
});
