/** Derivatives of |F|² by the values of sites, from the sums of one reflection. */
import { STRIDE, type ScatteringTable, type SiteArrays, type SiteSums } from '../scattering/structure-factors.ts';
import { siteOffset } from './parameters.ts';

/**
 * Adds ∂(outer·|F|²)/∂p of every site to `derivative` (from `base` on, laid out as in parameters.ts): 2·outer·(A ∂A + B ∂B) = pc ∂C + ps ∂S.
 * `sums` has done at(i, true); `siteFactor` is multiplicity over group order. With P + iQ of a covered site (aspherical,
 * dispersion left out) the same holds for 2·outer·(A ∂P + B ∂Q), added to the part of its dispersion.
 */
export function addIntensityDerivatives(
  derivative: Float64Array,
  base: number,
  i: number,
  t: ScatteringTable,
  s: SiteArrays,
  siteFactor: ArrayLike<number>,
  sums: SiteSums,
  A: number,
  B: number,
  outer: number,
): void {
  const n = t.count;
  const { own, provider, terms } = sums;
  for (let j = 0; j < s.count; j++) {
    const from = j * STRIDE,
      at = base + siteOffset(j),
      e = s.element[j]!;
    const covered = provider !== undefined && provider.covers[j] === 1;
    const f1 = (covered ? t.f1[e]! : t.f[e * n + i]!) * t.factor,
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
    if (covered)
      addTerms(
        derivative,
        at,
        own,
        from,
        2 * outer * t.factor * A,
        2 * outer * t.factor * B,
        s.weight[j]!,
        siteFactor[j]!,
      );
  }
}

/** Adds a ∂C + b ∂S of one site's sums, by all of its values. */
function addTerms(
  derivative: Float64Array,
  at: number,
  terms: Float64Array,
  from: number,
  a: number,
  b: number,
  weight: number,
  siteFactor: number,
): void {
  for (let k = 0; k < 3; k++) derivative[at + k]! += weight * (a * terms[from + 2 + k]! + b * terms[from + 5 + k]!);
  derivative[at + 3]! += siteFactor * (a * terms[from]! + b * terms[from + 1]!);
  for (let k = 0; k < 6; k++)
    derivative[at + 4 + k]! += weight * (a * terms[from + 8 + k]! + b * terms[from + 14 + k]!);
}
