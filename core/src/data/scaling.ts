/**
 * Scaling of unmerged observations by batch, by batch and resolution, and by direction: spherical harmonics of the two beams
 * (Blessing 1995, Acta Cryst. A51, 33). All corrections are additive in ln I, so that one linear least squares over the deviations
 * within each set of equivalents gives them together; the sets' own means drop out.
 */
import { inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import type { Mat3 } from '../math/matrix3.ts';
import { choleskyInPlace, choleskySolve } from '../math/linear.ts';
import { sphericalHarmonics } from '../math/spherical-harmonics.ts';
import { median } from '../math/statistics.ts';
import { withoutAbsorption, type FaceAbsorption } from './face-absorption.ts';
import { canonicalIndex, flatRotations, IndexNumbering, mergeReflections, type MergeStatistics } from './merge.ts';

export interface ScalingWish {
  /** One factor a batch. */
  batches: boolean;
  /** One temperature-like factor a batch, exp(−2B s²): decay and absorption that change with resolution. */
  decay: boolean;
  /** Highest order of the harmonics; 0 for none. */
  harmonics: number;
  /** Batches left out altogether. */
  without?: readonly number[];
  /** Absorption that is worked out from the faces of the crystal, before anything is fitted. */
  faces?: FaceAbsorption;
}

export interface BatchReading {
  readonly batch: number;
  readonly observations: number;
  /** Factor its intensities are multiplied by. */
  readonly scale: number;
  readonly decay: number;
  /** Σ|I − Ī|/ΣI of its observations against the merged mean, after the correction. */
  readonly r: number;
  readonly rBefore: number;
  /** Stands out from the others by more than five times their spread. */
  readonly spoils: boolean;
}

export interface ScalingResult {
  readonly raw: RawReflections;
  readonly before: MergeStatistics;
  readonly after: MergeStatistics;
  readonly parameters: number;
  /** Observations that took part in the fit. */
  readonly used: number;
  readonly batches: readonly BatchReading[];
  /** Smallest and largest correction factor of the directions; the transmission is proportional to their inverse. */
  readonly directionRange?: readonly [number, number];
  /** Smallest and largest transmission by the faces. */
  readonly transmission?: readonly [number, number];
}

/**
 * Applies the wished corrections; `tell` hears how far the absorption by faces is. Throws RangeError when directions are asked for that
 * the data do not have, or faces that do not close.
 */
export function scaleObservations(
  given: RawReflections,
  cell: Cell,
  rotations: readonly Mat3[],
  wish: ScalingWish,
  tell?: (share: number) => void,
): ScalingResult {
  const gone = new Set(wish.without ?? []);
  const kept = gone.size && given.batch ? withoutBatches(given, gone) : given;
  const absorbed = wish.faces && withoutAbsorption(kept, cell, wish.faces, tell);
  const raw = absorbed?.raw ?? kept;
  if (wish.harmonics > 0 && !raw.beams)
    throw new RangeError(
      'These data do not say from where each reflection was measured (no angles and orientation matrix), so direction-dependent absorption cannot be fitted. Batch scales still can.',
    );
  const n = raw.count;
  const flat = flatRotations(rotations);
  const g = reciprocalMetric(cell);
  const before = mergeReflections(given, cell, rotations, { shells: 6 }).statistics;
  const codes = [...new Set(raw.batch ?? [])].sort((p, q) => p - q);
  const at = new Map(codes.map((c, i) => [c, i]));
  const nb = wish.batches && codes.length > 1 ? codes.length - 1 : 0;
  const nd = wish.decay && codes.length > 1 ? codes.length - 1 : 0;
  const nh = wish.harmonics ? (wish.harmonics + 1) ** 2 - 1 : 0;
  const np = nb + nd + nh;
  const numbering = new IndexNumbering(n);
  const member = Int32Array.from({ length: n }, (_, i) =>
    numbering.enter(canonicalIndex(flat, raw.h[i]!, raw.k[i]!, raw.l[i]!)),
  );
  const sets = numbering.count;
  const features = new Float64Array(n * np);
  for (let i = 0; i < n; i++) {
    const row = i * np;
    const b = raw.batch ? at.get(raw.batch[i]!)! : 0;
    if (nb && b) features[row + b - 1] = 1;
    const s2 = inverseSpacing(g, raw.h[i]!, raw.k[i]!, raw.l[i]!) ** 2 / 4;
    if (nd && b) features[row + nb + b - 1] = 2 * s2;
    if (nh) {
      const v = raw.beams!;
      const one = sphericalHarmonics(v[6 * i]!, v[6 * i + 1]!, v[6 * i + 2]!, wish.harmonics),
        two = sphericalHarmonics(v[6 * i + 3]!, v[6 * i + 4]!, v[6 * i + 5]!, wish.harmonics);
      for (let k = 0; k < nh; k++) features[row + nb + nd + k] = (one[k]! + two[k]!) / 2;
    }
  }
  // Only clearly seen observations have a meaningful logarithm.
  const y = new Float64Array(n),
    weight = new Float64Array(n);
  for (let i = 0; i < n; i++)
    if (raw.intensity[i]! > 3 * raw.sigma[i]! && raw.sigma[i]! > 0) {
      y[i] = Math.log(raw.intensity[i]!);
      weight[i] = Math.min(400, (raw.intensity[i]! / raw.sigma[i]!) ** 2);
    }
  const solution = new Float64Array(np);
  let used = 0;
  for (let pass = 0; pass < (np ? 4 : 0); pass++) {
    const sumW = new Float64Array(sets),
      sumY = new Float64Array(sets),
      sumF = new Float64Array(sets * np),
      members = new Int32Array(sets);
    for (let i = 0; i < n; i++) {
      if (!weight[i]) continue;
      const u = member[i]!;
      members[u]!++;
      sumW[u]! += weight[i]!;
      sumY[u]! += weight[i]! * y[i]!;
      for (let k = 0; k < np; k++) sumF[u * np + k]! += weight[i]! * features[i * np + k]!;
    }
    const normal = new Float64Array(np * np),
      right = new Float64Array(np),
      f = new Float64Array(np);
    used = 0;
    for (let i = 0; i < n; i++) {
      const u = member[i]!;
      if (!weight[i] || members[u]! < 2) continue;
      used++;
      const w = weight[i]!,
        dy = y[i]! - sumY[u]! / sumW[u]!;
      for (let k = 0; k < np; k++) f[k] = features[i * np + k]! - sumF[u * np + k]! / sumW[u]!;
      for (let k = 0; k < np; k++) {
        if (!f[k]) continue;
        right[k]! += w * f[k]! * dy;
        for (let j = 0; j <= k; j++) normal[k * np + j]! += w * f[k]! * f[j]!;
      }
    }
    if (used <= np)
      throw new RangeError(
        `Only ${used} observations have a clearly seen equivalent, too few for ${np} corrections. Lower the order of the harmonics.`,
      );
    const mean = Array.from({ length: np }, (_, k) => normal[k * np + k]!).reduce((p, q) => p + q, 0) / np;
    // A touch of damping holds what the data do not: directions that were never measured.
    for (let k = 0; k < np; k++) normal[k * np + k]! += 1e-4 * mean;
    for (let k = 0; k < np; k++) for (let j = 0; j < k; j++) normal[j * np + k] = normal[k * np + j]!;
    choleskyInPlace(normal, np);
    solution.set(choleskySolve(normal, np, right));
    // Outliers lose their voice in the next pass.
    const residual: number[] = [];
    const off = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      const u = member[i]!;
      if (!weight[i] || members[u]! < 2) continue;
      let r = y[i]! - sumY[u]! / sumW[u]!;
      for (let k = 0; k < np; k++) r -= solution[k]! * (features[i * np + k]! - sumF[u * np + k]! / sumW[u]!);
      off[i] = Math.abs(r);
      residual.push(Math.abs(r));
    }
    const typical = median(residual) || 1e-6;
    for (let i = 0; i < n; i++) if (off[i]! > 6 * typical) weight[i]! *= 0.05;
  }
  const factor = new Float64Array(n).fill(1);
  let low = Infinity,
    high = 0;
  for (let i = 0; i < n; i++) {
    let ln = 0,
      direction = 0;
    for (let k = 0; k < np; k++) {
      const t = solution[k]! * features[i * np + k]!;
      ln += t;
      if (k >= nb + nd) direction += t;
    }
    factor[i] = Math.exp(-ln);
    low = Math.min(low, Math.exp(-direction));
    high = Math.max(high, Math.exp(-direction));
  }
  const mean = factor.reduce((p, q) => p + q, 0) / Math.max(1, n);
  const corrected: RawReflections = {
    ...raw,
    intensity: raw.intensity.map((x, i) => (x * factor[i]!) / mean),
    sigma: raw.sigma.map((x, i) => (x * factor[i]!) / mean),
  };
  const after = mergeReflections(corrected, cell, rotations, { shells: 6 }).statistics;
  return {
    raw: corrected,
    before,
    after,
    parameters: np,
    used,
    batches: batchReadings(
      given,
      raw,
      corrected,
      member,
      sets,
      codes,
      (b) => (nb && b ? Math.exp(-solution[b - 1]!) / mean : 1 / mean),
      (b) => (nd && b ? solution[nb + b - 1]! : 0),
    ),
    ...(nh ? { directionRange: [low / mean, high / mean] as const } : {}),
    ...(absorbed ? { transmission: [absorbed.transmission.lowest, absorbed.transmission.highest] as const } : {}),
  };
}

/** Observations of some batches left out. */
export function withoutBatches(raw: RawReflections, gone: ReadonlySet<number>): RawReflections {
  const keep: number[] = [];
  for (let i = 0; i < raw.count; i++) if (!gone.has(raw.batch?.[i] ?? NaN)) keep.push(i);
  const pick = <T extends Int16Array | Float64Array>(a: T): T =>
    a.filter((_: number, i: number) => !gone.has(raw.batch?.[i] ?? NaN)) as T;
  const beams = raw.beams && Float32Array.from(keep.flatMap((i) => [...raw.beams!.subarray(6 * i, 6 * i + 6)]));
  return {
    count: keep.length,
    h: pick(raw.h),
    k: pick(raw.k),
    l: pick(raw.l),
    intensity: pick(raw.intensity),
    sigma: pick(raw.sigma),
    ...(raw.batch ? { batch: pick(raw.batch) } : {}),
    ...(beams ? { beams } : {}),
    merged: raw.merged,
  };
}

function batchReadings(
  given: RawReflections,
  raw: RawReflections,
  corrected: RawReflections,
  member: Int32Array,
  sets: number,
  codes: readonly number[],
  scale: (b: number) => number,
  decay: (b: number) => number,
): BatchReading[] {
  if (!given.batch || !raw.batch) return [];
  const agreement = (data: RawReflections): Map<number, { r: number; n: number }> => {
    const w = new Float64Array(sets),
      wi = new Float64Array(sets),
      n = new Int32Array(sets);
    for (let i = 0; i < data.count; i++) {
      const q = 1 / data.sigma[i]! ** 2;
      w[member[i]!]! += q;
      wi[member[i]!]! += q * data.intensity[i]!;
      n[member[i]!]!++;
    }
    const by = new Map<number, { top: number; bottom: number; n: number }>();
    for (let i = 0; i < data.count; i++) {
      const b = data.batch![i]!,
        u = member[i]!;
      const now = by.get(b) ?? { top: 0, bottom: 0, n: 0 };
      now.n++;
      if (n[u]! > 1) {
        now.top += Math.abs(data.intensity[i]! - wi[u]! / w[u]!);
        now.bottom += Math.abs(data.intensity[i]!);
      }
      by.set(b, now);
    }
    return new Map([...by].map(([b, x]) => [b, { r: x.bottom ? x.top / x.bottom : NaN, n: x.n }]));
  };
  const now = agreement(corrected),
    then = agreement(raw);
  const values = codes.map((c) => now.get(c)?.r ?? NaN).filter(Number.isFinite);
  const middle = median(values),
    spread = median(values.map((x) => Math.abs(x - middle))) || 0.01;
  return codes.map((c, i) => ({
    batch: c,
    observations: now.get(c)?.n ?? 0,
    scale: scale(i),
    decay: decay(i),
    r: now.get(c)?.r ?? NaN,
    rBefore: then.get(c)?.r ?? NaN,
    spoils: codes.length > 2 && (now.get(c)?.r ?? 0) > middle + Math.max(5 * spread, 0.5 * middle),
  }));
}
