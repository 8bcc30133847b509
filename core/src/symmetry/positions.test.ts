import { describe, expect, it } from 'vitest';
import { parseXyz } from '../crystal/operator.ts';
import { groupOfSetting, referenceSetting, spaceGroupFromSymbol } from '../crystal/settings.ts';
import { groupOrder, siteSymmetry } from '../crystal/space-group.ts';
import { apply3, multiply3, type Vec3 } from '../math/matrix3.ts';
import { specialPositions, type SpecialPosition } from './positions.ts';

const METRIC = [1, 0, 0, 0, 1, 0, 0, 0, 1];
/** A point no symmetry knows. */
const PROBE: Vec3 = [0.1371, 0.2893, 0.4217];

const pointOn = (p: SpecialPosition): Vec3 => {
  const [x, y, z] = apply3(p.projection, PROBE);
  return [x + p.shift[0], y + p.shift[1], z + p.shift[2]];
};
const wrap = (x: number): number => {
  const y = x - Math.floor(x + 1e-6);
  return Math.abs(y) < 1e-6 ? 0 : y;
};

/** A type of every crystal class and lattice kind, settings with odd origins among them. */
const NUMBERS = [
  1, 2, 5, 9, 14, 15, 19, 43, 62, 70, 79, 88, 96, 122, 141, 146, 148, 155, 161, 167, 176, 194, 205, 220, 227,
];

describe.each(NUMBERS.map((n) => [n, referenceSetting(n)] as const))('positions of type %i', (_, setting) => {
  const group = groupOfSetting(setting);
  const list = specialPositions(group);

  it('begin with the general one and fall in multiplicity', () => {
    expect(list[0]).toMatchObject({ multiplicity: groupOrder(group), siteSymmetry: '1', freedom: 3 });
    for (const p of list) expect(groupOrder(group) % p.multiplicity).toBe(0);
  });

  it('stay where they are under their own projection', () => {
    for (const p of list) {
      multiply3(p.projection, p.projection).forEach((x, i) => expect(x).toBeCloseTo(p.projection[i]!, 9));
      const once = pointOn(p);
      const again = apply3(p.projection, once).map((x, i) => x + p.shift[i]!);
      again.forEach((x, i) => expect(x).toBeCloseTo(once[i]!, 9));
    }
  });

  it('have as many operations on them as their multiplicity says, and one place for each of their coordinates', () => {
    for (const p of list) {
      const at = pointOn(p);
      // Operations that leave the point in its place, counted by the group itself.
      expect(siteSymmetry(group, METRIC, at, 1e-4).operators).toHaveLength(groupOrder(group) / p.multiplicity);
      const places = new Set(
        p.equivalent.map((text) => {
          const o = parseXyz(text);
          const y = apply3(o.r, PROBE);
          return y.map((v, i) => Math.round(1e4 * wrap(v + o.t[i]!)) % 10_000).join();
        }),
      );
      expect(places.size).toBe(p.multiplicity);
    }
  });
});

it('are those of the tables for the diamond type', () => {
  // International Tables A, F d -3 m: 8a, 8b, 16c, 16d, 32e, 48f, 96g, 96h, 192i.
  const found = specialPositions(spaceGroupFromSymbol('F d -3 m')).map((p) => p.multiplicity);
  expect(found.sort((a, b) => a - b)).toEqual([8, 8, 16, 16, 32, 48, 96, 96, 192]);
});
