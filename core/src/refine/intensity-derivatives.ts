/** Derivatives of |F|² by the values of sites, from the sums of one reflection. */
import { STRIDE, type ScatteringTable, type SiteArrays } from '../scattering/structure-factors.ts';
import { siteOffset } from './parameters.ts';

/**
 * Adds ∂(outer·|F|²)/∂p of every site to `derivative` (from `base` on, laid out as in parameters.ts): 2·outer·(A ∂A + B ∂B) = pc ∂C + ps ∂S.
 * `terms` comes from SiteSums.at(i, true); `siteFactor` is multiplicity over group order.
 */
export function addIntensityDerivatives(
  derivative: Float64Array,
  base: number,
  i: number,
  t: ScatteringTable,
  s: SiteArrays,
  siteFactor: ArrayLike<number>,
  terms: Float64Array,
  A: number,
  B: number,
  outer: number,
): void {
  const n = t.count;
  for (let j = 0; j < s.count; j++) {
    const from = j * STRIDE,
      at = base + siteOffset(j),
      e = s.element[j]!;
    const f1 = t.f[e * n + i]! * t.factor,
      f2 = t.f2[e]! * t.factor;
    const pc0 = 2 * outer * (A * f1 + B * f2),
      ps0 = 2 * outer * (B * f1 - A * f2);
    const pc = pc0 * s.weight[j]!,
      ps = ps0 * s.weight[j]!;
    derivative[at]! += pc * terms[from + 2]! + ps * terms[from + 5]!;
    derivative[at + 1]! += pc * terms[from + 3]! + ps * terms[from + 6]!;
    derivative[at + 2]! += pc * terms[from + 4]! + ps * terms[from + 7]!;
    derivative[at + 3]! += (pc0 * terms[from]! + ps0 * terms[from + 1]!) * siteFactor[j]!;
    derivative[at + 4]! += pc * terms[from + 8]! + ps * terms[from + 14]!;
    if (s.aniso[j] === 1)
      for (let q = 1; q < 6; q++) derivative[at + 4 + q]! += pc * terms[from + 8 + q]! + ps * terms[from + 14 + q]!;
  }
}
