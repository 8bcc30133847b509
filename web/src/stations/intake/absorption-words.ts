/** What a correction for absorption says in the CIF, and why one cannot be made. */
import type { ScalingResult, ScalingWish } from '@nagare/core/data/scaling';

/** Shortest way through a crystal whose size is not known, mm. */
const THIN = 0.05;

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

const items = (type: string, details: string, [low, high]: readonly [number, number]): [string, string][] => [
  ['_exptl_absorpt_correction_type', type],
  ['_exptl_absorpt_process_details', `${details}, in Nagare`],
  ['_exptl_absorpt_correction_T_max', high.toFixed(4)],
  ['_exptl_absorpt_correction_T_min', low.toFixed(4)],
];

/** What is missing for a correction by the faces. */
export function whyNotByFaces(hasBeams: boolean, mu: number, hasFaces: boolean): string {
  if (!hasBeams) return 'The file gives no angles with an orientation matrix.';
  if (!hasFaces) return 'Give the faces of the crystal above.';
  return mu > 0 ? '' : 'The absorption coefficient needs the formula, Z and the wavelength.';
}
