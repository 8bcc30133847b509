import { describe, expect, it } from 'vitest';
import { fftPlan, goodLength, gridSize, halfLength, halfSize, RealFft3, transformColumns } from './fft.ts';
import { smithForm, solveCongruence } from './integer.ts';
import { choleskyInPlace, choleskyInverse, choleskySolve } from './linear.ts';
import { eigenSymmetric3, IDENTITY3, multiply3, toMat3, toVec3, transpose3, type Mat3 } from './matrix3.ts';
import { seededRandom } from './random.ts';
import { median } from './statistics.ts';

describe('the Fourier transform', () => {
  it.each([1, 2, 3, 4, 5, 6, 8, 9, 10, 12, 15, 16, 30, 45, 60])('of length %i agrees with the direct sum', (n) => {
    const random = seededRandom(n);
    const width = 3;
    const xr = Float64Array.from({ length: n * width }, () => random.normal()),
      xi = Float64Array.from({ length: n * width }, () => random.normal());
    const [ar, ai] = [xr.slice(), xi.slice()];
    const yr = new Float64Array(n * width),
      yi = new Float64Array(n * width);
    const moved = transformColumns(fftPlan(n), width, xr, xi, yr, yi);
    const [fr, fi] = moved ? [yr, yi] : [xr, xi];
    for (let q = 0; q < width; q++)
      for (let k = 0; k < n; k++) {
        let sr = 0,
          si = 0;
        for (let j = 0; j < n; j++) {
          const c = Math.cos((2 * Math.PI * j * k) / n),
            s = -Math.sin((2 * Math.PI * j * k) / n);
          sr += ar[j * width + q]! * c - ai[j * width + q]! * s;
          si += ar[j * width + q]! * s + ai[j * width + q]! * c;
        }
        expect(fr[k * width + q]).toBeCloseTo(sr, 9);
        expect(fi[k * width + q]).toBeCloseTo(si, 9);
      }
  });

  it('in three dimensions agrees with the direct sum and returns what it was given', () => {
    const grid = { nx: 10, ny: 9, nz: 4 };
    const random = seededRandom(5);
    const rho = Float64Array.from({ length: gridSize(grid) }, () => random.normal());
    const fft = new RealFft3(grid);
    const re = new Float64Array(halfSize(grid)),
      im = new Float64Array(halfSize(grid));
    fft.forward(rho, re, im);
    for (const [h, k, l] of [
      [0, 0, 0],
      [3, 2, 1],
      [5, 8, 3],
      [1, 0, 2],
    ] as const) {
      let sr = 0,
        si = 0;
      for (let z = 0; z < 4; z++)
        for (let y = 0; y < 9; y++)
          for (let x = 0; x < 10; x++) {
            const phase = -2 * Math.PI * ((h * x) / 10 + (k * y) / 9 + (l * z) / 4),
              v = rho[x + 10 * (y + 9 * z)]!;
            sr += v * Math.cos(phase);
            si += v * Math.sin(phase);
          }
      const at = h + halfLength(grid) * (k + 9 * l);
      expect(re[at]).toBeCloseTo(sr, 9);
      expect(im[at]).toBeCloseTo(si, 9);
    }
    const back = new Float64Array(gridSize(grid));
    fft.backward(re, im, back);
    back.forEach((v, i) => expect(v / gridSize(grid)).toBeCloseTo(rho[i]!, 10));
  });

  it('chooses and refuses lengths', () => {
    expect(goodLength(31)).toBe(32);
    expect(goodLength(97)).toBe(100);
    expect(() => fftPlan(7)).toThrow(/2, 3 and 5/);
    expect(() => new RealFft3({ nx: 9, ny: 9, nz: 9 })).toThrow(/even/);
  });
});

describe('vectors and matrices from arrays', () => {
  it('are the arrays, where they have as many numbers', () => {
    expect(toVec3([1, 2, 3])).toEqual([1, 2, 3]);
    expect(toVec3(Float64Array.of(1, 2, 3)).length).toBe(3);
    expect(multiply3(toMat3([1, 0, 0, 0, 1, 0, 0, 0, 1]), IDENTITY3)).toEqual(IDENTITY3);
  });

  it('are refused where they have not', () => {
    expect(() => toVec3([1, 2])).toThrow('three components, not 2');
    expect(() => toMat3(new Float64Array(6))).toThrow('nine entries, not 6');
  });
});

describe('linear algebra', () => {
  const n = 12;
  const random = seededRandom(3);
  const rows = Array.from({ length: 40 }, () => Float64Array.from({ length: n }, () => random.normal()));
  const matrix = new Float64Array(n * n);
  for (const r of rows) for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) matrix[i * n + j]! += r[i]! * r[j]!;

  it('solves and inverts positive-definite systems', () => {
    const x = Float64Array.from({ length: n }, (_, i) => i - 4);
    const b = Float64Array.from({ length: n }, (_, i) => x.reduce((s, v, j) => s + matrix[i * n + j]! * v, 0));
    const l = matrix.slice();
    expect(choleskyInPlace(l, n)).toEqual([]);
    choleskySolve(l, n, b).forEach((v, i) => expect(v).toBeCloseTo(x[i]!, 8));
    const inverse = choleskyInverse(l, n);
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) {
        let sum = 0;
        for (let k = 0; k < n; k++) sum += inverse[i * n + k]! * matrix[k * n + j]!;
        expect(sum).toBeCloseTo(i === j ? 1 : 0, 8);
      }
  });

  it('names the directions that are not determined and leaves them alone', () => {
    const singular = matrix.slice();
    // Row 5 a copy of row 2: their difference is free.
    for (let i = 0; i < n; i++) singular[5 * n + i] = singular[2 * n + i]!;
    for (let i = 0; i < n; i++) singular[i * n + 5] = singular[i * n + 2]!;
    const weak = choleskyInPlace(singular, n, 1e-9);
    expect(weak).toEqual([5]);
    expect(Math.abs(choleskySolve(singular, n, new Float64Array(n).fill(1))[5]!)).toBeLessThan(1e-100);
  });

  it('diagonalises symmetric 3×3 matrices', () => {
    const m: Mat3 = [4, 1, -2, 1, 3, 0.5, -2, 0.5, 6];
    const { values, vectors } = eigenSymmetric3(m);
    const v: Mat3 = toMat3([...vectors[0], ...vectors[1], ...vectors[2]]);
    const back = multiply3(transpose3(v), multiply3([values[0], 0, 0, 0, values[1], 0, 0, 0, values[2]], v));
    back.forEach((x, i) => expect(x).toBeCloseTo(m[i]!, 10));
    expect(values[0]).toBeLessThan(values[1]);
  });

  it('brings integer matrices to Smith form and solves congruences', () => {
    const a = [
      [2, 4, 4],
      [-6, 6, 12],
      [10, -4, -16],
    ];
    const { u, d, v } = smithForm(a);
    const times = (p: number[][], q: number[][]): number[][] =>
      p.map((row) => q[0]!.map((_, j) => row.reduce((s, x, k) => s + x * q[k]![j]!, 0)));
    expect(times(times(u, a), v)).toEqual(
      [
        [d[0], 0, 0],
        [0, d[1], 0],
        [0, 0, d[2]],
      ].map((r) => r.map((x) => x! + 0)),
    );
    const s = solveCongruence(
      [
        [2, 0, 0],
        [0, 2, 0],
        [0, 0, 0],
      ],
      [0.5, 0.25, 1],
    )!;
    expect([2 * s[0]! - 0.5, 2 * s[1]! - 0.25].every((x) => Math.abs(x - Math.round(x)) < 1e-9)).toBe(true);
    expect(solveCongruence([[0, 0, 0]], [0.5])).toBeUndefined();
  });
});

it('random numbers repeat with their seed and have the moments they should', () => {
  const a = seededRandom(9),
    b = seededRandom(9);
  const values = Array.from({ length: 20000 }, () => a.normal());
  expect(values.slice(0, 50)).toEqual(Array.from({ length: 50 }, () => b.normal()));
  const mean = values.reduce((p, q) => p + q, 0) / values.length;
  expect(Math.abs(mean)).toBeLessThan(0.03);
  expect(values.reduce((p, q) => p + q * q, 0) / values.length).toBeCloseTo(1, 1);
});

it('statistics of small sets', () => {
  expect(median([5, 1, 3])).toBe(3);
  expect(median([4, 1, 3, 2])).toBe(2.5);
  expect(median([])).toBeNaN();
});
