/** Rotations (rows: right, up, towards the viewer) that look along directions of a selection. */
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { bestRotation, lookAlong } from '@nagare/core/draw/camera';
import { STILL } from '@nagare/core/draw/views';
import { cartesianOf } from '@nagare/core/geometry/measure';
import type { Mat3 } from '@nagare/core/math/matrix3';

/** The best view looks along the normal of the selection's best plane. */
export type SelectionView = 'best' | 'axis';

/** As a selection lies: flat before the viewer, or along its long axis. */
export function alongSelection(s: Structure, atoms: readonly AtomRef[], view: SelectionView): Mat3 {
  const r = bestRotation(cartesianOf(s, atoms));
  // The principal axes are rows: long, middle, short.
  if (view === 'best') return r;
  return lookAlong(STILL, [r[0], r[1], r[2]], [r[3], r[4], r[5]]).rotation;
}
