/** Merging of equivalent observations with outlier rejection, and the figures that judge it. */
import type { Mat3 } from '../math/matrix3.ts';
import { cellVolume, inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import type { MergedReflections, RawReflections } from '../crystal/reflections.ts';
import { median } from '../math/statistics.ts';

const SPAN = 65536,
  HALF = 32768;
const packIndex = (h: number, k: number, l: number): number => ((l + HALF) * SPAN + (k + HALF)) * SPAN + (h + HALF);

/** The representative of a set of equivalent indices: the one whose packed value (l, then k, then h) is largest. */
export function canonicalIndex(flat: Int32Array, h: number, k: number, l: number): number {
  let best = -1;
  for (let o = 0; o < flat.length; o += 9) {
    const p = h * flat[o]! + k * flat[o + 3]! + l * flat[o + 6]!;
    const q = h * flat[o + 1]! + k * flat[o + 4]! + l * flat[o + 7]!;
    const s = h * flat[o + 2]! + k * flat[o + 5]! + l * flat[o + 8]!;
    const key = packIndex(p, q, s);
    if (key > best) best = key;
  }
  return best;
}

export const unpackIndex = (key: number): [number, number, number] => {
  const h = key % SPAN,
    rest = (key - h) / SPAN,
    k = rest % SPAN;
  return [h - HALF, k - HALF, (rest - k) / SPAN - HALF];
};

export const flatRotations = (rotations: readonly Mat3[]): Int32Array => Int32Array.from(rotations.flat());

/** Numbers keys 0, 1, 2 … in order of first appearance by open addressing: linear in the number of observations. */
export class IndexNumbering {
  private table: Int32Array;
  private mask: number;
  keys: Float64Array;
  count = 0;

  constructor(expected: number) {
    let size = 1024;
    while (size < 2 * expected) size *= 2;
    this.table = new Int32Array(size).fill(-1);
    this.mask = size - 1;
    this.keys = new Float64Array(Math.max(16, expected));
  }

  private slot(key: number): number {
    // The low and high halves of the packed key are mixed by odd multipliers.
    let x = Math.imul((key % 4294967296) | 0, 0x9e3779b1) ^ Math.imul((key / 4294967296) | 0, 0x85ebca6b);
    x = (x ^ (x >>> 15)) & this.mask;
    while (this.table[x]! >= 0 && this.keys[this.table[x]!] !== key) x = (x + 1) & this.mask;
    return x;
  }

  /** Number of the key, entering it when new; at most `expected` keys may be entered. */
  enter(key: number): number {
    const x = this.slot(key);
    if (this.table[x]! < 0) {
      this.table[x] = this.count;
      this.keys[this.count++] = key;
    }
    return this.table[x]!;
  }

  /** Number of the key or −1. */
  find(key: number): number {
    return this.table[this.slot(key)]!;
  }
}

export interface ResolutionShell {
  dMax: number;
  dMin: number;
  measured: number;
  unique: number;
  possible: number;
  completeness: number;
  meanIOverSigma: number;
  rInt: number;
  rMeas: number;
  ccHalf: number;
}

export interface MergeStatistics {
  measured: number;
  unique: number;
  rejected: number;
  /** Observations left out because the space group forbids them. */
  absent: number;
  rInt: number;
  rMeas: number;
  rSigma: number;
  ccHalf: number;
  redundancy: number;
  completeness: number;
  dMin: number;
  dMax: number;
  meanIOverSigma: number;
  shells: ResolutionShell[];
}

export interface MergeResult {
  reflections: MergedReflections;
  statistics: MergeStatistics;
  /** Rejected observations, strongest deviation first, at most 200. */
  outliers: { h: number; k: number; l: number; intensity: number; sigma: number; mean: number; deviation: number }[];
}

export interface MergeOptions {
  /** Deviation from the median, in s.u., beyond which an observation among three or more is rejected. */
  rejectAbove?: number;
  /** Left out of the result when it returns true. */
  isAbsent?: (h: number, k: number, l: number) => boolean;
  shells?: number;
  progress?: (fraction: number) => void;
}

/**
 * Merges observations under the rotations of a point or Laue group.
 * R_int = Σ|I−Ī|/ΣI and R_meas (Diederichs & Karplus 1997) over sets of two or more, CC½ (Karplus & Diederichs 2012)
 * between alternate halves, R_σ = Σσ/ΣĪ. Merged σ is the larger of the propagated and the observed one.
 */
export function mergeReflections(
  raw: RawReflections,
  cell: Cell,
  rotations: readonly Mat3[],
  options: MergeOptions = {},
): MergeResult {
  const limit = options.rejectAbove ?? 6;
  const flat = flatRotations(rotations);
  const n = raw.count;
  const numbering = new IndexNumbering(n);
  const member = new Int32Array(n);
  let absent = 0;
  for (let i = 0; i < n; i++) {
    const h = raw.h[i]!,
      k = raw.k[i]!,
      l = raw.l[i]!;
    if (!(raw.sigma[i]! > 0) || options.isAbsent?.(h, k, l)) {
      member[i] = -1;
      absent++;
      continue;
    }
    member[i] = numbering.enter(canonicalIndex(flat, h, k, l));
    if (options.progress && i % 50000 === 0) options.progress((0.6 * i) / n);
  }
  const unique = numbering.count;
  // Counting sort of observations by unique reflection.
  const start = new Int32Array(unique + 1);
  for (let i = 0; i < n; i++) if (member[i]! >= 0) start[member[i]! + 1]!++;
  for (let u = 0; u < unique; u++) start[u + 1]! += start[u]!;
  const order = new Int32Array(start[unique]!);
  const fill = start.slice();
  for (let i = 0; i < n; i++) if (member[i]! >= 0) order[fill[member[i]!]!++] = i;

  const gStar = reciprocalMetric(cell);
  const h = new Int16Array(unique),
    k = new Int16Array(unique),
    l = new Int16Array(unique);
  const fsq = new Float64Array(unique),
    sigma = new Float64Array(unique),
    invD = new Float64Array(unique);
  const multiplicity = new Uint16Array(unique);
  const scatter = new Float64Array(unique),
    scatterMeas = new Float64Array(unique),
    total = new Float64Array(unique);
  const halfA = new Float64Array(unique).fill(NaN),
    halfB = new Float64Array(unique).fill(NaN);
  const outliers: MergeResult['outliers'] = [];
  let rejected = 0;
  const values: number[] = [];
  for (let u = 0; u < unique; u++) {
    const from = start[u]!,
      to = start[u + 1]!;
    [h[u], k[u], l[u]] = unpackIndex(numbering.keys[u]!);
    invD[u] = inverseSpacing(gStar, h[u]!, k[u]!, l[u]!);
    let middle = NaN;
    if (to - from >= 3) {
      values.length = 0;
      for (let j = from; j < to; j++) values.push(raw.intensity[order[j]!]!);
      middle = median(values);
    }
    let sw = 0,
      swi = 0,
      accepted = 0,
      aw = 0,
      ai = 0,
      bw = 0,
      bi = 0;
    for (let j = from; j < to; j++) {
      const i = order[j]!,
        x = raw.intensity[i]!,
        s = raw.sigma[i]!;
      if (middle === middle) {
        // A few per cent of the intensity guard against σ that forget systematic error.
        const deviation = Math.abs(x - middle) / Math.sqrt(s * s + (0.03 * middle) ** 2);
        if (deviation > limit) {
          rejected++;
          if (outliers.length < 2000)
            outliers.push({
              h: raw.h[i]!,
              k: raw.k[i]!,
              l: raw.l[i]!,
              intensity: x,
              sigma: s,
              mean: middle,
              deviation,
            });
          order[j] = -1;
          continue;
        }
      }
      const w = 1 / (s * s);
      sw += w;
      swi += w * x;
      if (accepted++ % 2 === 0) {
        aw += w;
        ai += w * x;
      } else {
        bw += w;
        bi += w * x;
      }
    }
    if (!accepted) {
      // All observations disagree wildly: the median stands in rather than losing the reflection.
      fsq[u] = middle;
      sigma[u] = Math.abs(middle) || 1;
      continue;
    }
    const mean = swi / sw;
    let deviations = 0,
      weighted = 0,
      sumI = 0;
    for (let j = from; j < to; j++) {
      const i = order[j]!;
      if (i < 0) continue;
      const d = raw.intensity[i]! - mean;
      deviations += Math.abs(d);
      weighted += (d * d) / (raw.sigma[i]! * raw.sigma[i]!);
      sumI += raw.intensity[i]!;
    }
    fsq[u] = mean;
    multiplicity[u] = accepted;
    const internal = Math.sqrt(1 / sw);
    sigma[u] = accepted > 1 ? Math.max(internal, Math.sqrt(weighted / ((accepted - 1) * sw))) : internal;
    if (accepted > 1) {
      scatter[u] = deviations;
      scatterMeas[u] = deviations * Math.sqrt(accepted / (accepted - 1));
      total[u] = sumI;
      halfA[u] = ai / aw;
      halfB[u] = bi / bw;
    }
  }
  options.progress?.(0.9);
  const statistics = shellStatistics(cell, flat, options, {
    n,
    absent,
    rejected,
    unique,
    invD,
    fsq,
    sigma,
    multiplicity,
    scatter,
    scatterMeas,
    total,
    halfA,
    halfB,
  });
  outliers.sort((p, q) => q.deviation - p.deviation);
  return {
    reflections: { count: unique, h, k, l, fsq, sigma, multiplicity },
    statistics,
    outliers: outliers.slice(0, 200),
  };
}

interface Tally {
  n: number;
  absent: number;
  rejected: number;
  unique: number;
  invD: Float64Array;
  fsq: Float64Array;
  sigma: Float64Array;
  multiplicity: Uint16Array;
  scatter: Float64Array;
  scatterMeas: Float64Array;
  total: Float64Array;
  halfA: Float64Array;
  halfB: Float64Array;
}

/** With more points of the reciprocal lattice than this, their number is worked out from the volume instead of counted. */
const MOST_COUNTED = 3e7;

/** Share of small indices that a group does not forbid. */
function allowedShare(isAbsent: (h: number, k: number, l: number) => boolean): number {
  const side = 12;
  let allowed = 0;
  for (let h = 1; h <= side; h++)
    for (let k = 1; k <= side; k++) for (let l = 1; l <= side; l++) if (!isAbsent(h, k, l)) allowed++;
  return allowed / side ** 3;
}

/**
 * Number of unique reflections possible inside each of the shells bounded by ascending 1/d limits (the first bound is 0).
 * Beyond thirty million points of the lattice, their number by volume.
 */
export function countPossible(
  cell: Cell,
  flat: Int32Array,
  bounds: readonly number[],
  isAbsent?: (h: number, k: number, l: number) => boolean,
): number[] {
  const g = reciprocalMetric(cell);
  const top = bounds[bounds.length - 1]!;
  const pointsWithin = (d: number): number => (4 / 3) * Math.PI * d ** 3 * cellVolume(cell);
  if (pointsWithin(top) > MOST_COUNTED) {
    const share = (isAbsent ? allowedShare(isAbsent) : 1) / (flat.length / 9);
    return bounds.slice(1).map((b, i) => Math.round((pointsWithin(b) - pointsWithin(bounds[i]!)) * share));
  }
  const km = Math.floor(cell.b * top + 1e-9),
    lm = Math.floor(cell.c * top + 1e-9);
  const limit = (top * (1 + 1e-9)) ** 2;
  const counts = bounds.slice(1).map(() => 0);
  // The representative of a set has the largest l, so with the inversion present half of the sphere is enough.
  for (let l = -lm; l <= lm; l++)
    for (let k = -km; k <= km; k++) {
      // 1/d² = g₁₁h² + 2bh + c: only the h within the sphere are looked at, however oblique the cell.
      const b = g[1] * k + g[2] * l,
        c = g[4] * k * k + g[8] * l * l + 2 * g[5] * k * l - limit;
      const root = Math.sqrt(b * b - g[0] * c);
      if (!(root >= 0)) continue;
      const last = Math.floor((root - b) / g[0] + 1e-9);
      for (let h = Math.ceil((-root - b) / g[0] - 1e-9); h <= last; h++) {
        const d = inverseSpacing(g, h, k, l);
        if (d > top * (1 + 1e-9) || (!h && !k && !l)) continue;
        if (canonicalIndex(flat, h, k, l) !== packIndex(h, k, l) || isAbsent?.(h, k, l)) continue;
        let shell = 0;
        while (shell < counts.length - 1 && d > bounds[shell + 1]!) shell++;
        counts[shell]!++;
      }
    }
  return counts;
}

function shellStatistics(cell: Cell, flat: Int32Array, options: MergeOptions, t: Tally): MergeStatistics {
  const shellCount = options.shells ?? 10;
  let top = 0,
    low = Infinity;
  for (let u = 0; u < t.unique; u++) {
    top = Math.max(top, t.invD[u]!);
    low = Math.min(low, t.invD[u]!);
  }
  // Equal volumes of reciprocal space hold about equal numbers of reflections.
  const bounds = Array.from({ length: shellCount + 1 }, (_, i) => top * Math.cbrt(i / shellCount));
  const possible = countPossible(cell, flat, bounds, options.isAbsent);
  const sums = possible.map(() => ({
    unique: 0,
    measured: 0,
    snr: 0,
    scatter: 0,
    scatterMeas: 0,
    total: 0,
    a: [] as number[],
    b: [] as number[],
  }));
  let sumSigma = 0,
    sumI = 0;
  for (let u = 0; u < t.unique; u++) {
    const index = Math.min(shellCount - 1, Math.floor(shellCount * (t.invD[u]! / top) ** 3));
    const s = sums[index]!;
    s.unique++;
    s.measured += t.multiplicity[u]!;
    s.snr += t.fsq[u]! / t.sigma[u]!;
    s.scatter += t.scatter[u]!;
    s.scatterMeas += t.scatterMeas[u]!;
    s.total += t.total[u]!;
    if (t.halfA[u] === t.halfA[u]) {
      s.a.push(t.halfA[u]!);
      s.b.push(t.halfB[u]!);
    }
    sumSigma += t.sigma[u]!;
    sumI += t.fsq[u]!;
  }
  const all = { scatter: 0, scatterMeas: 0, total: 0, snr: 0, a: [] as number[], b: [] as number[] };
  for (const s of sums) {
    all.scatter += s.scatter;
    all.scatterMeas += s.scatterMeas;
    all.total += s.total;
    all.snr += s.snr;
    for (const x of s.a) all.a.push(x);
    for (const x of s.b) all.b.push(x);
  }
  return {
    measured: t.n,
    unique: t.unique,
    rejected: t.rejected,
    absent: t.absent,
    rInt: all.total ? all.scatter / all.total : NaN,
    rMeas: all.total ? all.scatterMeas / all.total : NaN,
    rSigma: sumI ? sumSigma / sumI : NaN,
    ccHalf: pearson(all.a, all.b),
    redundancy: (t.n - t.absent - t.rejected) / Math.max(1, t.unique),
    completeness:
      t.unique /
      Math.max(
        1,
        possible.reduce((p, q) => p + q, 0),
      ),
    dMin: 1 / top,
    dMax: 1 / low,
    meanIOverSigma: all.snr / Math.max(1, t.unique),
    shells: sums.map((s, i) => ({
      dMax: i ? 1 / bounds[i]! : 1 / low,
      dMin: 1 / bounds[i + 1]!,
      measured: s.measured,
      unique: s.unique,
      possible: possible[i]!,
      completeness: s.unique / Math.max(1, possible[i]!),
      meanIOverSigma: s.unique ? s.snr / s.unique : NaN,
      rInt: s.total ? s.scatter / s.total : NaN,
      rMeas: s.total ? s.scatterMeas / s.total : NaN,
      ccHalf: pearson(s.a, s.b),
    })),
  };
}

function pearson(x: readonly number[], y: readonly number[]): number {
  const n = x.length;
  if (n < 3) return NaN;
  let mx = 0,
    my = 0;
  for (let i = 0; i < n; i++) {
    mx += x[i]! / n;
    my += y[i]! / n;
  }
  let sxx = 0,
    syy = 0,
    sxy = 0;
  for (let i = 0; i < n; i++) {
    sxx += (x[i]! - mx) ** 2;
    syy += (y[i]! - my) ** 2;
    sxy += (x[i]! - mx) * (y[i]! - my);
  }
  return sxy / Math.sqrt(sxx * syy);
}
