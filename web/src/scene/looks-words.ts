/** The looks of atoms in words. */
import type { AtomLook } from '@nagare/core/draw/style';

export const LOOKS: readonly (readonly [AtomLook, string])[] = [
  ['ellipsoids', 'Ellipsoids'],
  ['balls', 'Balls and sticks'],
  ['sticks', 'Sticks'],
  ['lines', 'Lines'],
  ['space-filling', 'Space-filling'],
];
