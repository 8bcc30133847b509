/** The points of a pattern that are fitted, and places in a rising list. */
import type { Pattern } from '../crystal/pattern.ts';
import type { PatternModel } from './model.ts';

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
