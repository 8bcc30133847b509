/** Fourier syntheses on a grid of the whole cell: ρ(x) = (1/V) Σ F(h) exp(−2πi h·x). */
import { goodLength, halfSize, RealFft3, gridSize, type Grid } from '../math/fft.ts';
import { cellVolume, inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';

export interface DensityMap {
  readonly grid: Grid;
  /** e Å⁻³, x fastest. */
  readonly values: Float64Array;
  readonly sigma: number;
}

/** Grid with spacing of at most `spacing` Å that also holds every index up to `limits`. */
export function gridFor(cell: Cell, spacing: number, limits: readonly [number, number, number] = [0, 0, 0]): Grid {
  const length = (edge: number, limit: number): number => goodLength(Math.max(edge / spacing, 2 * limit + 2));
  return { nx: length(cell.a, limits[0]), ny: length(cell.b, limits[1]), nz: length(cell.c, limits[2]) };
}

/**
 * Puts coefficients of unique reflections and all their symmetry mates into half-complex arrays for RealFft3.backward.
 * F(hR) = F(h) exp(−2πi h·t). The arrays hold the conjugate, which turns e^{+} into the e^{−} of the synthesis.
 */
export function spreadCoefficients(
  grid: Grid,
  group: SpaceGroup,
  hkl: { count: number; h: ArrayLike<number>; k: ArrayLike<number>; l: ArrayLike<number> },
  a: ArrayLike<number>,
  b: ArrayLike<number>,
  re: Float64Array,
  im: Float64Array,
): void {
  const { nx, ny, nz } = grid;
  const half = (nx >> 1) + 1;
  const put = (h: number, k: number, l: number, x: number, y: number): void => {
    if (h < 0 || 2 * h >= nx || 2 * Math.abs(k) >= ny || 2 * Math.abs(l) >= nz) return;
    const at = h + half * ((k < 0 ? k + ny : k) + ny * (l < 0 ? l + nz : l));
    re[at] = x;
    im[at] = y;
  };
  for (let i = 0; i < hkl.count; i++) {
    const h = hkl.h[i]!,
      k = hkl.k[i]!,
      l = hkl.l[i]!,
      ai = a[i]!,
      bi = b[i]!;
    for (const { r, t } of group.representatives) {
      const p = h * r[0] + k * r[3] + l * r[6],
        q = h * r[1] + k * r[4] + l * r[7],
        s = h * r[2] + k * r[5] + l * r[8];
      const phase = -2 * Math.PI * (h * t[0] + k * t[1] + l * t[2]);
      const c = Math.cos(phase),
        d = Math.sin(phase);
      const x = ai * c - bi * d,
        y = ai * d + bi * c;
      put(p, q, s, x, -y);
      put(-p, -q, -s, x, y);
    }
  }
}

/** Synthesis from unique coefficients A + iB (electrons); F(000) is left out unless given. */
export function synthesize(
  cell: Cell,
  group: SpaceGroup,
  grid: Grid,
  hkl: { count: number; h: ArrayLike<number>; k: ArrayLike<number>; l: ArrayLike<number> },
  a: ArrayLike<number>,
  b: ArrayLike<number>,
  f000 = 0,
): DensityMap {
  const size = halfSize(grid);
  const re = new Float64Array(size),
    im = new Float64Array(size);
  spreadCoefficients(grid, group, hkl, a, b, re, im);
  re[0] = f000;
  im[0] = 0;
  const values = new Float64Array(gridSize(grid));
  new RealFft3(grid).backward(re, im, values);
  const volume = cellVolume(cell);
  let sum = 0;
  for (let i = 0; i < values.length; i++) {
    values[i]! /= volume;
    sum += values[i]! ** 2;
  }
  return { grid, values, sigma: Math.sqrt(sum / values.length) };
}

/** Largest index along each axis and the shortest spacing of a reflection list. */
export function reach(
  cell: Cell,
  hkl: { count: number; h: ArrayLike<number>; k: ArrayLike<number>; l: ArrayLike<number> },
): { limits: [number, number, number]; dMin: number } {
  const g = reciprocalMetric(cell);
  const limits: [number, number, number] = [0, 0, 0];
  let top = 0;
  for (let i = 0; i < hkl.count; i++) {
    limits[0] = Math.max(limits[0], Math.abs(hkl.h[i]!));
    limits[1] = Math.max(limits[1], Math.abs(hkl.k[i]!));
    limits[2] = Math.max(limits[2], Math.abs(hkl.l[i]!));
    top = Math.max(top, inverseSpacing(g, hkl.h[i]!, hkl.k[i]!, hkl.l[i]!));
  }
  // Equivalents may swap axes, so the sphere decides rather than the asymmetric set.
  return { limits: [Math.floor(cell.a * top), Math.floor(cell.b * top), Math.floor(cell.c * top)], dMin: 1 / top };
}
