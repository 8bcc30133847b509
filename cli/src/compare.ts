/** `compare` of the terminal: two structures of one compound, by their molecules, their packing and their patterns. */
import { compareCrystals, type CrystalComparison } from '@nagare/core/contacts/compare-packing';
import { singleLine, USUAL_INSTRUMENT } from '@nagare/core/crystal/pattern';
import type { Structure } from '@nagare/core/crystal/structure';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { calculatedReflections } from '@nagare/core/powder/identify';
import { patternSimilarity } from '@nagare/core/powder/similarity';
import { rounded, type Answer } from './answers.ts';

/** Å and degrees of the patterns that are compared. */
const WAVELENGTH = 1.5406,
  FROM = 3,
  TO = 50;

/** What the molecules tell; a sentence where the two share none. */
function byMolecules(one: Structure, two: Structure): CrystalComparison | string {
  try {
    return compareCrystals(bonded(one), bonded(two));
  } catch (e) {
    if (e instanceof RangeError) return e.message;
    throw e;
  }
}

const hand = (mirrored: boolean): string => (mirrored ? ', as mirror images' : '');

export function compareAnswer(one: Structure, two: Structure): Answer {
  const found = byMolecules(one, two);
  const lines = [one, two].map((s) => calculatedReflections(s, singleLine(USUAL_INSTRUMENT, WAVELENGTH), FROM, TO));
  const similarity = patternSimilarity(lines[0]!, lines[1]!);
  const patterns = `Patterns (${WAVELENGTH} Å, ${FROM} to ${TO}°): similarity ${similarity.toFixed(3)}.`;
  const patternFigure = { patternSimilarity: rounded(similarity, 4) };
  if (typeof found === 'string')
    return { json: { molecules: null, packing: null, ...patternFigure }, text: `${found}\n${patterns}` };
  const { molecules, packing } = found;
  return {
    json: {
      molecules: { rms: rounded(molecules.rms, 4), mirrored: molecules.mirrored },
      packing: { ...packing, rms: rounded(packing.rms, 4) },
      ...patternFigure,
    },
    text: [
      `Molecules: r.m.s. ${molecules.rms.toFixed(3)} Å${hand(molecules.mirrored)}.`,
      `Packing: ${packing.matched} of ${packing.of} molecules stand alike, r.m.s. ${packing.rms.toFixed(3)} Å${hand(packing.mirrored)}.`,
      patterns,
    ].join('\n'),
  };
}
