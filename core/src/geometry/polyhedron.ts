/**
 * Numbers of a coordination polyhedron: volume of its hull, bond-length distortion (Baur 1974, Acta Cryst. B30, 1195),
 * quadratic elongation and angle variance (Robinson, Gibbs & Ribbe 1971, Science 172, 567), effective coordination
 * (Hoppe 1979, Z. Kristallogr. 150, 23).
 */
import { cross, dot, norm, normalize, subtract, type Vec3 } from '../math/matrix3.ts';
import { middle } from '../math/superpose.ts';
import { angleOf } from './points.ts';

/** Å: vertices this near to a face lie in it. */
const IN_FACE = 1e-6;

export interface HullFace {
  /** Indices of the points, in order around the face. */
  readonly corners: number[];
  /** Outward, of length 1. */
  readonly normal: Vec3;
}

/** Faces of the convex hull; points within `inFace` Å of a face are corners of it. */
export function hullFaces(points: readonly Vec3[], inFace = IN_FACE): HullFace[] {
  const faces = new Map<string, HullFace>();
  const n = points.length;
  for (let i = 0; i < n; i++)
    for (let j = i + 1; j < n; j++)
      for (let k = j + 1; k < n; k++) {
        const normal = outwardNormal(points, [i, j, k], inFace);
        if (!normal) continue;
        const corners = points.flatMap((p, m) => (Math.abs(height(p, points[i]!, normal)) <= inFace ? [m] : []));
        const key = corners.join();
        if (!faces.has(key)) faces.set(key, { corners: around(points, corners, normal), normal });
      }
  return [...faces.values()];
}

/** Å above the plane through a point. */
const height = (p: Vec3, on: Vec3, normal: Vec3): number =>
  (p[0] - on[0]) * normal[0] + (p[1] - on[1]) * normal[1] + (p[2] - on[2]) * normal[2];

/** The normal of three points' plane away from all others; undefined where they stand on both sides of it, or on none. */
function outwardNormal(
  points: readonly Vec3[],
  [i, j, k]: readonly [number, number, number],
  inFace: number,
): Vec3 | undefined {
  const across = cross(subtract(points[j]!, points[i]!), subtract(points[k]!, points[i]!));
  if (norm(across) < 1e-9) return undefined;
  const normal = normalize(across);
  let over = false,
    under = false;
  for (const p of points) {
    const h = height(p, points[i]!, normal);
    if (h > inFace) over = true;
    else if (h < -inFace) under = true;
    if (over && under) return undefined;
  }
  if (!over && !under) return undefined;
  return over ? [-normal[0], -normal[1], -normal[2]] : normal;
}

function around(points: readonly Vec3[], corners: readonly number[], normal: Vec3): number[] {
  const c = middle(corners.map((i) => points[i]!));
  const x = normalize(subtract(points[corners[0]!]!, c)),
    y = cross(normal, x);
  const phase = (i: number): number => {
    const d = subtract(points[i]!, c);
    return Math.atan2(dot(d, y), dot(d, x));
  };
  return [...corners].sort((i, j) => phase(i) - phase(j));
}

/** Volume of the convex hull, Å³; 0 where all points lie in a plane. */
export function hullVolume(points: readonly Vec3[]): number {
  const inside = middle(points);
  return hullFaces(points).reduce((sum, { corners, normal }) => {
    const first = points[corners[0]!]!;
    let area = 0;
    for (let k = 1; k + 1 < corners.length; k++)
      area += norm(cross(subtract(points[corners[k]!]!, first), subtract(points[corners[k + 1]!]!, first))) / 2;
    return sum + (area * dot(subtract(first, inside), normal)) / 3;
  }, 0);
}

/** Mean |l − l̄| over l̄. */
export function lengthDistortion(lengths: readonly number[]): number {
  const mean = lengths.reduce((a, b) => a + b, 0) / lengths.length;
  return lengths.reduce((sum, l) => sum + Math.abs(l - mean), 0) / (lengths.length * mean);
}

/** Volume of the ideal polyhedron whose vertices stand at unit distance, and the angle between neighbouring bonds in it. */
const IDEAL: Readonly<Record<string, { volume: number; angle: number; angles: number }>> = {
  tetrahedron: { volume: (8 * Math.sqrt(3)) / 27, angle: 109.4712206, angles: 6 },
  octahedron: { volume: 4 / 3, angle: 90, angles: 12 },
  cube: { volume: 8 / (3 * Math.sqrt(3)), angle: 70.5287794, angles: 12 },
};

/** ⟨(l/l₀)²⟩, l₀ that of the ideal polyhedron of the same volume (Å³); tetrahedra, octahedra and cubes. */
export function quadraticElongation(
  centre: Vec3,
  neighbours: readonly Vec3[],
  shape: string,
  volume = hullVolume(neighbours),
): number | undefined {
  const ideal = IDEAL[shape];
  if (!ideal) return undefined;
  const size = Math.cbrt(volume / ideal.volume);
  return neighbours.reduce((sum, p) => sum + (norm(subtract(p, centre)) / size) ** 2, 0) / neighbours.length;
}

/** Σ(θ − θ₀)²/(m − 1) over the m angles between neighbouring bonds, degrees². */
export function angleVariance(centre: Vec3, neighbours: readonly Vec3[], shape: string): number | undefined {
  const ideal = IDEAL[shape];
  if (!ideal) return undefined;
  const all = neighbours.flatMap((p, i) => neighbours.slice(i + 1).map((q) => angleOf([p, centre, q])));
  const near = all.sort((a, b) => a - b).slice(0, ideal.angles);
  return near.reduce((sum, a) => sum + (a - ideal.angle) ** 2, 0) / (near.length - 1);
}

/** Effective coordination number: each neighbour counts by how near it stands to the weighted mean length. */
export function effectiveCoordination(lengths: readonly number[]): number {
  const weight = (l: number, mean: number): number => Math.exp(1 - (l / mean) ** 6);
  let mean = Math.min(...lengths);
  for (let round = 0; round < 100; round++) {
    let top = 0,
      bottom = 0;
    for (const l of lengths) {
      const w = weight(l, mean);
      top += l * w;
      bottom += w;
    }
    const next = top / bottom;
    if (Math.abs(next - mean) < 1e-10) break;
    mean = next;
  }
  return lengths.reduce((sum, l) => sum + weight(l, mean), 0);
}
