/** Places by angle and distance, for structures made by hand. */
import type { Vec3 } from '@nagare/core/math/matrix3';

const RADIAN = Math.PI / 180;

export const sphericalPoint = {
  /** In the plane of the first two axes, so many degrees from the first. */
  along: (degrees: number, length: number): Vec3 => [
    length * Math.cos(degrees * RADIAN),
    length * Math.sin(degrees * RADIAN),
    0,
  ],
  /** Corners of a tetrahedron about the origin. */
  tetrahedron: (length: number): Vec3[] =>
    (
      [
        [1, 1, 1],
        [1, -1, -1],
        [-1, 1, -1],
        [-1, -1, 1],
      ] as const
    ).map(([x, y, z]) => {
      const f = length / Math.sqrt(3);
      return [f * x, f * y, f * z] as const;
    }),
};
