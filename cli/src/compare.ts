/** `compare` of the terminal: two structures of one compound, by their molecules, their packing and their patterns. */
import type { Structure } from '@nagare/core/crystal/structure';
import { COMPARED, comparedCrystals } from '@nagare/core/tasks/compare-task';
import { frameworkWords, latticeWords } from '@nagare/core/symmetry/compare-words';
import { rounded, type Answer } from './answers.ts';

const hand = (mirrored: boolean): string => (mirrored ? ', as mirror images' : '');

export function compareAnswer(one: Structure, two: Structure): Answer {
  const { crystals, reason, similarity, framework, apart } = comparedCrystals(one, two);
  const { wavelength, from, to } = COMPARED;
  const patterns = `Patterns (${wavelength} Å, ${from} to ${to}°): similarity ${similarity.toFixed(3)}.`;
  const patternFigure = {
    patternSimilarity: rounded(similarity, 4),
    framework: framework ? { ...framework, rms: rounded(framework.rms, 4) } : null,
  };
  const lattices = framework
    ? [latticeWords(framework), frameworkWords(framework)]
    : [apart ?? 'The lattices are not compared.'];
  if (!crystals)
    return {
      json: { molecules: null, packing: null, ...patternFigure },
      text: [reason, ...lattices, patterns].join('\n'),
    };
  const { molecules, packing } = crystals;
  return {
    json: {
      molecules: { rms: rounded(molecules.rms, 4), mirrored: molecules.mirrored },
      packing: { ...packing, rms: rounded(packing.rms, 4) },
      ...patternFigure,
    },
    text: [
      `Molecules: r.m.s. ${molecules.rms.toFixed(3)} Å${hand(molecules.mirrored)}.`,
      `Packing: ${packing.matched} of ${packing.of} molecules stand alike, r.m.s. ${packing.rms.toFixed(3)} Å${hand(packing.mirrored)}.`,
      ...lattices,
      patterns,
    ].join('\n'),
  };
}
