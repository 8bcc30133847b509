/** The shape of a crystal as a body with the names of its faces: around a structure, or by itself. */
import { orthogonalization } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import type { LabelPrimitive, Layer, PolyhedronPrimitive } from '../draw/scene.ts';
import { add, apply3, scale, toVec3, type Vec3 } from '../math/matrix3.ts';
import type { CrystalFace } from '../space/crystal-shape.ts';
import { faceName } from '../space/forms.ts';

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
