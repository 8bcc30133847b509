/** The variance–covariance matrix of a refinement, asked for by physical parameter. */
import type { ConstraintMap } from './parameters.ts';

/** Plain data: packed lower triangle of the independent covariances and the map to physical values. */
export interface CovarianceData {
  readonly packed: Float32Array;
  readonly map: ConstraintMap;
  /** Site identifiers in the order of the physical parameters. */
  readonly siteIds: readonly string[];
}

export function packLower(full: Float64Array, n: number, factor: number): Float32Array {
  const out = new Float32Array((n * (n + 1)) / 2);
  let at = 0;
  for (let i = 0; i < n; i++) for (let j = 0; j <= i; j++) out[at++] = full[i * n + j]! * factor;
  return out;
}

/** Covariance of two physical parameters. */
export function covarianceOf(data: CovarianceData, p: number, q: number): number {
  const { map, packed } = data;
  let sum = 0;
  for (let e = map.start[p]!; e < map.start[p + 1]!; e++)
    for (let f = map.start[q]!; f < map.start[q + 1]!; f++) {
      const i = map.column[e]!, j = map.column[f]!;
      sum += map.value[e]! * map.value[f]! * packed[i >= j ? (i * (i + 1)) / 2 + j : (j * (j + 1)) / 2 + i]!;
    }
  return sum;
}
