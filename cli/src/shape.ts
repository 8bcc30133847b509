/** `shape` of the terminal: the shape that a crystal is expected to grow in. */
import type { Structure } from '@nagare/core/crystal/structure';
import { crystalShape } from '@nagare/core/space/crystal-shape';
import { formName, formsOf, habitOf, habitWords } from '@nagare/core/space/forms';
import { rounded, type Answer } from './answers.ts';

export function shapeAnswer(s: Structure): Answer {
  const faces = crystalShape(s);
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
      })),
      habit,
    },
    text: [
      `Expected from the spacings and the reflection conditions: ${habit}.`,
      ...forms.map(
        (f) =>
          `${formName(f.hkl)}: ${f.faces.length} faces, ${(100 * f.area).toFixed(1)} %, distance ${f.distance.toFixed(3)}`,
      ),
    ].join('\n'),
  };
}
