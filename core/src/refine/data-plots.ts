/** The numbers behind the plots that judge data and fit: every reflection with what it tells, and means in shells. */
import { inverseSpacing, reciprocalMetric } from '../crystal/cell.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import type { MergedReflections, RawReflections } from '../crystal/reflections.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import { canonicalIndex, flatRotations } from '../data/merge.ts';
import type { Structure } from '../crystal/structure.ts';
import type { CalculatedData } from './single-crystal-problem.ts';
import type { Weights } from '../crystal/experiment.ts';
import { weightOf } from './weights.ts';

export interface PlotData {
  /** Indices into the merged set. */
  readonly index: Int32Array;
  readonly h: Int16Array;
  readonly k: Int16Array;
  readonly l: Int16Array;
  readonly fo: Float32Array;
  readonly fc: Float32Array;
  /** Å. */
  readonly d: Float32Array;
  readonly iOverSigma: Float32Array;
  /** √w (Fo² − Fc²)/S. */
  readonly delta: Float32Array;
  /** Expected normal deviate of each reflection's rank. */
  readonly expected: Float32Array;
  readonly shells: readonly {
    readonly dMin: number;
    readonly count: number;
    readonly r1: number;
    readonly iOverSigma: number;
    readonly meanWeighted: number;
  }[];
  /** Mean wΔ² in ten bins of equal population by Fc. */
  readonly variance: readonly { readonly fc: number; readonly mean: number; readonly count: number }[];
}

/** Inverse of the normal distribution, to 5 in 10⁴: enough for a plot. */
function deviate(p: number): number {
  // Abramowitz & Stegun 26.2.23.
  const q = p < 0.5 ? p : 1 - p,
    t = Math.sqrt(-2 * Math.log(q));
  const x =
    t - (2.515517 + 0.802853 * t + 0.010328 * t * t) / (1 + 1.432788 * t + 0.189269 * t * t + 0.001308 * t ** 3);
  return p < 0.5 ? -x : x;
}

export function plotData(
  s: Structure,
  r: MergedReflections,
  data: CalculatedData,
  weights: Weights,
  goodness: number,
): PlotData {
  const n = data.used.length,
    g = reciprocalMetric(s.cell);
  const out = {
    index: data.used,
    h: new Int16Array(n),
    k: new Int16Array(n),
    l: new Int16Array(n),
    fo: new Float32Array(n),
    fc: new Float32Array(n),
    d: new Float32Array(n),
    iOverSigma: new Float32Array(n),
    delta: new Float32Array(n),
    expected: new Float32Array(n),
  };
  const w2 = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const u = data.used[i]!;
    out.h[i] = r.h[u]!;
    out.k[i] = r.k[u]!;
    out.l[i] = r.l[u]!;
    out.fo[i] = Math.sqrt(Math.max(0, data.fo2[i]!));
    out.fc[i] = Math.sqrt(data.fc2[i]!);
    out.d[i] = 1 / inverseSpacing(g, r.h[u]!, r.k[u]!, r.l[u]!);
    out.iOverSigma[i] = data.fo2[i]! / data.sigma[i]!;
    const w = weightOf(weights, data.fo2[i]!, data.fc2[i]!, data.sigma[i]!);
    out.delta[i] = (Math.sqrt(w) * (data.fo2[i]! - data.fc2[i]!)) / (goodness || 1);
    w2[i] = w * (data.fo2[i]! - data.fc2[i]!) ** 2;
  }
  const rank = Array.from({ length: n }, (_, i) => i).sort((a, b) => out.delta[a]! - out.delta[b]!);
  rank.forEach((i, k) => (out.expected[i] = deviate((k + 0.5) / n)));
  const byD = Array.from({ length: n }, (_, i) => i).sort((a, b) => out.d[b]! - out.d[a]!);
  const bins = Math.max(4, Math.min(16, Math.floor(n / 120)));
  const shells = Array.from({ length: bins }, (_, b) => {
    const part = byD.slice(Math.floor((b * n) / bins), Math.floor(((b + 1) * n) / bins));
    const seen = part.filter((i) => out.iOverSigma[i]! > 2);
    const top = seen.reduce((t, i) => t + Math.abs(out.fo[i]! - out.fc[i]!), 0),
      bottom = seen.reduce((t, i) => t + out.fo[i]!, 0);
    return {
      dMin: out.d[part.at(-1)!]!,
      count: part.length,
      r1: bottom ? top / bottom : NaN,
      iOverSigma: part.reduce((t, i) => t + out.iOverSigma[i]!, 0) / part.length,
      meanWeighted: part.reduce((t, i) => t + w2[i]!, 0) / part.length,
    };
  });
  const byF = Array.from({ length: n }, (_, i) => i).sort((a, b) => out.fc[a]! - out.fc[b]!);
  const variance = Array.from({ length: 10 }, (_, b) => {
    const part = byF.slice(Math.floor((b * n) / 10), Math.floor(((b + 1) * n) / 10));
    return {
      fc: part.length ? out.fc[part.at(-1)!]! : 0,
      mean: part.reduce((t, i) => t + w2[i]!, 0) / Math.max(1, part.length),
      count: part.length,
    };
  });
  return { ...out, shells, variance };
}

/** Scale of each batch of raw intensities against the model: Σ I·Ic / Σ Ic², relative to all. Empty where the data carry no batches. */
export function batchScales(
  raw: RawReflections,
  group: SpaceGroup,
  r: MergedReflections,
  data: CalculatedData,
): { batch: number; scale: number; count: number }[] {
  if (!raw.batch) return [];
  const flat = flatRotations(rotationsOf(group));
  const calculated = new Map<number, number>();
  for (let i = 0; i < data.used.length; i++) {
    const u = data.used[i]!;
    calculated.set(canonicalIndex(flat, r.h[u]!, r.k[u]!, r.l[u]!), data.fc2[i]!);
  }
  const sums = new Map<number, { top: number; bottom: number; count: number }>();
  let top = 0,
    bottom = 0;
  for (let i = 0; i < raw.count; i++) {
    const c = calculated.get(canonicalIndex(flat, raw.h[i]!, raw.k[i]!, raw.l[i]!));
    if (c === undefined) continue;
    const b = sums.get(raw.batch[i]!) ?? { top: 0, bottom: 0, count: 0 };
    b.top += raw.intensity[i]! * c;
    b.bottom += c * c;
    b.count++;
    top += raw.intensity[i]! * c;
    bottom += c * c;
    sums.set(raw.batch[i]!, b);
  }
  const overall = top / (bottom || 1);
  return [...sums]
    .sort((p, q) => p[0] - q[0])
    .map(([batch, b]) => ({ batch, scale: b.top / (b.bottom || 1) / overall, count: b.count }));
}
