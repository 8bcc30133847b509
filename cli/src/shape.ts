/** `shape` of the terminal: the shape that a crystal is expected to grow in. */
import type { Structure } from '@nagare/core/crystal/structure';
import { formName, formsOf, habitOf, habitWords } from '@nagare/core/space/forms';
import { shapeOf } from '@nagare/core/tasks/shape-task';
import { BadInput, rounded, type Answer } from './answers.ts';

/** By the spacings of its planes, or by the energies of attaching layers of molecules. */
export function shapeAnswer(s: Structure, byEnergies: boolean): Answer {
  const { faces, energies, remarks } = shaped(s, byEnergies);
  const energyOf = (hkl: readonly number[]): number | undefined =>
    energies?.find((e) => e.hkl.join() === hkl.join())?.energy;
  const forms = formsOf(s, faces);
  const habit = habitWords(habitOf(s, faces));
  return {
    json: {
      forms: forms.map(({ hkl: [h, k, l], distance, area, faces: list }) => ({
        h,
        k,
        l,
        distance: rounded(distance, 4),
        area: rounded(100 * area, 2),
        faces: list.length,
        ...(energies ? { energy: rounded(energyOf([h, k, l]) ?? 0, 4) } : {}),
      })),
      habit,
      by: byEnergies ? 'attachment energies' : 'spacings',
      ...(energies ? { unit: 'kJ/mol', remarks } : {}),
    },
    text: [
      `Expected from ${byEnergies ? 'attachment energies' : 'the spacings and the reflection conditions'}: ${habit}.`,
      ...forms.map(
        (f) =>
          `${formName(f.hkl)}: ${f.faces.length} faces, ${(100 * f.area).toFixed(1)} %, distance ${f.distance.toFixed(3)}${gains(energyOf(f.hkl))}`,
      ),
      ...remarks,
    ].join('\n'),
  };
}

const gains = (energy: number | undefined): string =>
  energy === undefined ? '' : `, ${energy.toFixed(1).replace('-', '−')} kJ/mol`;

function shaped(structure: Structure, byEnergies: boolean): ReturnType<typeof shapeOf> {
  try {
    return shapeOf({ structure, by: byEnergies ? 'energies' : 'spacings' });
  } catch (e) {
    if (e instanceof RangeError) throw new BadInput(e.message);
    throw e;
  }
}
