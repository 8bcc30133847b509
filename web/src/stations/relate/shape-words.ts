/** What the sheet of the crystal's shape says, draws and saves. */
import type { FaceView } from '@nagare/core/contacts/face-view';
import type { PlainTable } from '@nagare/core/publish/tables';
import type { CrystalFace } from '@nagare/core/space/crystal-shape';
import { faceName, formName, type CrystalForm } from '@nagare/core/space/forms';
import type { ShapeSource } from '@nagare/core/tasks/shape-task';

export const SOURCE_WORDS: Readonly<Record<ShapeSource, string>> = {
  spacings: 'by its spacings',
  energies: 'by attachment energies',
  faces: 'by given faces',
};

const FROM: Readonly<Record<ShapeSource, string>> = {
  spacings: 'From the spacings of the planes and the reflection conditions; twins and re-entrant faces are left out.',
  energies:
    'From what layers of whole molecules gain by attaching, by the energies of neighbouring pairs: an estimate for growth from the vapour.',
  faces: 'From the given distances.',
};

export function formTable(forms: readonly CrystalForm[], habit: string, by: ShapeSource, gains?: Gains): PlainTable {
  return {
    title: 'Forms of the crystal',
    columns: ['form', 'faces', '% of the surface', 'distance', ...(gains ? ['attachment, kJ/mol'] : [])],
    rows: forms.map((f) => [
      formName(f.hkl),
      String(f.faces.length),
      (100 * f.area).toFixed(2),
      f.distance.toFixed(4),
      ...(gains ? [gains.get(f.hkl.join())?.toFixed(1) ?? ''] : []),
    ]),
    notes: [`Habit: ${habit}. ${FROM[by]}`],
  };
}

/** kJ/mol by the indices of a face. */
export type Gains = ReadonlyMap<string, number>;

/** Faces with their distances (mm) as the loop of a CIF. */
export const faceLoop = (faces: readonly CrystalFace[]): string =>
  [
    'loop_',
    '_exptl_crystal_face_index_h',
    '_exptl_crystal_face_index_k',
    '_exptl_crystal_face_index_l',
    '_exptl_crystal_face_perp_dist',
    ...faces.map((f) => `${f.hkl.join(' ')} ${f.distance.toFixed(4)}`),
    '',
  ].join('\n');

/** What a face shows in one sentence. */
export function viewWords(view: FaceView): string {
  const polar = `${(100 * view.polarShare).toFixed(0)} % of it is nitrogen, oxygen, fluorine or a hydrogen of theirs, ${view.polarPerArea.toFixed(1)} of them in a square nanometre`;
  return `Rough by ${view.roughness.toFixed(2)} Å r.m.s., ${view.relief.toFixed(1)} Å from its lowest to its highest place; ${polar}.`;
}

export const viewTable = (view: FaceView): PlainTable => ({
  title: `What ${faceName(view.hkl)} shows`,
  columns: ['atoms', '% of the face', 'in 1 nm²'],
  rows: view.kinds.map((k) => [k.kind, (100 * k.share).toFixed(1), k.perArea.toFixed(2)]),
  notes: [viewWords(view), ...view.molecules.map((x) => `${x.formula}: ${(100 * x.share).toFixed(0)} % of the face.`)],
});
