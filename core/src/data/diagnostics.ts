/** What spoils data beyond noise: direction-dependent resolution, rings that do not belong to the crystal, and how two data sets agree. */
import { axisVectors, cellVolume, inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import { RawBuilder, selectObservations, type MergedReflections, type RawReflections } from '../crystal/reflections.ts';
import { cross, dot, eigenSymmetric3, norm, type Mat3, type Vec3, toVec3 } from '../math/matrix3.ts';
import { median } from '../math/statistics.ts';
import { canonicalIndex, flatRotations, IndexNumbering } from './merge.ts';

export interface DirectionReading {
  readonly name: 'a*' | 'b*' | 'c*';
  readonly reflections: number;
  readonly meanIOverSigma: number;
  /** Spacing at which the running mean I/σ falls below 2, Å; the end of the data where it never does. */
  readonly limit: number;
}

export interface AnisotropyReading {
  readonly directions: readonly DirectionReading[];
  /** Principal values of the anisotropic part of an overall B, Å², ascending, with their directions as rows (Cartesian). */
  readonly principal: readonly [number, number, number];
  readonly axes: readonly [Vec3, Vec3, Vec3];
  /** Largest less smallest, Å², and its s.u. */
  readonly spread: number;
  readonly su: number;
}

function reciprocalVectors(cell: Cell): [Vec3, Vec3, Vec3] {
  const [a, b, c] = axisVectors(cell),
    v = cellVolume(cell);
  const over = (u: Vec3): Vec3 => [u[0] / v, u[1] / v, u[2] / v];
  return [over(cross(b, c)), over(cross(c, a)), over(cross(a, b))];
}

/** Strength in cones of 25° about the reciprocal axes, and an anisotropic overall B from I/⟨I⟩ of the shell by least squares. */
export function anisotropy(r: MergedReflections, cell: Cell): AnisotropyReading {
  const [as, bs, cs] = reciprocalVectors(cell);
  const shells = 14;
  const s: Vec3[] = [],
    invD = new Float64Array(r.count);
  for (let i = 0; i < r.count; i++) {
    const v: Vec3 = toVec3([0, 1, 2].map((k) => r.h[i]! * as[k]! + r.k[i]! * bs[k]! + r.l[i]! * cs[k]!));
    s.push(v);
    invD[i] = norm(v);
  }
  let top = 0;
  for (const x of invD) top = Math.max(top, x);
  const shell = Array.from(invD, (x) => Math.min(shells - 1, Math.floor(shells * (x / top) ** 3)));
  const sum = new Float64Array(shells),
    n = new Float64Array(shells);
  shell.forEach((k, i) => {
    sum[k]! += r.fsq[i]!;
    n[k]!++;
  });
  const directions = (
    [
      ['a*', as],
      ['b*', bs],
      ['c*', cs],
    ] as const
  ).map(([name, axis]): DirectionReading => {
    const unit = norm(axis),
      cone: { d: number; snr: number }[] = [];
    for (let i = 0; i < r.count; i++)
      if (Math.abs(dot(s[i]!, axis)) / (unit * invD[i]!) > Math.cos((25 * Math.PI) / 180))
        cone.push({ d: invD[i]!, snr: r.fsq[i]! / r.sigma[i]! });
    cone.sort((p, q) => p.d - q.d);
    const window = Math.max(20, Math.floor(cone.length / 15));
    let limit = cone.length ? 1 / cone[cone.length - 1]!.d : NaN;
    for (let i = cone.length - window; i >= 0; i -= Math.max(1, Math.floor(window / 3))) {
      const part = cone.slice(i, i + window);
      if (part.reduce((t, x) => t + x.snr, 0) / part.length < 2) limit = 1 / part[Math.floor(window / 2)]!.d;
      else break;
    }
    return {
      name,
      reflections: cone.length,
      meanIOverSigma: cone.reduce((t, x) => t + x.snr, 0) / Math.max(1, cone.length),
      limit,
    };
  });
  // I/⟨I⟩ ≈ 1 − ½ sᵀ ΔB s; the trace belongs to the shells and is left out. Means are safer than logarithms where many intensities are nearly nil.
  const normal = new Float64Array(36),
    right = new Float64Array(6);
  for (let i = 0; i < r.count; i++) {
    const mean = sum[shell[i]!]! / n[shell[i]!]!;
    if (!(mean > 0)) continue;
    const y = Math.min(6, r.fsq[i]! / mean) - 1;
    const v = s[i]!,
      q = dot(v, v) / 3;
    const f = [
      v[0] * v[0] - q,
      v[1] * v[1] - q,
      v[2] * v[2] - q,
      2 * v[0] * v[1],
      2 * v[0] * v[2],
      2 * v[1] * v[2],
    ].map((x) => -0.5 * x);
    for (let a = 0; a < 6; a++) {
      right[a]! += f[a]! * y;
      for (let b = 0; b < 6; b++) normal[6 * a + b]! += f[a]! * f[b]!;
    }
  }
  const scale = Math.max(...[0, 7, 14].map((k) => normal[k]!)) || 1;
  for (let a = 0; a < 6; a++) normal[7 * a]! += 1e-6 * scale;
  const x = solve(normal, right, 6);
  // Normalised intensities scatter by 1 (acentric) to 2 (centric) about their mean; the largest s.u. of a difference of two diagonal terms stands for the spread's.
  const difference = (i: number, j: number): number => {
    const c = Float64Array.from({ length: 6 }, (_, k) => (k === i ? 1 : k === j ? -1 : 0)),
      v = solve(normal, c, 6);
    return v[i]! - v[j]!;
  };
  const uncertainty = Math.sqrt(Math.max(difference(0, 1), difference(0, 2), difference(1, 2)) * 1.5);
  const trace = (x[0]! + x[1]! + x[2]!) / 3;
  const m: Mat3 = [x[0]! - trace, x[3]!, x[4]!, x[3]!, x[1]! - trace, x[5]!, x[4]!, x[5]!, x[2]! - trace];
  const e = eigenSymmetric3(m);
  return {
    directions,
    principal: [e.values[0], e.values[1], e.values[2]],
    axes: e.vectors,
    spread: e.values[2] - e.values[0],
    su: uncertainty,
  };
}

/** Gaussian elimination with pivoting for a handful of unknowns. */
function solve(a: Float64Array, b: Float64Array, n: number): number[] {
  const m = Array.from({ length: n }, (_, i) => [...a.subarray(i * n, i * n + n), b[i]!]);
  for (let k = 0; k < n; k++) {
    const p = m.slice(k).reduce((best, row, i) => (Math.abs(row[k]!) > Math.abs(m[best]![k]!) ? k + i : best), k);
    [m[k], m[p]] = [m[p]!, m[k]!];
    for (let i = k + 1; i < n; i++) {
      const f = m[i]![k]! / m[k]![k]!;
      for (let j = k; j <= n; j++) m[i]![j]! -= f * m[k]![j]!;
    }
  }
  const x = new Array<number>(n).fill(0);
  for (let k = n - 1; k >= 0; k--)
    x[k] = (m[k]![n]! - m[k]!.slice(k + 1, n).reduce((s, v, j) => s + v * x[k + 1 + j]!, 0)) / m[k]![k]!;
  return x;
}

export interface RingReading {
  /** Å. */
  readonly d: number;
  readonly width: number;
  readonly observations: number;
  /** Share of the observations that stand clear of their equivalents. */
  readonly share: number;
  /** Lies where hexagonal ice diffracts. */
  readonly ice: boolean;
}

/** Spacings of the strongest lines of hexagonal ice, Å. */
const ICE = [3.897, 3.669, 3.441, 2.671, 2.249, 2.072, 1.948, 1.918, 1.883, 1.721];

/** Narrow rings of resolution in which far more observations than elsewhere stand clear of the median of their equivalents. */
export function findRings(raw: RawReflections, cell: Cell, rotations: readonly Mat3[]): RingReading[] {
  const g = reciprocalMetric(cell),
    flat = flatRotations(rotations),
    n = raw.count;
  const numbering = new IndexNumbering(n);
  const sets = new Map<number, number[]>();
  for (let i = 0; i < n; i++) {
    const u = numbering.enter(canonicalIndex(flat, raw.h[i]!, raw.k[i]!, raw.l[i]!)),
      list = sets.get(u);
    if (list) list.push(i);
    else sets.set(u, [i]);
  }
  const step = 0.006,
    bins = new Map<number, { out: number; n: number }>();
  let out = 0,
    all = 0;
  for (const list of sets.values()) {
    if (list.length < 3) continue;
    const middle = median(list.map((i) => raw.intensity[i]!));
    const x = inverseSpacing(g, raw.h[list[0]!]!, raw.k[list[0]!]!, raw.l[list[0]!]!);
    const k = Math.floor(x / step),
      b = bins.get(k) ?? { out: 0, n: 0 };
    for (const i of list) {
      const clear = raw.intensity[i]! - middle > 5 * Math.hypot(raw.sigma[i]!, 0.08 * middle);
      b.n++;
      all++;
      if (clear) {
        b.out++;
        out++;
      }
    }
    bins.set(k, b);
  }
  const usual = out / Math.max(1, all);
  const found: RingReading[] = [];
  for (const [k, b] of bins) {
    const share = b.out / b.n;
    // More than chance brings together, and enough to matter.
    if (b.out < 4 || share < 0.08 || b.out < b.n * usual + 6 * Math.sqrt(b.n * usual * (1 - usual) + 0.3)) continue;
    const d = 1 / ((k + 0.5) * step);
    found.push({
      d,
      width: step * d * d,
      observations: b.n,
      share,
      ice: ICE.some((y) => Math.abs(y - d) < Math.max(0.04, step * d * d)),
    });
  }
  return found.sort((p, q) => q.share - p.share).slice(0, 8);
}

/** Observations within a ring left out. */
export function withoutRings(
  raw: RawReflections,
  cell: Cell,
  rings: readonly { d: number; width: number }[],
): RawReflections {
  const g = reciprocalMetric(cell);
  return selectObservations(raw, (i) => {
    const d = 1 / inverseSpacing(g, raw.h[i]!, raw.k[i]!, raw.l[i]!);
    return !rings.some((r) => Math.abs(d - r.d) < r.width * 0.75);
  });
}

export interface SetComparison {
  /** Unique reflections in both. */
  readonly common: number;
  readonly scale: number;
  readonly r: number;
  readonly correlation: number;
}

/** How a second data set agrees with the first on common unique reflections, after one scale factor. */
export function compareSets(one: MergedReflections, two: MergedReflections): SetComparison {
  const at = new Map(Array.from(one.h, (h, i) => [`${h} ${one.k[i]} ${one.l[i]}`, i]));
  const x: number[] = [],
    y: number[] = [];
  for (let i = 0; i < two.count; i++) {
    const j = at.get(`${two.h[i]} ${two.k[i]} ${two.l[i]}`);
    if (j !== undefined) {
      x.push(one.fsq[j]!);
      y.push(two.fsq[i]!);
    }
  }
  const xy = x.reduce((s, v, i) => s + v * y[i]!, 0),
    yy = y.reduce((s, v) => s + v * v, 0);
  const scale = yy ? xy / yy : NaN;
  const n = x.length,
    mx = x.reduce((s, v) => s + v, 0) / n,
    my = y.reduce((s, v) => s + v, 0) / n;
  const cov = x.reduce((s, v, i) => s + (v - mx) * (y[i]! - my), 0),
    vx = x.reduce((s, v) => s + (v - mx) ** 2, 0),
    vy = y.reduce((s, v) => s + (v - my) ** 2, 0);
  return {
    common: n,
    scale,
    r:
      x.reduce((s, v, i) => s + Math.abs(v - scale * y[i]!), 0) /
      x.reduce((s, v, i) => s + Math.abs(v + scale * y[i]!) / 2, 0),
    correlation: cov / Math.sqrt(vx * vy),
  };
}

/** Two data sets as one: the second's batches are numbered on from the first's, so that each is scaled for itself. */
export function joinSets(one: RawReflections, two: RawReflections): RawReflections {
  const out = new RawBuilder();
  let last = 0;
  for (let i = 0; i < one.count; i++) {
    const b = one.batch?.[i] ?? 1;
    last = Math.max(last, b);
    out.push(
      one.h[i]!,
      one.k[i]!,
      one.l[i]!,
      one.intensity[i]!,
      one.sigma[i]!,
      b,
      one.beams && two.beams ? one.beams.subarray(6 * i, 6 * i + 6) : undefined,
    );
  }
  for (let i = 0; i < two.count; i++)
    out.push(
      two.h[i]!,
      two.k[i]!,
      two.l[i]!,
      two.intensity[i]!,
      two.sigma[i]!,
      last + (two.batch?.[i] ?? 1),
      one.beams && two.beams ? two.beams.subarray(6 * i, 6 * i + 6) : undefined,
    );
  return out.build(one.merged && two.merged);
}
