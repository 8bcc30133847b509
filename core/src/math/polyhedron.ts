/** Convex polyhedra as lists of faces: made from half-spaces, cut, taken apart into tetrahedra. */
import { add, cross, dot, norm, normalize, scale, subtract, type Vec3 } from './matrix3.ts';

/** The half-space normal·x ≤ distance; the normal need not be of unit length. */
export interface HalfSpace {
  readonly normal: Vec3;
  readonly distance: number;
}

/** Corners one after another around a face. */
export type Polygon = readonly Vec3[];

/** The faces of a convex body, each once; none where it is empty. */
export type Polyhedron = readonly Polygon[];

/** The middle of some corners. */
const middleOf = (corners: readonly Vec3[]): Vec3 => scale(corners.reduce(add), 1 / corners.length);

/**
 * What of a polygon lies within a half-space (Sutherland & Hodgman 1974), `over` telling how far each corner lies beyond it; the
 * corners where it is cut are added to `cutAt`. Corners no more than `within` beyond the plane are in it.
 */
function clippedPolygon(polygon: Polygon, over: Float64Array, cutAt: Vec3[], within = 0): Vec3[] {
  const out: Vec3[] = [];
  for (let i = 0; i < polygon.length; i++) {
    const j = i + 1 === polygon.length ? 0 : i + 1;
    const [a, b] = [over[i]!, over[j]!];
    const x = polygon[i]!,
      y = polygon[j]!;
    if (a <= within) out.push(x);
    if (a <= within === b <= within) continue;
    const t = a / (a - b);
    const crossing: Vec3 = [x[0] + t * (y[0] - x[0]), x[1] + t * (y[1] - x[1]), x[2] + t * (y[2] - x[2])];
    out.push(crossing);
    cutAt.push(crossing);
  }
  return out;
}

/** Corners that lie so little beyond a plane are in it. */
const IN_PLANE = 1e-9;

/** What of a polygon lies within a half-space whose normal is of unit length. */
export function cutPolygon(polygon: Polygon, { normal, distance }: HalfSpace): Polygon {
  const over = Float64Array.from(polygon, (x) => dot(x, normal) - distance);
  return clippedPolygon(polygon, over, [], IN_PLANE);
}

/** Puts the corners of a convex face one after another around its normal. */
function around(corners: readonly Vec3[], normal: Vec3): Vec3[] {
  const middle = middleOf(corners);
  const u = normalize(cross(normal, Math.abs(normal[0]) < 0.7 * norm(normal) ? [1, 0, 0] : [0, 1, 0]));
  const v = cross(normalize(normal), u);
  const angle = (x: Vec3): number => Math.atan2(dot(subtract(x, middle), v), dot(subtract(x, middle), u));
  return corners
    .map((x) => ({ x, at: angle(x) }))
    .sort((p, q) => p.at - q.at)
    .map((p) => p.x);
}

/** How far corners lie beyond a half-space, reused from face to face; grown where a face has more of them. */
let beyond = new Float64Array(64);

/** What of a body lies within a half-space. */
export function cutPolyhedron(body: Polyhedron, { normal: [nx, ny, nz], distance }: HalfSpace): Polyhedron {
  const kept: Polygon[] = [];
  const cutAt: Vec3[] = [];
  let isCut = false;
  for (const face of body) {
    if (face.length > beyond.length) beyond = new Float64Array(2 * face.length);
    let furthest = -Infinity;
    for (let i = 0; i < face.length; i++) {
      const x = face[i]!;
      const over = x[0] * nx + x[1] * ny + x[2] * nz - distance;
      beyond[i] = over;
      if (over > furthest) furthest = over;
    }
    if (furthest <= 0) {
      kept.push(face);
      continue;
    }
    isCut = true;
    const left = clippedPolygon(face, beyond, cutAt);
    if (left.length > 2) kept.push(left);
  }
  if (!isCut) return body;
  if (kept.length && cutAt.length > 2) kept.push(around(cutAt, [nx, ny, nz]));
  return kept.length > 3 ? kept : [];
}

/** A cube around the origin, its half edge given. */
function cube(half: number): Polyhedron {
  const corner = (x: number, y: number, z: number): Vec3 => [x * half, y * half, z * half];
  const square = (at: (u: number, v: number) => Vec3): Polygon => [at(1, 1), at(-1, 1), at(-1, -1), at(1, -1)];
  return [1, -1].flatMap((side) => [
    square((u, v) => corner(side, u, v)),
    square((u, v) => corner(u, side, v)),
    square((u, v) => corner(u, v, side)),
  ]);
}

/** The body that all half-spaces share. Throws RangeError where they do not close within `reach` of the origin or share nothing. */
export function polyhedronWithin(halfSpaces: readonly HalfSpace[], reach: number): Polyhedron {
  const body = halfSpaces.reduce<Polyhedron>(cutPolyhedron, cube(2 * reach));
  if (!body.length) throw new RangeError('These faces leave nothing of the crystal.');
  if (body.some((face) => face.some((x) => norm(x) > reach)))
    throw new RangeError('These faces do not close around the crystal.');
  return body;
}

/** Tetrahedra below this share of a body are rounding: faces that meet at the corner which all tetrahedra share. */
const NOTHING = 1e-15;

/** Calls back with the corners of tetrahedra that fill a convex body, and the volume of each. */
export function eachTetrahedron(body: Polyhedron, visit: (corners: readonly Vec3[], volume: number) => void): void {
  const top = body[0]?.[0];
  if (!top) return;
  for (const face of body.slice(1)) {
    if (face.includes(top)) continue;
    for (let i = 2; i < face.length; i++) {
      const corners = [top, face[0]!, face[i - 1]!, face[i]!];
      const [p, q, r] = [subtract(corners[1]!, top), subtract(corners[2]!, top), subtract(corners[3]!, top)];
      const volume = Math.abs(dot(p, cross(q, r))) / 6;
      if (volume > NOTHING * norm(p) * norm(q) * norm(r)) visit(corners, volume);
    }
  }
}

/** Volume of a convex body. */
export function volumeWithin(body: Polyhedron): number {
  let sum = 0;
  eachTetrahedron(body, (_, volume) => (sum += volume));
  return sum;
}
