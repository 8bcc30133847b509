/** Normalised intensities and the statistics that tell centric from acentric (Wilson 1949; Howells, Phillips & Rogers 1950). */
import { inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { reflectionSymmetry, type SpaceGroup } from '../crystal/space-group.ts';

/**
 * E² of each reflection: F²/(ε Σ) with Σ a smooth function of resolution, interpolated between
 * shells of equal reciprocal volume. Absent reflections get NaN.
 */
export function normalizedIntensities(r: MergedReflections, cell: Cell, group: SpaceGroup): Float64Array {
  const g = reciprocalMetric(cell);
  const n = r.count;
  const s2 = new Float64Array(n),
    value = new Float64Array(n);
  const out = new Float64Array(n).fill(NaN);
  const used: number[] = [];
  for (let i = 0; i < n; i++) {
    const symmetry = reflectionSymmetry(group, r.h[i]!, r.k[i]!, r.l[i]!);
    s2[i] = inverseSpacing(g, r.h[i]!, r.k[i]!, r.l[i]!) ** 2 / 4;
    if (symmetry.absent) continue;
    value[i] = r.fsq[i]! / symmetry.epsilon;
    used.push(i);
  }
  used.sort((p, q) => s2[p]! - s2[q]!);
  const shells = Math.max(4, Math.min(40, Math.floor(used.length / 80)));
  const centre: number[] = [],
    mean: number[] = [];
  for (let b = 0; b < shells; b++) {
    const part = used.slice(Math.floor((b * used.length) / shells), Math.floor(((b + 1) * used.length) / shells));
    if (!part.length) continue;
    centre.push(part.reduce((t, i) => t + s2[i]!, 0) / part.length);
    mean.push(Math.max(1e-12, part.reduce((t, i) => t + value[i]!, 0) / part.length));
  }
  const floor = Math.max(...mean) * 1e-6;
  const log = mean.map((m) => Math.log(Math.max(m, floor)));
  for (const i of used) {
    let b = 0;
    while (b < centre.length - 2 && s2[i]! > centre[b + 1]!) b++;
    const f =
      centre.length > 1 ? Math.max(-0.5, Math.min(1.5, (s2[i]! - centre[b]!) / (centre[b + 1]! - centre[b]!))) : 0;
    out[i] = value[i]! / Math.exp(log[b]! + f * ((log[b + 1] ?? log[b]!) - log[b]!));
  }
  // One overall factor makes ⟨E²⟩ = 1 after the interpolation.
  const average = used.reduce((t, i) => t + out[i]!, 0) / Math.max(1, used.length);
  for (const i of used) out[i]! /= average;
  return out;
}

export interface IntensityReading {
  /** ⟨|E²−1|⟩ over general reflections: 0.968 centric, 0.736 acentric. */
  meanE2Minus1: number;
  /** Cumulative distribution N(z) at z = 0.1 … 1.0, observed. */
  nz: number[];
  reflections: number;
}

/** N(z) for acentric and centric crystals at z = 0.1 … 1.0. */
export const THEORETICAL_NZ = {
  acentric: Array.from({ length: 10 }, (_, i) => 1 - Math.exp(-(i + 1) / 10)),
  centric: Array.from({ length: 10 }, (_, i) => errorFunction(Math.sqrt((i + 1) / 20))),
};

/** erf(x), Abramowitz & Stegun 7.1.26, |error| < 1.5e−7. */
export function errorFunction(x: number): number {
  const t = 1 / (1 + 0.3275911 * Math.abs(x));
  const y =
    1 -
    ((((1.061405429 * t - 1.453152027) * t + 1.421413741) * t - 0.284496736) * t + 0.254829592) * t * Math.exp(-x * x);
  return x < 0 ? -y : y;
}

/** Statistics over reflections that are general in the point group and well enough measured to count. */
export function intensityReading(r: MergedReflections, e2: Float64Array, group: SpaceGroup): IntensityReading {
  let sum = 0,
    n = 0;
  const below = new Array<number>(10).fill(0);
  for (let i = 0; i < r.count; i++) {
    const z = e2[i]!;
    if (z !== z) continue;
    const symmetry = reflectionSymmetry(group, r.h[i]!, r.k[i]!, r.l[i]!);
    // Zones centric in every group of the class would blur the distinction.
    if (symmetry.epsilon > 1 || (!group.centric && symmetry.centric)) continue;
    sum += Math.abs(z - 1);
    n++;
    for (let b = 0; b < 10; b++) if (z <= (b + 1) / 10) below[b]!++;
  }
  return { meanE2Minus1: sum / Math.max(1, n), nz: below.map((x) => x / Math.max(1, n)), reflections: n };
}

export interface LTest {
  /** ⟨|L|⟩ and ⟨L²⟩ of neighbouring acentric reflections: 0.5 and 1/3 untwinned, 0.375 and 0.2 for a perfect twin. */
  readonly meanL: number;
  readonly meanL2: number;
  readonly pairs: number;
}

/** Neighbours even in every index, so that pseudo-centring does not enter. */
const NEIGHBOURS = [
  [2, 0, 0],
  [0, 2, 0],
  [0, 0, 2],
  [2, 2, 0],
  [2, -2, 0],
  [0, 2, 2],
  [0, 2, -2],
  [2, 0, 2],
  [2, 0, -2],
] as const;

/** Local statistics L = (I₁ − I₂)/(I₁ + I₂) of reflections near one another (Padilla & Yeates 2003, Acta Cryst. D59, 1124): weak against anisotropy and missing scale, strong against twinning. */
export function lTest(r: MergedReflections, group: SpaceGroup): LTest {
  const at = new Map<number, number>();
  const key = (h: number, k: number, l: number): number => ((l + 512) * 1024 + k + 512) * 1024 + h + 512;
  const useful = new Uint8Array(r.count);
  for (let i = 0; i < r.count; i++) {
    const s = reflectionSymmetry(group, r.h[i]!, r.k[i]!, r.l[i]!);
    if (s.absent || s.epsilon > 1 || (!group.centric && s.centric) || r.fsq[i]! < 2 * r.sigma[i]!) continue;
    useful[i] = 1;
    at.set(key(r.h[i]!, r.k[i]!, r.l[i]!), i);
  }
  let sum = 0,
    square = 0,
    pairs = 0;
  for (let i = 0; i < r.count; i++) {
    if (!useful[i]) continue;
    for (const [a, b, c] of NEIGHBOURS) {
      const j = at.get(key(r.h[i]! + a, r.k[i]! + b, r.l[i]! + c));
      if (j === undefined) continue;
      const l = (r.fsq[i]! - r.fsq[j]!) / (r.fsq[i]! + r.fsq[j]!);
      sum += Math.abs(l);
      square += l * l;
      pairs++;
    }
  }
  return { meanL: sum / Math.max(1, pairs), meanL2: square / Math.max(1, pairs), pairs };
}
