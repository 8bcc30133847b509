/** Faces of a crystal as they are measured. */
import type { Vec3 } from '../math/matrix3.ts';

export interface GivenFace {
  readonly hkl: Vec3;
  /** From the middle: mm where the crystal was measured, else in whatever unit all are given in. */
  readonly distance: number;
}

/** Faces in other axes: h′ = h P, columns of P the new axes. Indices that do not come out whole are given as they are. */
export const facesInAxes = (faces: readonly GivenFace[], p: readonly number[]): GivenFace[] =>
  faces.map(({ hkl: [h, k, l], distance }) => {
    const [x, y, z] = [0, 1, 2].map((j) => h * p[j]! + k * p[3 + j]! + l * p[6 + j]! + 0);
    return { hkl: [x!, y!, z!], distance };
  });
