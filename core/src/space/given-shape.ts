/** The shape of a crystal from faces at given distances: typed, measured under the microscope, or as forms that the class completes. */
import type { GivenFace } from '../crystal/faces.ts';
import { symmetryTable } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { greatestCommonDivisor } from '../math/integer.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { FAR, facesOf, type CrystalFace } from './crystal-shape.ts';
import { moved, normalOf } from './forms.ts';

const words = (hkl: Vec3): string => `(${hkl.join(' ')})`;

/** Faces that the class makes of each given one; of a face that is given twice the nearer counts. */
export function completed(s: Pick<Structure, 'spaceGroup'>, given: readonly GivenFace[]): GivenFace[] {
  const { operators } = symmetryTable(s.spaceGroup);
  const out = new Map<string, GivenFace>();
  for (const { hkl, distance } of given)
    for (const { r } of operators) {
      const face = { hkl: moved(hkl, r), distance };
      const known = out.get(face.hkl.join());
      if (!known || known.distance > distance) out.set(face.hkl.join(), face);
    }
  return [...out.values()];
}

/**
 * The polyhedron within given faces, largest first; distances and areas in the unit they are given in. Throws RangeError where indices
 * are no whole numbers or have a common divisor, a distance is not above nothing, or the faces do not close around the crystal.
 */
export function shapeOfFaces(s: Pick<Structure, 'cell'>, given: readonly GivenFace[]): CrystalFace[] {
  if (!given.length) throw new RangeError('No face is given yet.');
  for (const { hkl, distance } of given) {
    if (!hkl.every(Number.isInteger) || hkl.every((x) => x === 0))
      throw new RangeError(`${words(hkl)} is no face: indices are whole numbers, not all of them 0.`);
    const divisor = hkl.reduce((n, x) => greatestCommonDivisor(n, Math.abs(x)), 0);
    if (divisor !== 1)
      throw new RangeError(`${words(hkl)} is the face ${words(hkl.map((x) => x / divisor) as never)}.`);
    if (!(distance > 0) || !Number.isFinite(distance))
      throw new RangeError(`The face ${words(hkl)} needs a distance from the middle above 0.`);
  }
  const nearest = Math.min(...given.map((g) => g.distance));
  const planes = given.map(({ hkl, distance }) => ({ hkl, normal: normalOf(s, hkl), distance: distance / nearest }));
  const faces = facesOf(planes);
  if (!faces.length || faces.some((f) => f.corners.some((c) => Math.hypot(...c) > FAR)))
    throw new RangeError('These faces do not close around the crystal: give more of them, or nearer ones.');
  return faces.map((f) => ({
    ...f,
    distance: f.distance * nearest,
    corners: f.corners.map((c): Vec3 => [c[0] * nearest, c[1] * nearest, c[2] * nearest]),
    area: f.area * nearest ** 2,
  }));
}

/** The same, with the faces that the class makes where that is wanted; none, and the reason, where given faces make no shape. */
export function triedShape(
  s: Pick<Structure, 'cell' | 'spaceGroup'>,
  given: readonly GivenFace[],
  complete: boolean,
): { readonly faces: readonly CrystalFace[]; readonly problem?: string } {
  try {
    return { faces: shapeOfFaces(s, complete ? completed(s, given) : given) };
  } catch (e) {
    if (e instanceof RangeError) return { faces: [], problem: e.message };
    throw e;
  }
}

/** Volume within faces, in the third power of their unit. */
export const volumeOf = (faces: readonly CrystalFace[]): number =>
  faces.reduce((sum, f) => sum + (f.area * f.distance) / 3, 0);

/** Given faces that the others leave nothing of. */
export const hiddenFaces = (given: readonly GivenFace[], faces: readonly CrystalFace[]): GivenFace[] => {
  const seen = new Set(faces.map((f) => f.hkl.join()));
  return given.filter((g) => !seen.has(g.hkl.join()));
};

/** Degrees that a face may lie further off for each unit that its indices are smaller. */
const SIMPLER = 0.5;

export interface MeasuredAngle {
  /** A face that is known. */
  readonly to: Vec3;
  /** Between the normals, degrees. */
  readonly angle: number;
}

/**
 * Faces that make given angles with known faces, by root mean square deviation (degrees), the best first: how a face is indexed on a
 * goniometer.
 */
export function indexByAngles(
  s: Pick<Structure, 'cell'>,
  measured: readonly MeasuredAngle[],
  most = 4,
): { readonly hkl: Vec3; readonly deviation: number }[] {
  if (!measured.length) throw new RangeError('Give an angle to at least one known face.');
  const known = measured.map((m) => ({ normal: normalOf(s, m.to), angle: m.angle }));
  const out: { hkl: Vec3; deviation: number }[] = [];
  for (let h = -most; h <= most; h++)
    for (let k = -most; k <= most; k++)
      for (let l = -most; l <= most; l++) {
        if ([h, k, l].reduce((n, x) => greatestCommonDivisor(n, Math.abs(x)), 0) !== 1) continue;
        const n = normalOf(s, [h, k, l]);
        const squares = known.map(({ normal, angle }) => {
          const cosine = n[0] * normal[0] + n[1] * normal[1] + n[2] * normal[2];
          return ((Math.acos(Math.max(-1, Math.min(1, cosine))) * 180) / Math.PI - angle) ** 2;
        });
        out.push({ hkl: [h, k, l], deviation: Math.sqrt(squares.reduce((p, q) => p + q, 0) / squares.length) });
      }
  const size = (v: Vec3): number => Math.hypot(...v);
  return out.sort((p, q) => p.deviation + SIMPLER * size(p.hkl) - q.deviation - SIMPLER * size(q.hkl));
}
