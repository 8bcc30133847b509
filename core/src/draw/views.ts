/** Rotations (rows: right, up, towards the viewer) that look along directions of the crystal. */
import { axisVectors, orthogonalization, type Cell } from '../crystal/cell.ts';
import { apply3, cross, IDENTITY3, inverse3, norm, transpose3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { lookAlong } from './camera.ts';

/** A camera that nothing is asked of but its rotation. */
export const STILL = { rotation: IDENTITY3, target: [0, 0, 0] as Vec3, scale: 1 };

/** The axis that lies best across a direction points up: c where it can. */
function upFor(cell: Cell, direction: Vec3): Vec3 {
  const [a, b, c] = axisVectors(cell);
  const across = (v: Vec3): number => norm(cross(v, direction)) / (norm(v) * norm(direction));
  return across(c) > 0.3 ? c : across(b) > across(a) ? b : a;
}

/** Along the row [uvw], from its tip. Throws RangeError where all are zero. */
export function alongRow(cell: Cell, row: Vec3): Mat3 {
  if (!row.some((x) => x)) throw new RangeError('[0 0 0] is no direction.');
  const direction = apply3(orthogonalization(cell), row);
  return lookAlong(STILL, direction, upFor(cell, direction)).rotation;
}

/** Along the normal of the planes (hkl). Throws RangeError where all are zero. */
export function alongNormal(cell: Cell, plane: Vec3): Mat3 {
  if (!plane.some((x) => x)) throw new RangeError('(0 0 0) is no plane.');
  const direction = apply3(transpose3(inverse3(orthogonalization(cell))), plane);
  return lookAlong(STILL, direction, upFor(cell, direction)).rotation;
}
