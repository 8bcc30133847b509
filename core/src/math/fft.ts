/**
 * Fast Fourier transforms of mixed radix 2, 3, 4, 5 in Stockham's self-sorting form
 * (Cochran et al. 1967; Swarztrauber 1984), on split real and imaginary arrays.
 * Each pass transforms a whole bundle of interleaved columns, which is what a
 * three-dimensional transform needs and keeps memory access contiguous.
 */
interface Stage {
  radix: number;
  /** Length before the stage divided by the radix. */
  m: number;
  /** cos and sin of −2π p k / n for k = 1 … radix − 1, p = 0 … m − 1; index p·(radix−1) + k − 1. */
  cos: Float64Array;
  sin: Float64Array;
}

export interface FftPlan {
  n: number;
  stages: Stage[];
}

const plans = new Map<number, FftPlan>();

/** Plan for length n; throws RangeError unless n = 2^a 3^b 5^c. */
export function fftPlan(n: number): FftPlan {
  const known = plans.get(n);
  if (known) return known;
  const stages: Stage[] = [];
  let rest = n;
  for (const radix of [4, 2, 3, 5]) {
    while (rest % radix === 0 && rest > 1) {
      const m = rest / radix;
      const cos = new Float64Array(m * (radix - 1));
      const sin = new Float64Array(m * (radix - 1));
      for (let p = 0; p < m; p++)
        for (let k = 1; k < radix; k++) {
          cos[p * (radix - 1) + k - 1] = Math.cos((2 * Math.PI * p * k) / rest);
          sin[p * (radix - 1) + k - 1] = -Math.sin((2 * Math.PI * p * k) / rest);
        }
      stages.push({ radix, m, cos, sin });
      rest = m;
    }
  }
  if (rest !== 1 || n < 1 || !Number.isInteger(n))
    throw new RangeError(`A transform length must be a product of 2, 3 and 5; ${n} is not.`);
  const plan = { n, stages };
  plans.set(n, plan);
  return plan;
}

/** Smallest even length ≥ n that the transform handles. */
export function goodLength(n: number): number {
  for (let candidate = Math.max(2, Math.ceil(n / 2) * 2); ; candidate += 2) {
    let rest = candidate;
    for (const prime of [2, 3, 5]) while (rest % prime === 0) rest /= prime;
    if (rest === 1) return candidate;
  }
}

const C3 = Math.sqrt(3) / 2;
const C51 = Math.cos((2 * Math.PI) / 5),
  C52 = Math.cos((4 * Math.PI) / 5);
const S51 = Math.sin((2 * Math.PI) / 5),
  S52 = Math.sin((4 * Math.PI) / 5);

/**
 * Forward transform (e^{−2πi}) of `width` interleaved columns: element j of column q stands at j·width + q.
 * xr, xi hold the input and yr, yi are work space; returns true when the result ended in y.
 * Swap the real and imaginary arrays for the backward transform.
 */
export function transformColumns(
  plan: FftPlan,
  width: number,
  xr: Float64Array,
  xi: Float64Array,
  yr: Float64Array,
  yi: Float64Array,
): boolean {
  let ar = xr,
    ai = xi,
    br = yr,
    bi = yi;
  let s = width;
  for (const { radix, m, cos, sin } of plan.stages) {
    const sm = s * m;
    for (let p = 0; p < m; p++) {
      const from = s * p,
        to = s * radix * p;
      if (radix === 4) {
        const c1 = cos[3 * p]!,
          s1 = sin[3 * p]!,
          c2 = cos[3 * p + 1]!,
          s2 = sin[3 * p + 1]!,
          c3 = cos[3 * p + 2]!,
          s3 = sin[3 * p + 2]!;
        for (let q = 0; q < s; q++) {
          const i0 = from + q,
            i1 = i0 + sm,
            i2 = i1 + sm,
            i3 = i2 + sm;
          const r0 = ar[i0]! + ar[i2]!,
            m0 = ai[i0]! + ai[i2]!,
            r1 = ar[i0]! - ar[i2]!,
            m1 = ai[i0]! - ai[i2]!;
          const r2 = ar[i1]! + ar[i3]!,
            m2 = ai[i1]! + ai[i3]!,
            r3 = ar[i1]! - ar[i3]!,
            m3 = ai[i1]! - ai[i3]!;
          const o = to + q;
          br[o] = r0 + r2;
          bi[o] = m0 + m2;
          let tr = r1 + m3,
            ti = m1 - r3;
          br[o + s] = tr * c1 - ti * s1;
          bi[o + s] = tr * s1 + ti * c1;
          tr = r0 - r2;
          ti = m0 - m2;
          br[o + 2 * s] = tr * c2 - ti * s2;
          bi[o + 2 * s] = tr * s2 + ti * c2;
          tr = r1 - m3;
          ti = m1 + r3;
          br[o + 3 * s] = tr * c3 - ti * s3;
          bi[o + 3 * s] = tr * s3 + ti * c3;
        }
      } else if (radix === 2) {
        const c1 = cos[p]!,
          s1 = sin[p]!;
        for (let q = 0; q < s; q++) {
          const i0 = from + q,
            i1 = i0 + sm,
            o = to + q;
          br[o] = ar[i0]! + ar[i1]!;
          bi[o] = ai[i0]! + ai[i1]!;
          const tr = ar[i0]! - ar[i1]!,
            ti = ai[i0]! - ai[i1]!;
          br[o + s] = tr * c1 - ti * s1;
          bi[o + s] = tr * s1 + ti * c1;
        }
      } else if (radix === 3) {
        const c1 = cos[2 * p]!,
          s1 = sin[2 * p]!,
          c2 = cos[2 * p + 1]!,
          s2 = sin[2 * p + 1]!;
        for (let q = 0; q < s; q++) {
          const i0 = from + q,
            i1 = i0 + sm,
            i2 = i1 + sm,
            o = to + q;
          const sr = ar[i1]! + ar[i2]!,
            si = ai[i1]! + ai[i2]!;
          const dr = C3 * (ar[i1]! - ar[i2]!),
            di = C3 * (ai[i1]! - ai[i2]!);
          const hr = ar[i0]! - 0.5 * sr,
            hi = ai[i0]! - 0.5 * si;
          br[o] = ar[i0]! + sr;
          bi[o] = ai[i0]! + si;
          let tr = hr + di,
            ti = hi - dr;
          br[o + s] = tr * c1 - ti * s1;
          bi[o + s] = tr * s1 + ti * c1;
          tr = hr - di;
          ti = hi + dr;
          br[o + 2 * s] = tr * c2 - ti * s2;
          bi[o + 2 * s] = tr * s2 + ti * c2;
        }
      } else {
        for (let q = 0; q < s; q++) {
          const i0 = from + q,
            i1 = i0 + sm,
            i2 = i1 + sm,
            i3 = i2 + sm,
            i4 = i3 + sm,
            o = to + q;
          const pr = ar[i1]! + ar[i4]!,
            pi = ai[i1]! + ai[i4]!,
            qr = ar[i2]! + ar[i3]!,
            qi = ai[i2]! + ai[i3]!;
          const ur = ar[i1]! - ar[i4]!,
            ui = ai[i1]! - ai[i4]!,
            vr = ar[i2]! - ar[i3]!,
            vi = ai[i2]! - ai[i3]!;
          const x1r = ar[i0]! + C51 * pr + C52 * qr,
            x1i = ai[i0]! + C51 * pi + C52 * qi;
          const x2r = ar[i0]! + C52 * pr + C51 * qr,
            x2i = ai[i0]! + C52 * pi + C51 * qi;
          const y1r = S51 * ur + S52 * vr,
            y1i = S51 * ui + S52 * vi;
          const y2r = S52 * ur - S51 * vr,
            y2i = S52 * ui - S51 * vi;
          br[o] = ar[i0]! + pr + qr;
          bi[o] = ai[i0]! + pi + qi;
          const zr = [x1r + y1i, x2r + y2i, x2r - y2i, x1r - y1i],
            zi = [x1i - y1r, x2i - y2r, x2i + y2r, x1i + y1r];
          for (let k = 0; k < 4; k++) {
            const c = cos[4 * p + k]!,
              w = sin[4 * p + k]!;
            br[o + (k + 1) * s] = zr[k]! * c - zi[k]! * w;
            bi[o + (k + 1) * s] = zr[k]! * w + zi[k]! * c;
          }
        }
      }
    }
    s *= radix;
    const tr = ar,
      ti = ai;
    ar = br;
    ai = bi;
    br = tr;
    bi = ti;
  }
  return ar !== xr;
}

/** Real three-dimensional grid, x fastest: value at (x, y, z) stands at x + nx·(y + ny·z). */
export interface Grid {
  nx: number;
  ny: number;
  nz: number;
}

export const gridSize = (g: Grid): number => g.nx * g.ny * g.nz;
/** Length of the x axis of the half-complex transform. */
export const halfLength = (g: Grid): number => (g.nx >> 1) + 1;
export const halfSize = (g: Grid): number => halfLength(g) * g.ny * g.nz;

/** Columns moved together in the y and z passes: two work buffers of this width stay in the first-level cache. */
const BUNDLE = 16;

/** Work space and plans for transforms of one grid; reuse it between calls. */
export class RealFft3 {
  readonly half: number;
  private readonly w: Float64Array[];

  constructor(readonly grid: Grid) {
    this.half = halfLength(grid);
    if (grid.nx % 2) throw new RangeError('The x axis of a real transform must have an even number of points.');
    const longest = Math.max(grid.nx, grid.ny, grid.nz);
    this.w = [0, 1, 2, 3].map(() => new Float64Array(longest * BUNDLE));
  }

  /** F(h,k,l) = Σ ρ(x,y,z) e^{−2πi(hx/nx + ky/ny + lz/nz)} for h = 0 … nx/2; re and im have halfSize elements. */
  forward(rho: Float64Array, re: Float64Array, im: Float64Array): void {
    const { nx, ny, nz } = this.grid;
    const half = this.half;
    const plan = fftPlan(nx);
    const [ur, ui, vr, vi] = this.w as [Float64Array, Float64Array, Float64Array, Float64Array];
    const rows = ny * nz;
    // Two real rows make one complex row; BUNDLE complex rows go through together.
    for (let row = 0; row < rows; row += 2 * BUNDLE) {
      const width = Math.min(BUNDLE, (rows - row + 1) >> 1);
      for (let q = 0; q < width; q++) {
        const even = (row + 2 * q) * nx,
          odd = row + 2 * q + 1 < rows ? even + nx : -1;
        for (let x = 0; x < nx; x++) {
          ur[x * width + q] = rho[even + x]!;
          ui[x * width + q] = odd < 0 ? 0 : rho[odd + x]!;
        }
      }
      const moved = transformColumns(plan, width, ur, ui, vr, vi);
      const fr = moved ? vr : ur,
        fi = moved ? vi : ui;
      for (let q = 0; q < width; q++) {
        const even = (row + 2 * q) * half,
          odd = row + 2 * q + 1 < rows ? even + half : -1;
        for (let h = 0; h < half; h++) {
          const i = h * width + q,
            j = ((nx - h) % nx) * width + q;
          re[even + h] = 0.5 * (fr[i]! + fr[j]!);
          im[even + h] = 0.5 * (fi[i]! - fi[j]!);
          if (odd >= 0) {
            re[odd + h] = 0.5 * (fi[i]! + fi[j]!);
            im[odd + h] = 0.5 * (fr[j]! - fr[i]!);
          }
        }
      }
    }
    for (let z = 0; z < nz; z++) this.strided(ny, half, z * half * ny, half, re, im);
    this.strided(nz, half * ny, 0, half * ny, re, im);
  }

  /** ρ(x,y,z) = Σ F(h,k,l) e^{+2πi…} over the whole of reciprocal space, unscaled; re and im are overwritten. */
  backward(re: Float64Array, im: Float64Array, rho: Float64Array): void {
    const { nx, ny, nz } = this.grid;
    const half = this.half;
    // Exchanging real and imaginary parts turns the forward passes into backward ones.
    this.strided(nz, half * ny, 0, half * ny, im, re);
    for (let z = 0; z < nz; z++) this.strided(ny, half, z * half * ny, half, im, re);
    const plan = fftPlan(nx);
    const [ur, ui, vr, vi] = this.w as [Float64Array, Float64Array, Float64Array, Float64Array];
    const rows = ny * nz;
    for (let row = 0; row < rows; row += 2 * BUNDLE) {
      const width = Math.min(BUNDLE, (rows - row + 1) >> 1);
      for (let q = 0; q < width; q++) {
        const even = (row + 2 * q) * half,
          odd = row + 2 * q + 1 < rows ? even + half : -1;
        for (let h = 0; h < half; h++) {
          const ar = re[even + h]!,
            ai = im[even + h]!;
          const br = odd < 0 ? 0 : re[odd + h]!,
            bi = odd < 0 ? 0 : im[odd + h]!;
          const i = h * width + q;
          ur[i] = ar - bi;
          ui[i] = ai + br;
          if (h > 0 && h < nx - h) {
            const j = (nx - h) * width + q;
            ur[j] = ar + bi;
            ui[j] = br - ai;
          }
        }
      }
      const moved = transformColumns(plan, width, ui, ur, vi, vr);
      const fr = moved ? vr : ur,
        fi = moved ? vi : ui;
      for (let q = 0; q < width; q++) {
        const even = (row + 2 * q) * nx,
          odd = row + 2 * q + 1 < rows ? even + nx : -1;
        for (let x = 0; x < nx; x++) {
          rho[even + x] = fr[x * width + q]!;
          if (odd >= 0) rho[odd + x] = fi[x * width + q]!;
        }
      }
    }
  }

  /** Complex transforms of length n with element stride `step`, for `columns` adjacent starting points. */
  private strided(n: number, columns: number, offset: number, step: number, re: Float64Array, im: Float64Array): void {
    if (n === 1) return;
    const plan = fftPlan(n);
    const [ur, ui, vr, vi] = this.w as [Float64Array, Float64Array, Float64Array, Float64Array];
    for (let first = 0; first < columns; first += BUNDLE) {
      const width = Math.min(BUNDLE, columns - first);
      const base = offset + first;
      for (let j = 0; j < n; j++) {
        const source = base + j * step,
          target = j * width;
        for (let q = 0; q < width; q++) {
          ur[target + q] = re[source + q]!;
          ui[target + q] = im[source + q]!;
        }
      }
      const moved = transformColumns(plan, width, ur, ui, vr, vi);
      const fr = moved ? vr : ur,
        fi = moved ? vi : ui;
      for (let j = 0; j < n; j++) {
        const target = base + j * step,
          source = j * width;
        for (let q = 0; q < width; q++) {
          re[target + q] = fr[source + q]!;
          im[target + q] = fi[source + q]!;
        }
      }
    }
  }
}
