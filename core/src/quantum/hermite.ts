/**
 * Hermite Gaussians (McMurchie & Davidson 1978): products of two Gaussians as sums of derivatives of one, and the Coulomb
 * integrals of those derivatives.
 */
import { boys, HIGHEST_BOYS } from './boys.ts';

/** Number of (t, u, v) with t + u + v ≤ order. */
export const hermiteCount = (order: number): number => ((order + 1) * (order + 2) * (order + 3)) / 6;

export const HIGHEST_ORDER = HIGHEST_BOYS;

/** All (t, u, v) up to the highest order, by rising t + u + v. */
const triples: (readonly [number, number, number])[] = [];
const numbers = new Map<number, number>();
const keyOf = (t: number, u: number, v: number): number => t + 64 * (u + 64 * v);
for (let sum = 0; sum <= HIGHEST_ORDER; sum++)
  for (let t = sum; t >= 0; t--)
    for (let u = sum - t; u >= 0; u--) {
      numbers.set(keyOf(t, u, sum - t - u), triples.length);
      triples.push([t, u, sum - t - u]);
    }

/** Index of (t, u, v) in every array of Hermite terms. */
export const hermiteIndex = (t: number, u: number, v: number): number => numbers.get(keyOf(t, u, v))!;
export const hermiteTriple = (index: number): readonly [number, number, number] => triples[index]!;

/** How each term follows from lower ones: R[i] = X_axis R[one] + factor R[two]. */
const axisOf = new Uint8Array(triples.length),
  oneLess = new Int32Array(triples.length),
  twoLess = new Int32Array(triples.length),
  factorOf = new Float64Array(triples.length);
triples.forEach((triple, i) => {
  if (!i) return;
  const axis = triple[0] ? 0 : triple[1] ? 1 : 2;
  const less = (by: number): number => {
    const to = triple.map((x, k) => (k === axis ? x - by : x));
    return to[axis]! < 0 ? 0 : hermiteIndex(to[0]!, to[1]!, to[2]!);
  };
  axisOf[i] = axis;
  oneLess[i] = less(1);
  twoLess[i] = less(2);
  factorOf[i] = triple[axis] - 1;
});

const boysValues = new Float64Array(HIGHEST_ORDER + 1);
const separation = new Float64Array(3);

/**
 * Coulomb integrals R_tuv(α, d) = ∂ᵗ∂ᵘ∂ᵛ of F₀(α d²) by d, for t + u + v ≤ order, into `out` (hermiteCount(order) numbers).
 * The auxiliary integrals with higher n are made in the same array: terms are raised from the last to the first, so that
 * each still finds those of n + 1 below it (Helgaker et al., 9.9.18).
 */
export function coulombTerms(
  alpha: number,
  dx: number,
  dy: number,
  dz: number,
  order: number,
  out: Float64Array,
): void {
  boys(alpha * (dx * dx + dy * dy + dz * dz), order, boysValues);
  let power = 1;
  for (let n = 0; n <= order; n++) {
    boysValues[n]! *= power;
    power *= -2 * alpha;
  }
  separation[0] = dx;
  separation[1] = dy;
  separation[2] = dz;
  out[0] = boysValues[order]!;
  for (let n = order - 1; n >= 0; n--) {
    for (let i = hermiteCount(order - n) - 1; i > 0; i--)
      out[i] = separation[axisOf[i]!]! * out[oneLess[i]!]! + factorOf[i]! * out[twoLess[i]!]!;
    out[0] = boysValues[n]!;
  }
}

/**
 * E_t^{ij} of one direction for i ≤ la, j ≤ lb: value at (i·(lb+1) + j)·(la+lb+1) + t. `pa`, `pb`: P − A and P − B along it,
 * `k`: the prefactor E_0^{00} (Helgaker et al., 9.5.6–7).
 */
export function productTerms(la: number, lb: number, p: number, pa: number, pb: number, k: number): Float64Array {
  const width = la + lb + 1,
    half = 0.5 / p;
  const out = new Float64Array((la + 1) * (lb + 1) * width);
  const at = (i: number, j: number): number => (i * (lb + 1) + j) * width;
  out[0] = k;
  const raise = (from: number, to: number, shift: number, order: number): void => {
    for (let t = 0; t <= order + 1; t++)
      out[to + t] =
        (t > 0 ? half * out[from + t - 1]! : 0) +
        shift * (t <= order ? out[from + t]! : 0) +
        (t + 1 <= order ? (t + 1) * out[from + t + 1]! : 0);
  };
  for (let i = 0; i <= la; i++) {
    if (i) raise(at(i - 1, 0), at(i, 0), pa, i - 1);
    for (let j = 1; j <= lb; j++) raise(at(i, j - 1), at(i, j), pb, i + j - 1);
  }
  return out;
}
