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

/** Faces of the convex hull as indices of their corners in order, with the outward normal; corners within `inFace` Å of a face lie in it. */
export function hullFaces(points: readonly Vec3[], inFace = IN_FACE): { corners: number[]; normal: Vec3 }[] {
  const faces = new Map<string, { corners: number[]; normal: Vec3 }>();
  const n = points.length;
  for (let i = 0; i < n; i++)
    for (let j = i + 1; j < n; j++)
      for (let k = j + 1; k < n; k++) {
        const across = cross(subtract(points[j]!, points[i]!), subtract(points[k]!, points[i]!));
        if (norm(across) < 1e-9) continue;
        const normal = normalize(across);
        const heights = points.map((p) => dot(subtract(p, points[i]!), normal));
        const over = heights.some((h) => h > inFace),
          under = heights.some((h) => h < -inFace);
        if (over && under) continue;
        const corners = heights.flatMap((h, m) => (Math.abs(h) <= inFace ? [m] : []));
        const outward: Vec3 = over ? [-normal[0], -normal[1], -normal[2]] : normal;
        if (over || under) faces.set(corners.join(), { corners: around(points, corners, outward), normal: outward });
      }
  return [...faces.values()];
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

/** ⟨(l/l₀)²⟩, l₀ that of the ideal polyhedron of the same volume; tetrahedra, octahedra and cubes. */
export function quadraticElongation(centre: Vec3, neighbours: readonly Vec3[], shape: string): number | undefined {
  const ideal = IDEAL[shape];
  if (!ideal) return undefined;
  const size = Math.cbrt(hullVolume(neighbours) / ideal.volume);
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
