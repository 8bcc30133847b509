/** What a correction for absorption says in the CIF, and why one cannot be made. */
import { withItem } from '@nagare/core/formats/dictionary';
import type { SampleRecord } from '@nagare/core/formats/cif-data';
import type { ScalingResult, ScalingWish } from '@nagare/core/data/scaling';

/** Shortest way through a crystal whose size is not known, mm. */
const THIN = 0.05;

/** What a correction writes, and what is taken back with it. */
const TAGS = [
  '_exptl_absorpt_correction_type',
  '_exptl_absorpt_process_details',
  '_exptl_absorpt_correction_T_max',
  '_exptl_absorpt_correction_T_min',
];

type Figures = Pick<ScalingResult, 'used' | 'directionRange' | 'transmission'>;

/** Items of the CIF that tell how absorption was corrected; none where it was not. */
export function absorptionItems(
  wish: Pick<ScalingWish, 'harmonics' | 'faces'>,
  { used, directionRange, transmission }: Figures,
  mu: number,
  shortest = THIN,
): readonly (readonly [string, string])[] {
  const harmonics = `Spherical harmonics to order ${wish.harmonics} of both beams from ${used} equivalents (Blessing, 1995)`;
  const faces = `By the ${wish.faces?.faces.length ?? 0} faces of the crystal, integrated over polyhedra (de Meulenaer & Tompa, 1965)`;
  if (transmission)
    return items(
      'analytical',
      directionRange ? `${faces}, then ${harmonics[0]!.toLowerCase()}${harmonics.slice(1)}` : faces,
      transmission,
    );
  if (!directionRange) return [];
  // The spread comes from the equivalents, its upper end from the shortest way through the crystal.
  const top = Math.exp(-mu * shortest);
  return items('multi-scan', harmonics, [(top * directionRange[0]) / directionRange[1], top]);
}

function items(type: string, details: string, [low, high]: readonly [number, number]): [string, string][] {
  const said = [type, `${details}, in Nagare`, high.toFixed(4), low.toFixed(4)];
  return TAGS.map((tag, i) => [tag, said[i]!]);
}

/** The record with what a correction says of absorption in the place of what the one before it said; what the file said stays. */
export function recordOfCorrection(
  record: SampleRecord,
  before: Pick<ScalingResult, 'directionRange' | 'transmission'> | undefined,
  said: readonly (readonly [string, string])[],
): SampleRecord {
  const hadOne = !!(before?.directionRange ?? before?.transmission);
  const rest = hadOne ? TAGS.reduce((r, tag) => withItem(r, tag, ''), record) : record;
  return said.reduce((r, [tag, value]) => withItem(r, tag, value), rest);
}

/** What is missing for a correction by the faces. */
export function whyNotByFaces(hasBeams: boolean, mu: number, hasFaces: boolean): string {
  if (!hasBeams) return 'The file gives no angles with an orientation matrix.';
  if (!hasFaces) return 'Give the faces of the crystal above.';
  return mu > 0 ? '' : 'The absorption coefficient needs the formula, Z and the wavelength.';
}
