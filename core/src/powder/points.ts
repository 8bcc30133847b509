/** Points that are fitted, the background under them, and the factors of intensity that depend on the angle alone. */
import type { Pattern } from '../crystal/pattern.ts';
import type { Background, PatternModel } from './model.ts';

/** The points of a pattern that are fitted. */
export interface Points {
  readonly count: number;
  readonly x: Float64Array;
  readonly y: Float64Array;
  readonly sigma: Float64Array;
  /** Place of each point in the pattern. */
  readonly index: Int32Array;
}

export function fittedPoints(pattern: Pattern, model: Pick<PatternModel, 'excluded' | 'range'>): Points {
  const keep: number[] = [];
  const n = pattern.twoTheta.length;
  const [from, to] = model.range ?? [-Infinity, Infinity];
  for (let i = 0; i < n; i++) {
    const x = pattern.twoTheta[i]!;
    if (x < from || x > to || !(pattern.sigma[i]! > 0) || model.excluded.some(([a, b]) => x >= a && x <= b)) continue;
    keep.push(i);
  }
  const index = Int32Array.from(keep);
  const pick = (v: Float64Array): Float64Array => Float64Array.from(keep, (i) => v[i]!);
  return {
    count: index.length,
    x: pick(pattern.twoTheta),
    y: pick(pattern.intensity),
    sigma: pick(pattern.sigma),
    index,
  };
}

/** First index whose x is at least `value`. */
export function lowerBound(x: Float64Array, value: number): number {
  let lo = 0,
    hi = x.length;
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    if (x[mid]! < value) lo = mid + 1;
    else hi = mid;
  }
  return lo;
}

/** Chebyshev argument of a 2θ over a range. */
export const chebyshevArgument = (x: number, from: number, to: number): number =>
  to > from ? (2 * (x - from)) / (to - from) - 1 : 0;

/** Adds the background at the points. */
export function addBackground(b: Background, x: Float64Array, out: Float64Array): void {
  const n = x.length,
    from = x[0] ?? 0,
    to = x[n - 1] ?? 1;
  for (let i = 0; i < n; i++) {
    const t = chebyshevArgument(x[i]!, from, to);
    // Clenshaw's recurrence.
    let p = 0,
      q = 0;
    for (let k = b.chebyshev.length - 1; k > 0; k--) {
      const next = 2 * t * p - q + b.chebyshev[k]!;
      q = p;
      p = next;
    }
    out[i]! += (b.chebyshev[0] ?? 0) + t * p - q;
  }
  for (const peak of b.peaks)
    for (let i = 0; i < n; i++) {
      const u = (x[i]! - peak.position) / peak.width;
      if (u * u < 12) out[i]! += peak.height * Math.exp(-4 * Math.LN2 * u * u);
    }
  const points = b.points;
  if (points.length) {
    let s = 0;
    for (let i = 0; i < n; i++) {
      while (s < points.length - 2 && points[s + 1]![0] < x[i]!) s++;
      const [x0, y0] = points[s]!,
        [x1, y1] = points[Math.min(s + 1, points.length - 1)]!;
      const f = x1 > x0 ? Math.max(0, Math.min(1, (x[i]! - x0) / (x1 - x0))) : 0;
      out[i]! += y0 + f * (y1 - y0);
    }
  }
}

/** Lorentz and polarisation factor at a Bragg angle θ (radians), with the monochromator's cos² 2θ_m. */
export const lorentzPolarization = (theta: number, cos2m: number): number => {
  const c2 = Math.cos(2 * theta),
    s = Math.sin(theta);
  return (1 + cos2m * c2 * c2) / ((1 + cos2m) * s * s * Math.cos(theta));
};

/** Absorption relative to a thick flat specimen or a thin capillary; Rouse, Cooper, York & Chakera (1970), Acta Cryst. A26, 682, for μR up to about 1. */
export function absorptionFactor(geometry: 'flat specimen' | 'capillary', mu: number, theta: number): number {
  if (!(mu > 0)) return 1;
  const s = Math.sin(theta);
  if (geometry === 'flat specimen') return 1 - Math.exp((-2 * mu) / s);
  return Math.exp(-(1.7133 - 0.0368 * s * s) * mu + (0.0927 + 0.375 * s * s) * mu * mu);
}
