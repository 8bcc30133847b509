/**
 * The shape a crystal is expected to grow in from its lattice alone: the wider planes of a face are spaced, the more slowly it
 * grows (Bravais; Friedel; Donnay & Harker 1937, Am. Mineral. 22, 446).
 */
import { orthogonalization } from '../crystal/cell.ts';
import { reflectionSymmetry } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { greatestCommonDivisor } from '../math/integer.ts';
import { apply3, cross, inverse3, norm, normalize, subtract, transpose3, type Vec3 } from '../math/matrix3.ts';
import { cutPolygon } from '../math/polyhedron.ts';

export interface CrystalFace {
  readonly hkl: Vec3;
  /** Outward, of unit length, in the crystal's Cartesian axes. */
  readonly normal: Vec3;
  /** Distance from the middle, 1 for the nearest face. */
  readonly distance: number;
  /** Corners one after another around the face. */
  readonly corners: readonly Vec3[];
  /** In units of the square of the nearest face's distance. */
  readonly area: number;
}

/** Indices up to which planes are looked at. */
const MOST_INDEX = 3;

/** How many layers the spacing of planes is made of: centring, screws and glides halve it and so on. */
function layersOf(s: Structure, h: Vec3): number {
  for (let n = 1; n < 6; n++) if (!reflectionSymmetry(s.spaceGroup, n * h[0], n * h[1], n * h[2]).absent) return n;
  return 6;
}

/** A plane that a face may be. */
export interface GrowthPlane {
  readonly hkl: Vec3;
  /** Outward, of unit length, Cartesian. */
  readonly normal: Vec3;
  /** Layers in one spacing, and Å between them. */
  readonly layers: number;
  readonly spacing: number;
}

/** Planes of small indices, and how thick the layers are that they grow by. */
export function growthPlanes(s: Structure): GrowthPlane[] {
  const back = transpose3(inverse3(orthogonalization(s.cell)));
  const planes: GrowthPlane[] = [];
  for (let h = -MOST_INDEX; h <= MOST_INDEX; h++)
    for (let k = -MOST_INDEX; k <= MOST_INDEX; k++)
      for (let l = -MOST_INDEX; l <= MOST_INDEX; l++) {
        if ([h, k, l].reduce((n, x) => greatestCommonDivisor(n, Math.abs(x)), 0) !== 1) continue;
        const hkl: Vec3 = [h, k, l];
        const star = apply3(back, hkl);
        const layers = layersOf(s, hkl);
        planes.push({ hkl, normal: normalize(star), layers, spacing: 1 / (layers * norm(star)) });
      }
  return planes;
}

/** Faces of the shape expected from the lattice alone, largest first. */
export const crystalShape = (s: Structure): CrystalFace[] =>
  shapeWithin(growthPlanes(s).map((p) => ({ ...p, distance: 1 / p.spacing })));

export interface FacePlane {
  readonly hkl: Vec3;
  readonly normal: Vec3;
  readonly distance: number;
}

/** The shape within planes at distances that are made 1 for the nearest, largest face first. */
export function shapeWithin(given: readonly FacePlane[]): CrystalFace[] {
  const planes = [...given].sort((p, q) => p.distance - q.distance);
  const nearest = planes[0]!.distance;
  const scaled = planes.map(({ hkl, normal, distance }) => ({ hkl, normal, distance: distance / nearest }));
  // What lies beyond every corner of the nearest planes' polyhedron cuts nothing.
  const corners = facesOf(scaled.slice(0, FIRST)).flatMap((f) => f.corners.map(norm));
  const furthest = Math.max(...corners);
  return facesOf(scaled.filter((p) => p.distance <= furthest));
}

/** The polyhedron of half-spaces normal·x ≤ distance: the faces that are left of them. */
export function facesOf(planes: readonly FacePlane[]): CrystalFace[] {
  const out: CrystalFace[] = [];
  for (const p of planes) {
    const corners = planes.reduce<readonly Vec3[]>(
      (polygon, q) => (q === p || !polygon.length ? polygon : cutPolygon(polygon, q)),
      square(p),
    );
    const area = areaOf(corners);
    if (corners.length > 2 && area > 1e-6) out.push({ ...p, corners, area });
  }
  return out.sort((p, q) => q.area - p.area);
}

/** Planes that make the first polyhedron. */
const FIRST = 48;

/** Far beyond any face. */
export const FAR = 100;

/** A large square in a plane. */
function square({ normal, distance }: { normal: Vec3; distance: number }): Vec3[] {
  const other: Vec3 = Math.abs(normal[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0];
  const u = normalize(cross(normal, other)),
    v = cross(normal, u);
  return [
    [1, 1],
    [-1, 1],
    [-1, -1],
    [1, -1],
  ].map(([x, y]): Vec3 => [0, 1, 2].map((k) => normal[k]! * distance + FAR * (x! * u[k]! + y! * v[k]!)) as never);
}

const areaOf = (corners: readonly Vec3[]): number =>
  corners.slice(2).reduce((sum, c, i) => {
    const a = subtract(corners[i + 1]!, corners[0]!),
      b = subtract(c, corners[0]!);
    return sum + norm(cross(a, b)) / 2;
  }, 0);
