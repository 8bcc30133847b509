/** Faces of a crystal as they are measured. */
import { greatestCommonDivisor } from '../math/integer.ts';
import type { Vec3 } from '../math/matrix3.ts';

export interface GivenFace {
  readonly hkl: Vec3;
  /** From the middle: mm where the crystal was measured, else in whatever unit all are given in. */
  readonly distance: number;
}

/** Axes that are a fraction of others are at most this small a part of them. */
const SMALLEST_PART = 12;

/** The whole numbers without a common divisor that name the same face; as given where there are none. */
export function faceIndices(hkl: Vec3): Vec3 {
  for (let times = 1; times <= SMALLEST_PART; times++) {
    const whole = hkl.map((x) => Math.round(times * x));
    if (whole.some((x, k) => Math.abs(x - times * hkl[k]!) > 1e-4)) continue;
    const divisor = whole.reduce((n, x) => greatestCommonDivisor(n, Math.abs(x)), 0) || 1;
    return [whole[0]! / divisor + 0, whole[1]! / divisor + 0, whole[2]! / divisor + 0];
  }
  return hkl;
}

/** Faces in other axes: along h P, columns of P the new axes. */
export const facesInAxes = (faces: readonly GivenFace[], p: readonly number[]): GivenFace[] =>
  faces.map(({ hkl: [h, k, l], distance }) => {
    const [x, y, z] = [0, 1, 2].map((j) => h * p[j]! + k * p[3 + j]! + l * p[6 + j]!);
    return { hkl: faceIndices([x!, y!, z!]), distance };
  });
