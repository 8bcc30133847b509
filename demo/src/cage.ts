/** Corners of a truncated icosahedron with edges of 1.43 Å about the origin, Å. */
import { toVec3, type Vec3 } from '@nagare/core/math/matrix3';

const GOLDEN = (1 + Math.sqrt(5)) / 2;
/** Half of an edge. */
const HALF = 0.715;
const SEEDS = [
  [0, 1, 3 * GOLDEN],
  [1, 2 + GOLDEN, 2 * GOLDEN],
  [2, 1 + 2 * GOLDEN, GOLDEN],
] as const;

export function cageCorners(): Vec3[] {
  const corners = new Map<string, Vec3>();
  for (const seed of SEEDS)
    for (let turn = 0; turn < 3; turn++)
      for (let signs = 0; signs < 8; signs++) {
        const p = [0, 1, 2].map((k) => seed[(k + turn) % 3]! * (signs & (1 << k) ? -HALF : HALF));
        corners.set(p.map((x) => (x + 0).toFixed(4)).join(), toVec3(p));
      }
  return [...corners.values()];
}
