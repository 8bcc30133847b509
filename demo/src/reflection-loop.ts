/** Unmerged intensities as a loop of a CIF. */
import type { RawReflections } from '@nagare/core/crystal/reflections';
import type { CifWriter } from '@nagare/core/publish/cif-writer';

/** Further columns of each observation, by data name. */
export interface MoreColumns {
  readonly names: readonly string[];
  values(i: number): readonly (string | number)[];
}

/** Writes indices, intensities and s.u. with so many decimals, and what else is known of each observation. */
export function writeReflections(w: CifWriter, raw: RawReflections, decimals: number, more?: MoreColumns): void {
  w.loop(
    [
      '_diffrn_refln_index_h',
      '_diffrn_refln_index_k',
      '_diffrn_refln_index_l',
      '_diffrn_refln_intensity_net',
      '_diffrn_refln_intensity_u',
      ...(more?.names ?? []),
    ],
    Array.from({ length: raw.count }, (_, i) => [
      raw.h[i]!,
      raw.k[i]!,
      raw.l[i]!,
      raw.intensity[i]!.toFixed(decimals),
      raw.sigma[i]!.toFixed(decimals),
      ...(more?.values(i) ?? []),
    ]),
  );
}
