/** Where symmetry elements stand in Cartesian axes. */
import { orthogonalization, type Cell } from '../crystal/cell.ts';
import { add, apply3, dot, inverse3, normalize, scale, subtract, transpose3, type Vec3 } from '../math/matrix3.ts';
import type { Thing } from './things.ts';

export type ElementThing = Extract<Thing, { kind: 'element' }>;

/** A symmetry element in Cartesian axes: a point of it, and the direction of an axis or the normal of a plane. */
export function standing(cell: Cell, { at, axis, plane }: ElementThing): { at: Vec3; axis?: Vec3; normal?: Vec3 } {
  const m = orthogonalization(cell);
  const point = apply3(m, at);
  if (axis) return { at: point, axis: normalize(apply3(m, axis)) };
  return plane ? { at: point, normal: normalize(apply3(transpose3(inverse3(m)), plane)) } : { at: point };
}

/** The point of a symmetry element nearest to a place. */
export function footOf(cell: Cell, t: ElementThing, place: Vec3): Vec3 {
  const { at, axis, normal } = standing(cell, t);
  const away = subtract(place, at);
  if (axis) return add(at, scale(axis, dot(away, axis)));
  return normal ? subtract(place, scale(normal, dot(away, normal))) : at;
}
