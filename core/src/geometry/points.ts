/** Distances, angles, torsions and planes of points in space. What carries an s.u. is in measure.ts. */
import { cross, dot, eigenSymmetric3, norm, normalize, subtract, type Vec3, toVec3, toMat3 } from '../math/matrix3.ts';

const DEG = 180 / Math.PI;

export const distanceOf = (p: readonly Vec3[]): number => norm(subtract(p[1]!, p[0]!));

export function angleOf(p: readonly Vec3[]): number {
  const u = subtract(p[0]!, p[1]!),
    v = subtract(p[2]!, p[1]!);
  return Math.atan2(norm(cross(u, v)), dot(u, v)) * DEG;
}

/** Signed torsion in degrees, positive clockwise looking from the second to the third point (IUPAC 1974). */
export function torsionOf(p: readonly Vec3[]): number {
  const b1 = subtract(p[1]!, p[0]!),
    b2 = subtract(p[2]!, p[1]!),
    b3 = subtract(p[3]!, p[2]!);
  const n1 = cross(b1, b2),
    n2 = cross(b2, b3);
  return Math.atan2(dot(cross(n1, n2), normalize(b2)), dot(n1, n2)) * DEG;
}

export interface Plane {
  centre: Vec3;
  normal: Vec3;
  /** Signed distance of each point, Å. */
  deviations: number[];
  rms: number;
}

/** Least-squares plane of three or more Cartesian points (Schomaker et al. 1959, Acta Cryst. 12, 600; unit weights). */
export function planeOf(points: readonly Vec3[]): Plane {
  const n = points.length;
  const centre = toVec3([0, 1, 2].map((k) => points.reduce((s, p) => s + p[k]!, 0) / n));
  const m = new Array<number>(9).fill(0);
  for (const p of points) {
    const d = subtract(p, centre);
    for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) m[3 * i + j]! += d[i]! * d[j]!;
  }
  const normal = eigenSymmetric3(toMat3(m)).vectors[0];
  const deviations = points.map((p) => dot(subtract(p, centre), normal));
  return { centre, normal, deviations, rms: Math.sqrt(deviations.reduce((s, d) => s + d * d, 0) / n) };
}
