/** What the sheet of the crystal's shape says, draws and saves. */
import { orthogonalization } from '@nagare/core/crystal/cell';
import type { Structure } from '@nagare/core/crystal/structure';
import type { LabelPrimitive, Layer, PolyhedronPrimitive } from '@nagare/core/draw/scene';
import { add, apply3, scale, toVec3, type Vec3 } from '@nagare/core/math/matrix3';
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

export interface ShapeLook {
  readonly colour: string;
  /** 0–1 */
  readonly opacity: number;
  readonly edges: boolean;
  readonly names: boolean;
}

/** Of half the way across the cell: how far the nearest face stands off when the shape is drawn around the structure. */
const AROUND = 1.05;

/** The shape around the middle of the cell, in the orientation of the crystal, with the names of its faces. */
export function shapeLayers(s: Structure, faces: readonly CrystalFace[], look: ShapeLook, ink: string): Layer[] {
  if (!faces.length) return [];
  const m = orthogonalization(s.cell);
  const middle = apply3(m, [0.5, 0.5, 0.5]);
  const corners = [0, 1, 2, 3, 4, 5, 6, 7].map((n): Vec3 => [n & 1, (n >> 1) & 1, n >> 2]);
  // Every corner of the cell within, so that what is drawn is seen inside.
  const nearest = Math.min(...faces.map((f) => f.distance));
  const unit = faces.map((f) => ({ ...f, distance: f.distance / nearest }));
  const needed = Math.max(
    ...corners.flatMap((c) => {
      const off = toVec3(apply3(m, c).map((x, k) => x - middle[k]!));
      return unit.map((f) => (off[0] * f.normal[0] + off[1] * f.normal[1] + off[2] * f.normal[2]) / f.distance);
    }),
  );
  const size = (AROUND * needed) / nearest;
  const place = (c: Vec3): Vec3 => add(middle, scale(c, size));
  const { colour, opacity } = look;
  const polyhedron = { ...bodyOf(faces, place), colour, opacity, edgeColour: ink, edgeWidth: look.edges ? 1.4 : 0 };
  const labels = faces.map((f): LabelPrimitive => {
    const centre = scale(
      f.corners.reduce((sum, c) => add(sum, c), [0, 0, 0] as Vec3),
      1 / f.corners.length,
    );
    return { text: faceName(f.hkl), at: place(centre), colour: ink, clear: 0, weight: 50 + f.area, normal: f.normal };
  });
  return [
    { kind: 'polyhedra', name: 'faces', items: [polyhedron] },
    ...(look.names ? [{ kind: 'labels' as const, name: 'faces' as const, items: labels }] : []),
  ];
}

/** Corners and rings of a shape, its corners moved. */
function bodyOf(
  faces: readonly CrystalFace[],
  place: (c: Vec3) => Vec3,
): Pick<PolyhedronPrimitive, 'vertices' | 'faces'> {
  let first = 0;
  const rings = faces.map((f) => {
    const ring = f.corners.map((_, i) => first + i);
    first += f.corners.length;
    return ring;
  });
  return { vertices: faces.flatMap((f) => f.corners.map(place)), faces: rings };
}

/** The shape as a solid of its own, in the unit of its distances. */
export const shapeSolid = (faces: readonly CrystalFace[], colour: string): Layer[] => [
  {
    kind: 'polyhedra',
    name: 'faces',
    items: [{ ...bodyOf(faces, (c) => c), colour, opacity: 1, edgeColour: colour, edgeWidth: 0 }],
  },
];

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
