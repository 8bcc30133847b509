/** Small statistics used across the data and refinement code. */

/** Middle value; NaN for no values. Sorts a copy. */
export function median(values: ArrayLike<number>): number {
  const sorted = Float64Array.from(values).sort();
  const n = sorted.length;
  if (!n) return NaN;
  return n % 2 ? sorted[n >> 1]! : 0.5 * (sorted[n / 2 - 1]! + sorted[n / 2]!);
}
