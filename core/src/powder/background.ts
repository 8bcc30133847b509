/** The background under a pattern: polynomials, humps, points set by hand. */
import type { Background } from './model.ts';

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
