import { describe, expect, it } from 'vitest';
import { halite, textbook } from '../../../demo/src/textbook.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { supercell } from '../build/supercell.ts';
import { seededRandom } from '../math/random.ts';
import { findPores } from './pores.ts';

const lattice = (symbol: string, a: number, c: number) => textbook(symbol, a, c, [['O', 0, 0, 0]]);

describe('empty space', () => {
  it('of balls on a cubic lattice: the cube’s middle, the faces’ middles, all three directions', () => {
    const { largest, windows } = findPores(lattice('P m -3 m', 8, 8), () => 1.5)!;
    expect(largest.diameter).toBeCloseTo(8 * Math.sqrt(3) - 3, 4);
    expect(largest.at).toEqual([0.5, 0.5, 0.5].map((x) => expect.closeTo(x, 4)));
    expect(windows).toHaveLength(1);
    expect(windows[0]).toMatchObject({ dimension: 3, diameter: expect.closeTo(8 * Math.SQRT2 - 3, 4) });
  });

  it('of a tall lattice opens two directions before the third', () => {
    const { windows } = findPores(lattice('P 4/m m m', 6, 12), () => 1)!;
    expect(windows.map((w) => w.dimension)).toEqual([2, 3]);
    // Between two neighbours along c, a apart, above and below: the middle of a 6 × 12 rectangle; then the square of a.
    expect(windows[0]!.diameter).toBeCloseTo(Math.hypot(6, 12) - 2, 4);
    expect(windows[1]!.diameter).toBeCloseTo(6 * Math.SQRT2 - 2, 4);
    expect(windows[0]!.directions.every((d) => d[2] === 0)).toBe(true);
  });

  it('does not depend on which cell describes the crystal', { tags: 'long' }, () => {
    const s = textbook('P n m a', 9, 11, [
      ['O', 0.1, 0.3, 0.2],
      ['Si', 0.35, 0.6, 0.4],
    ]);
    const one = findPores(s)!;
    const other = findPores(supercell(s, [1, 1, 0, 0, 1, 0, 0, 0, 1]).structure)!;
    expect(other.largest.diameter).toBeCloseTo(one.largest.diameter, 3);
    expect(other.windows[0]!.diameter).toBeCloseTo(one.windows[0]!.diameter, 1);
  });

  it('of a dense salt is nothing to go through', () => {
    const found = findPores(halite('Mg', 4.21));
    expect(found?.windows ?? []).toEqual([]);
  });

  it('no ball goes through a wall: a full plane of atoms leaves the directions in it', () => {
    const random = seededRandom(9);
    const site = (x: number, y: number, z: number) => ({
      id: `${x} ${y} ${z}`,
      label: 'O1',
      element: 'O',
      position: [x, y, z] as const,
      occupancy: 1,
      displacement: { kind: 'iso' as const, u: 0.01 },
    });
    for (let round = 0; round < 5; round++) {
      const z = random.next();
      const cell = { a: 8, b: 8.5, c: 9, alpha: 90, beta: 85 + 10 * random.next(), gamma: 95 };
      const wall = [0, 1, 2, 3].flatMap((i) => [0, 1, 2, 3].map((j) => site(i / 4, j / 4, z)));
      const s: Structure = { cell, spaceGroup: spaceGroupFromSymbol('P 1'), sites: wall };
      const { windows } = findPores(s, () => 1.4)!;
      expect(windows.at(-1)!.dimension).toBe(2);
      expect(windows.at(-1)!.directions.every((d) => d[2] === 0)).toBe(true);
    }
  });
});
