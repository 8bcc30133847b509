/**
 * Charge flipping in P1 (Oszlányi & Sütő 2004, Acta Cryst. A60, 134) on normalised amplitudes, with the π/2 treatment of
 * weak reflections (2005, A61, 147) and the threshold tied to the deviation of the map (2008, A64, 123).
 */
import { gridSize, halfLength, halfSize, RealFft3 } from '../math/fft.ts';
import { seededRandom } from '../math/random.ts';
import type { TaskContext } from '../task-context.ts';
import type { PhasingData } from './expand.ts';

export interface FlippingReport {
  seed: number;
  iteration: number;
  /** Σ||E|−|G||/Σ|E| over the strong reflections. */
  r: number;
  /** Correlation of |E| and |G| over the weak reflections, whose amplitudes the iteration never sees. */
  weakCorrelation: number;
  /** Skewness of the density. */
  skewness: number;
}

export interface FlippingResult {
  seed: number;
  iterations: number;
  converged: boolean;
  skewness: number;
  /** Phases in radians, in the order of the phasing data. */
  phases: Float32Array;
}

export interface FlippingOptions {
  maxIterations: number;
  /** Flipping threshold in units of the map's deviation. */
  threshold?: number;
  /** Fraction of reflections taken as weak. */
  weak?: number;
  /** Looks at the phases every 30 iterations and says whether they are a solution. */
  test?: (phases: Float32Array, skewness: number) => boolean;
  /** Starting phases; random when absent. */
  start?: Float32Array;
}

/** Runs one seed until the density stands out or the iterations are used up. */
export async function chargeFlip(
  data: PhasingData,
  seed: number,
  options: FlippingOptions,
  context: TaskContext<FlippingReport>,
): Promise<FlippingResult> {
  const random = seededRandom(seed * 7919 + 13);
  const { grid } = data;
  const n = data.h.length;
  const fft = new RealFft3(grid);
  const half = halfLength(grid);
  const re = new Float64Array(halfSize(grid)),
    im = new Float64Array(halfSize(grid));
  const rho = new Float64Array(gridSize(grid));
  const points = rho.length;
  const { ny, nz } = grid;
  // Where each reflection stands in the half-complex arrays; on the planes h = 0 its mate stands there too.
  const at = new Int32Array(n),
    mate = new Int32Array(n).fill(-1);
  for (let i = 0; i < n; i++) {
    const h = data.h[i]!,
      k = data.k[i]!,
      l = data.l[i]!;
    at[i] = h + half * (((k + ny) % ny) + ny * ((l + nz) % nz));
    if (h === 0) mate[i] = half * (((ny - k) % ny) + ny * ((nz - l) % nz));
  }
  const weakFrom = Math.floor(n * (1 - (options.weak ?? 0.18)));
  const threshold = options.threshold ?? 1.14 + 0.07 * random.next();
  const E = data.amplitude;
  const cos = new Float64Array(n),
    sin = new Float64Array(n),
    size = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const phase = options.start ? options.start[i]! : 2 * Math.PI * random.next();
    cos[i] = Math.cos(phase);
    sin[i] = Math.sin(phase);
    size[i] = E[i]!;
  }
  let f000 = 0;
  let converged = false,
    iteration = 0,
    r = 1,
    weakCorrelation = 0,
    skewness = 0;
  for (iteration = 1; iteration <= options.maxIterations; iteration++) {
    re.fill(0);
    im.fill(0);
    re[0] = f000;
    for (let i = 0; i < n; i++) {
      const x = size[i]! * cos[i]!,
        y = size[i]! * sin[i]!;
      re[at[i]!] = x;
      im[at[i]!] = -y;
      if (mate[i]! >= 0) {
        re[mate[i]!] = x;
        im[mate[i]!] = y;
      }
    }
    fft.backward(re, im, rho);
    let s1 = 0,
      s2 = 0;
    for (let p = 0; p < points; p++) {
      const v = rho[p]!;
      s1 += v;
      s2 += v * v;
    }
    const mean = s1 / points,
      deviation = Math.sqrt(Math.max(0, s2 / points - mean * mean));
    const delta = threshold * deviation;
    let s3 = 0;
    for (let p = 0; p < points; p++) {
      const v = rho[p]!,
        d = (v - mean) / deviation;
      s3 += d * d * d;
      if (v < delta) rho[p] = -v;
    }
    skewness = s3 / points;
    fft.forward(rho, re, im);
    f000 = re[0]! / points;
    let top = 0,
      bottom = 0;
    for (let i = 0; i < weakFrom; i++) {
      const a = re[at[i]!]! / points,
        b = im[at[i]!]! / points;
      const g = Math.sqrt(a * a + b * b) || 1e-12;
      cos[i] = a / g;
      sin[i] = b / g;
      size[i] = E[i]!;
      top += Math.abs(E[i]! - g);
      bottom += E[i]!;
    }
    let wx = 0,
      wy = 0,
      wxx = 0,
      wyy = 0,
      wxy = 0;
    for (let i = weakFrom; i < n; i++) {
      const a = re[at[i]!]! / points,
        b = im[at[i]!]! / points;
      const g = Math.sqrt(a * a + b * b) || 1e-12;
      // A quarter turn, amplitude kept: the perturbation that lets the iteration leave a trap.
      cos[i] = -b / g;
      sin[i] = a / g;
      size[i] = g;
      wx += g;
      wy += E[i]!;
      wxx += g * g;
      wyy += E[i]! * E[i]!;
      wxy += g * E[i]!;
    }
    r = top / bottom;
    const w = n - weakFrom;
    weakCorrelation = (w * wxy - wx * wy) / Math.sqrt(Math.max(1e-30, (w * wxx - wx * wx) * (w * wyy - wy * wy)));
    if (iteration % 10 === 0) {
      context.progress({ seed, iteration, r, weakCorrelation, skewness });
      await context.breath();
    }
    // The symmetry hidden in the phases is the surest sign of a solution, and cheap to look for.
    if (options.test && iteration >= 60 && iteration % 30 === 0 && options.test(phasesOf(re, im, at), skewness)) {
      converged = true;
      break;
    }
  }
  return {
    seed,
    iterations: Math.min(iteration, options.maxIterations),
    converged,
    skewness,
    phases: phasesOf(re, im, at),
  };
}

/** The forward transform yields Σρ e^{−}, the conjugate of F. */
function phasesOf(re: Float64Array, im: Float64Array, at: Int32Array): Float32Array {
  return Float32Array.from(at, (p) => Math.atan2(-im[p]!, re[p]!));
}
