/** Balls and cubes in the picture that are no atoms of the model. */
import type { AtomRef } from '../crystal/atom-ref.ts';
import type { Vec3 } from '../math/matrix3.ts';
import type { AtomPrimitive, AtomShape } from './scene.ts';

/** What is drawn but stands for no atom. */
export const NOWHERE: AtomRef = { site: '', operator: 0, shift: [0, 0, 0] };

/** A ball of a radius, Å, or a cube as large. */
export const ball = (
  position: Vec3,
  r: number,
  colour: string,
  opacity = 1,
  shape: AtomShape = 'sphere',
): AtomPrimitive => ({
  ref: NOWHERE,
  position,
  element: '',
  label: '',
  colour,
  axes: [
    [r, 0, 0],
    [0, r, 0],
    [0, 0, r],
  ],
  shape,
  opacity,
});
