import { describe, expect, it } from 'vitest';
import { smithForm, solveCongruence } from './integer.ts';
import { seededRandom } from './random.ts';

const { next: random } = seededRandom(11);
const whole = (most: number): number => Math.floor((2 * most + 1) * random()) - most;
const matrix = (rows: number, columns: number, most = 4): number[][] =>
  Array.from({ length: rows }, () => Array.from({ length: columns }, () => whole(most)));
const product = (a: readonly (readonly number[])[], b: readonly (readonly number[])[]): number[][] =>
  a.map((row) => b[0]!.map((_, j) => row.reduce((sum, x, k) => sum + x * b[k]![j]!, 0)));

/** By expansion; exact for small whole numbers. */
function determinant(m: readonly (readonly number[])[]): number {
  if (m.length === 1) return m[0]![0]!;
  const minor = (column: number): number[][] => m.slice(1).map((row) => row.filter((_, k) => k !== column));
  return m[0]!.reduce((sum, x, j) => sum + (j % 2 ? -1 : 1) * x * determinant(minor(j)), 0);
}

describe('the Smith form', () => {
  it.each([
    [1, 1],
    [2, 2],
    [3, 3],
    [4, 3],
    [3, 5],
    [6, 3],
  ])('of %i × %i matrices is U A V, diagonal, with U and V of determinant ±1', (rows, columns) => {
    for (let n = 0; n < 25; n++) {
      const a = matrix(rows, columns);
      const { u, d, v } = smithForm(a);
      const diagonal = product(product(u, a), v);
      diagonal.forEach((row, i) => row.forEach((x, j) => expect(x + 0).toBe(i === j ? d[i]! + 0 : 0)));
      expect(Math.abs(determinant(u))).toBe(1);
      expect(Math.abs(determinant(v))).toBe(1);
    }
  });

  it('keeps the size of the determinant', () => {
    for (let n = 0; n < 25; n++) {
      const a = matrix(3, 3);
      const size = smithForm(a).d.reduce((p, q) => p * q, 1);
      expect(Math.abs(size)).toBe(Math.abs(determinant(a)));
    }
  });

  it('of nothing is nothing', () => {
    const zero = [
      [0, 0],
      [0, 0],
    ];
    expect(smithForm(zero).d).toEqual([0, 0]);
  });
});

describe('congruences', () => {
  const meets = (a: number[][], x: readonly number[], b: readonly number[]): void =>
    a.forEach((row, i) => {
      const left = row.reduce((sum, f, j) => sum + f * x[j]!, 0) - b[i]!;
      expect(left - Math.round(left)).toBeCloseTo(0, 6);
    });

  it('are solved wherever a solution was planted', () => {
    for (let n = 0; n < 60; n++) {
      const a = matrix(2 + (n % 5), 3, 3);
      const planted = [whole(11) / 12, whole(7) / 8, whole(5) / 6];
      const b = a.map((row) => row.reduce((sum, f, j) => sum + f * planted[j]!, whole(3)));
      const x = solveCongruence(a, b);
      expect(x).toBeDefined();
      meets(a, x!, b);
    }
  });

  it('without a solution are told apart from those with one', () => {
    // 2x ≡ 0 and 4x ≡ 1/2 cannot both be.
    expect(solveCongruence([[2], [4]], [0, 0.5])).toBeUndefined();
    expect(solveCongruence([[2], [4]], [0.25, 0.5])).toBeDefined();
    expect(solveCongruence([[0, 0]], [0.5])).toBeUndefined();
    expect(solveCongruence([[0, 0]], [3])).toBeDefined();
  });
});
