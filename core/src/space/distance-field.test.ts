import { describe, expect, it } from 'vitest';
import { orthogonalization, reciprocalLengths, type Cell } from '../crystal/cell.ts';
import { add, apply3, norm, subtract, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { distancesTo, type Ball } from './distance-field.ts';
import { stepsOf } from './grid-steps.ts';
import { sweptDistances } from './swept.ts';

const CELLS: readonly Cell[] = [
  { a: 5, b: 6, c: 7, alpha: 90, beta: 90, gamma: 90 },
  { a: 6, b: 7, c: 5, alpha: 70, beta: 105, gamma: 118 },
  { a: 3, b: 11, c: 9, alpha: 90, beta: 120, gamma: 60 },
];
const SHIFTS: readonly Vec3[] = [-4, -3, -2, -1, 0, 1, 2, 3, 4].flatMap((x) =>
  [-2, -1, 0, 1, 2].flatMap((y) => [-2, -1, 0, 1, 2].map((z): Vec3 => [x, y, z])),
);

/** Balls anywhere in a cell, and every grid point with its index. */
function example(cell: Cell, seed: number, n: readonly [number, number, number], count = 4) {
  const m = orthogonalization(cell);
  const random = seededRandom(seed);
  const balls = Array.from({ length: count }, (): Ball => {
    const at = apply3(m, [random.next(), random.next(), random.next()]);
    return { at, radius: 0.8 + 0.9 * random.next() };
  });
  const points: Vec3[] = [];
  for (let i = 0; i < n[0]; i++)
    for (let j = 0; j < n[1]; j++)
      for (let k = 0; k < n[2]; k++) points.push(apply3(m, [i / n[0], j / n[1], k / n[2]]));
  return { m, balls, points };
}

describe('distances from grid points to balls', () => {
  it.each(CELLS.map((cell, i) => [i, cell] as const))('are those of every copy, cell %i', (seed, cell) => {
    const n = [19, 14, 17] as const;
    const { m, balls, points } = example(cell, seed, n);
    const found = distancesTo(balls, m, reciprocalLengths(cell), n, 3);
    const copies = balls.flatMap((b) => SHIFTS.map((s) => ({ at: add(b.at, apply3(m, s)), radius: b.radius })));
    points.forEach((x, i) => {
      const least = Math.min(...copies.map((b) => norm(subtract(b.at, x)) - b.radius));
      if (least <= 3) expect(found[i]).toBeCloseTo(least, 9);
      else expect(found[i]).toBe(Infinity);
    });
  });

  it(
    'what balls sweep lies within their radius of the middles, found one by one on a finer grid',
    { tags: 'long' },
    () => {
      const cell = CELLS[1]!;
      const n = [40, 46, 34] as const;
      const { m, balls } = example(cell, 7, n, 2);
      const probe = 0.9;
      const d = distancesTo(balls, m, reciprocalLengths(cell), n, 9);
      const width = Math.cbrt((m[0]! * m[4]! * m[8]!) / d.length);
      const swept = sweptDistances(d, stepsOf(m, n), probe, width);
      // Every eleventh point against all reached points of a grid of half the step, copies included.
      const fine = [80, 92, 68] as const;
      const reached: Vec3[] = [];
      distancesTo(balls, m, reciprocalLengths(cell), fine, 9).forEach((x, at) => {
        if (x < probe || x > probe + width) return;
        const f: Vec3 = [Math.floor(at / (92 * 68)) / 80, (Math.floor(at / 68) % 92) / 92, (at % 68) / 68];
        for (const s of SHIFTS) {
          if (s.every((v) => Math.abs(v) < 2)) reached.push(apply3(m, add(f, s)));
        }
      });
      let looked = 0;
      for (let at = 0; at < d.length; at += 331) {
        if (d[at]! >= probe || d[at]! < 0) continue;
        const x = apply3(m, [Math.floor(at / (46 * 34)) / 40, (Math.floor(at / 34) % 46) / 46, (at % 34) / 34]);
        const nearest = reached.reduce((least, y) => Math.min(least, norm(subtract(x, y))), Infinity);
        looked++;
        if (probe - nearest > -width / 2) expect(Math.abs(swept[at]! - (probe - nearest))).toBeLessThan(0.4 * width);
        else expect(swept[at]).toBeLessThan(0);
      }
      expect(looked).toBeGreaterThan(30);
    },
  );
});
