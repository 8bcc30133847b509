import { describe, expect, it } from 'vitest';
import { inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import { RawBuilder } from '../crystal/reflections.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { latticePoints, observationsOf, reciprocalAxes } from './lattice-points.ts';

const CELL: Cell = { a: 7, b: 8, c: 9, alpha: 84, beta: 97, gamma: 103 };
const P21 = spaceGroupFromSymbol('P 1 21/c 1');

function raw(rows: readonly (readonly [number, number, number, number, number, number?])[]) {
  const out = new RawBuilder();
  for (const [h, k, l, i, s, batch] of rows) out.push(h, k, l, i, s, batch);
  return out.build(false);
}

describe('points of the reciprocal lattice', () => {
  it('are each index once, at the weighted mean of its observations', () => {
    const p = latticePoints(
      raw([
        [1, 2, 3, 10, 1],
        [1, 2, 3, 16, 2],
        [-1, -2, -3, 30, 1],
      ]),
      CELL,
      P21,
    );
    expect(p.count).toBe(2);
    expect([p.h[0], p.k[0], p.l[0]]).toEqual([1, 2, 3]);
    expect(p.intensity[0]).toBeCloseTo((10 + 16 / 4) / 1.25, 5);
    expect(p.strength[0]).toBeCloseTo(((10 + 16 / 4) / 1.25) * Math.sqrt(1.25), 5);
    expect(p.intensity[1]).toBe(30);
  });

  it('have the mate that was not measured, and say what the group forbids', () => {
    const p = latticePoints(
      raw([
        [0, 3, 0, 1, 1],
        [0, 4, 0, 90, 1],
      ]),
      CELL,
      P21,
    );
    expect(Array.from(p.k)).toEqual([3, -3, 4, -4]);
    expect(Array.from(p.absent)).toEqual([1, 1, 0, 0]);
  });

  it('lie at the reciprocal of their spacing', () => {
    const p = latticePoints(
      raw([
        [1, 0, -2, 1, 1],
        [4, -3, 5, 1, 1],
      ]),
      CELL,
      P21,
    );
    const g = reciprocalMetric(CELL);
    for (let i = 0; i < p.count; i++) {
      const length = Math.hypot(...p.position.subarray(3 * i, 3 * i + 3));
      expect(length).toBeCloseTo(inverseSpacing(g, p.h[i]!, p.k[i]!, p.l[i]!), 5);
    }
    const [a] = reciprocalAxes(CELL);
    expect(Math.hypot(...a)).toBeCloseTo(Math.sqrt(g[0]), 9);
  });
});

describe('the observations of a reflection', () => {
  it('are all its equivalents and their mates, as they were indexed', () => {
    const data = raw([
      [1, 2, 3, 10, 1, 1],
      [-1, 2, -3, 11, 1, 2],
      [-1, -2, -3, 12, 1, 3],
      [1, -2, 3, 13, 1, 4],
      [1, 2, -3, 99, 1, 5],
      [1, 2, 4, 99, 1, 6],
    ]);
    const found = observationsOf(data, rotationsOf(P21), [1, 2, 3]);
    expect(found.map((o) => [o.intensity, o.batch])).toEqual([
      [10, 1],
      [11, 2],
      [12, 3],
      [13, 4],
    ]);
    expect(observationsOf(data, rotationsOf(P21), [9, 9, 9])).toEqual([]);
  });
});
