/** The variance–covariance matrix of a refinement, asked for by physical parameter. */
import type { Structure } from '../crystal/structure.ts';
import type { ConstraintMap } from './constraint-map.ts';
import { parameterWords } from './parameters.ts';

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
      const i = map.column[e]!,
        j = map.column[f]!;
      sum += map.value[e]! * map.value[f]! * packed[i >= j ? (i * (i + 1)) / 2 + j : (j * (j + 1)) / 2 + i]!;
    }
  return sum;
}

export interface Correlation {
  readonly value: number;
  readonly between: readonly [string, string];
}

/** Correlations of independent parameters beyond `least`, largest first; each is named by the physical parameter it drives most. */
export function largestCorrelations(data: CovarianceData, s: Structure, least = 0.7, most = 20): Correlation[] {
  const { map, packed } = data;
  const driver = new Int32Array(map.independent).fill(-1),
    strength = new Float64Array(map.independent);
  for (let p = 0; p < map.physical; p++)
    for (let e = map.start[p]!; e < map.start[p + 1]!; e++) {
      const c = map.column[e]!;
      if (Math.abs(map.value[e]!) > strength[c]! + 1e-9) {
        strength[c] = Math.abs(map.value[e]!);
        driver[c] = p;
      }
    }
  const out: { value: number; i: number; j: number }[] = [];
  for (let i = 1; i < map.independent; i++) {
    const vi = packed[(i * (i + 1)) / 2 + i]!;
    for (let j = 0; j < i; j++) {
      const r = packed[(i * (i + 1)) / 2 + j]! / Math.sqrt(vi * packed[(j * (j + 1)) / 2 + j]!);
      if (Math.abs(r) > least) out.push({ value: r, i, j });
    }
  }
  return out
    .sort((p, q) => Math.abs(q.value) - Math.abs(p.value))
    .slice(0, most)
    .map((c) => ({
      value: c.value,
      between: [parameterWords(s, driver[c.i]!), parameterWords(s, driver[c.j]!)],
    }));
}
