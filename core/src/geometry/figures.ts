/**
 * Figures: points, lines and planes made of atoms, and what lies between them, as vector-valued functions of the atoms'
 * Cartesian coordinates with their analytic Jacobians. The s.u. come in measure.ts.
 */
import {
  addDual,
  crossDual,
  Dual,
  dotDual,
  normDual,
  scaleDual,
  subtractDual,
  unitDual,
  type DualVec3,
} from '../math/dual.ts';
import { eigenSymmetric3, type Vec3, toMat3 } from '../math/matrix3.ts';

const DEGREES = 180 / Math.PI;

/** A vector-valued function of the atoms it is given, in their order. */
export type Figure = (points: readonly DualVec3[]) => Dual[];

/** A figure that stands in space: a point, or a line or plane through a point along (or normal to) a unit vector. */
export type Body =
  | { readonly kind: 'point'; readonly at: DualVec3 }
  | { readonly kind: 'line' | 'plane'; readonly at: DualVec3; readonly direction: DualVec3 };

/** |p₁p₂|, Å. */
export const distance: Figure = (p) => [normDual(subtractDual(p[1]!, p[0]!))];

/** p₁–p₂–p₃, degrees. */
export const angle: Figure = (p) => {
  const u = subtractDual(p[0]!, p[1]!);
  const v = subtractDual(p[2]!, p[1]!);
  return [normDual(crossDual(u, v)).angleWith(dotDual(u, v)).times(DEGREES)];
};

/** p₁–p₂–p₃–p₄, degrees, positive clockwise looking from the second to the third point (IUPAC 1974). */
export const torsion: Figure = (p) => {
  const first = subtractDual(p[1]!, p[0]!);
  const axis = subtractDual(p[2]!, p[1]!);
  const last = subtractDual(p[3]!, p[2]!);
  const n1 = crossDual(first, axis);
  const n2 = crossDual(axis, last);
  const sine = dotDual(crossDual(n1, n2), unitDual(axis));
  return [sine.angleWith(dotDual(n1, n2)).times(DEGREES)];
};

export function centroidOf(points: readonly DualVec3[]): DualVec3 {
  return scaleDual(
    points.reduce((sum, p) => addDual(sum, p)),
    1 / points.length,
  );
}

/** Moments of the points about their centroid. */
function moments(points: readonly DualVec3[], centre: DualVec3): Dual[] {
  const n = centre[0].gradient.length;
  const out = Array.from({ length: 9 }, () => Dual.constant(0, n));
  for (const p of points) {
    const d = subtractDual(p, centre);
    for (let i = 0; i < 3; i++) for (let j = i; j < 3; j++) out[3 * i + j] = out[3 * i + j]!.plus(d[i]!.times(d[j]!));
  }
  for (let i = 0; i < 3; i++) for (let j = 0; j < i; j++) out[3 * i + j] = out[3 * j + i]!;
  return out;
}

/**
 * Eigenvector of a symmetric matrix of duals, by value rank `which` (0 smallest). The derivative is that of first-order
 * perturbation: dv = Σ v_k (v_k·dM v)/(λ − λ_k); directions of equal eigenvalue are left out.
 */
function eigenvector(m: readonly Dual[], which: 0 | 2): DualVec3 {
  const { values, vectors } = eigenSymmetric3(toMat3(m.map((x) => x.value)));
  const v = vectors[which];
  const count = m[0]!.gradient.length;
  const gradients = [0, 1, 2].map(() => new Float64Array(count));
  for (let k = 0; k < 3; k++) {
    const gap = values[which] - values[k]!;
    if (k === which || Math.abs(gap) < 1e-12 * Math.max(1, Math.abs(values[2]))) continue;
    const u = vectors[k]!;
    for (let g = 0; g < count; g++) {
      let push = 0;
      for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) push += u[i]! * m[3 * i + j]!.gradient[g]! * v[j]!;
      for (let i = 0; i < 3; i++) gradients[i]![g]! += (u[i]! * push) / gap;
    }
  }
  return [0, 1, 2].map((i) => new Dual(v[i]!, gradients[i]!)) as unknown as DualVec3;
}

/** Best plane of three or more points, unit weights (Schomaker et al. 1959, Acta Cryst. 12, 600). */
export function planeThrough(points: readonly DualVec3[]): Body & { kind: 'plane' } {
  const at = centroidOf(points);
  return { kind: 'plane', at, direction: eigenvector(moments(points, at), 0) };
}

/** The line of two points, or the best line of more. */
export function lineThrough(points: readonly DualVec3[]): Body & { kind: 'line' } {
  const at = centroidOf(points);
  if (points.length === 2) return { kind: 'line', at, direction: unitDual(subtractDual(points[1]!, points[0]!)) };
  return { kind: 'line', at, direction: eigenvector(moments(points, at), 2) };
}

/** Normal (three components), then each point's signed distance from the plane, Å. */
export const planeFigure: Figure = (points) => {
  const { at, direction } = planeThrough(points);
  return [...direction, ...points.map((p) => dotDual(subtractDual(p, at), direction))];
};

/** Distance of the last point from the plane of the others, signed, Å. */
export const deviationFigure: Figure = (points) => {
  const { at, direction } = planeThrough(points.slice(0, -1));
  return [dotDual(subtractDual(points[points.length - 1]!, at), direction)];
};

export const centroidFigure: Figure = (points) => [...centroidOf(points)];

/** Angle between two directions, folded to 0–90°; between a line and a plane from the plane. */
export function angleBetween(a: Body, b: Body): Dual {
  if (a.kind === 'point' || b.kind === 'point')
    throw new RangeError('A point has no direction to measure an angle from.');
  const across = normDual(crossDual(a.direction, b.direction));
  const along = dotDual(a.direction, b.direction).absolute();
  const folded = a.kind === b.kind ? across.angleWith(along) : along.angleWith(across);
  return folded.times(DEGREES);
}

/**
 * Distance between two bodies, Å: point to point, point to line or plane (perpendicular), line to line (their common
 * perpendicular; for parallel lines the distance of the second's middle), plane and plane or line: from the plane to the
 * other's middle.
 */
export function distanceBetween(a: Body, b: Body): Dual {
  const between = subtractDual(b.at, a.at);
  if (a.kind === 'plane') return dotDual(between, a.direction).absolute();
  if (b.kind === 'plane') return dotDual(between, b.direction).absolute();
  if (a.kind === 'line' && b.kind === 'line') {
    const normal = crossDual(a.direction, b.direction);
    if (normDual(normal).value > 1e-4) return dotDual(between, unitDual(normal)).absolute();
    return normDual(crossDual(between, a.direction));
  }
  if (a.kind === 'line') return normDual(crossDual(between, a.direction));
  if (b.kind === 'line') return normDual(crossDual(between, b.direction));
  return normDual(between);
}

/** What bodies a pair of atom groups is measured as. */
export type BodyKind = Body['kind'];

const bodyOf = (kind: BodyKind, points: readonly DualVec3[]): Body =>
  kind === 'plane'
    ? planeThrough(points)
    : kind === 'line'
      ? lineThrough(points)
      : { kind: 'point', at: centroidOf(points) };

/** Angle (where both have a direction) and distance between the body of the first `split` atoms and that of the rest. */
export function betweenFigure(first: BodyKind, split: number, second: BodyKind): Figure {
  return (points) => {
    const a = bodyOf(first, points.slice(0, split));
    const b = bodyOf(second, points.slice(split));
    const far = distanceBetween(a, b);
    return a.kind === 'point' || b.kind === 'point' ? [far] : [far, angleBetween(a, b)];
  };
}

/** Points each of whose coordinates is a variable of its own, three a point in their order. */
export const variablePoints = (points: readonly Vec3[]): DualVec3[] =>
  points.map((p, i) => p.map((x, k) => Dual.variable(x, 3 * i + k, 3 * points.length)) as unknown as DualVec3);

/** Plain values of a figure at points without derivatives. */
export const valuesOf = (figure: Figure, points: readonly Vec3[]): number[] =>
  figure(points.map((p) => p.map((x) => Dual.constant(x, 0)) as unknown as DualVec3)).map((d) => d.value);
