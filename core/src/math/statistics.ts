/** Small statistics used across the data and refinement code. */

/** Middle value; NaN for no values. Sorts a copy. */
export function median(values: ArrayLike<number>): number {
  const sorted = Float64Array.from(values).sort();
  const n = sorted.length;
  if (!n) return NaN;
  return n % 2 ? sorted[n >> 1]! : 0.5 * (sorted[n / 2 - 1]! + sorted[n / 2]!);
}

/** Pearson correlation of n pairs; NaN where a variance vanishes. */
export function correlation(x: ArrayLike<number>, y: ArrayLike<number>): number {
  const n = x.length;
  let sx = 0, sy = 0, sxx = 0, syy = 0, sxy = 0;
  for (let i = 0; i < n; i++) {
    const a = x[i]!, b = y[i]!;
    sx += a; sy += b; sxx += a * a; syy += b * b; sxy += a * b;
  }
  return (n * sxy - sx * sy) / Math.sqrt((n * sxx - sx * sx) * (n * syy - sy * sy));
}

/** Straight line y = intercept + slope·x by least squares. */
export function lineFit(x: ArrayLike<number>, y: ArrayLike<number>): { slope: number; intercept: number } {
  const n = x.length;
  let sx = 0, sy = 0, sxx = 0, sxy = 0;
  for (let i = 0; i < n; i++) {
    sx += x[i]!; sy += y[i]!; sxx += x[i]! * x[i]!; sxy += x[i]! * y[i]!;
  }
  const det = n * sxx - sx * sx;
  const slope = det ? (n * sxy - sx * sy) / det : 0;
  return { slope, intercept: (sy - slope * sx) / n };
}
