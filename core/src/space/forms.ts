/** The faces of a crystal's shape as forms: those that its class makes of one; shares of the surface, angles, and the habit in words. */
import { orthogonalization } from '../crystal/cell.ts';
import { symmetryTable } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { greatestCommonDivisor } from '../math/integer.ts';
import { apply3, dot, eigenSymmetric3, inverse3, norm, toMat3, transpose3, type Vec3 } from '../math/matrix3.ts';
import type { CrystalFace } from './crystal-shape.ts';

export interface CrystalForm {
  /** Of its first face: the one with the most positive indices. */
  readonly hkl: Vec3;
  /** From the middle, 1 for the nearest face. */
  readonly distance: number;
  /** Of all its faces, as a share of the surface, 0 … 1. */
  readonly area: number;
  readonly faces: readonly CrystalFace[];
}

export type HabitKind = 'block' | 'plate' | 'tablet' | 'lath' | 'needle' | 'column';

export interface Habit {
  readonly kind: HabitKind;
  /** Length over width over thickness, the thickness being 1. */
  readonly extents: Vec3;
  /** The row a needle, column or lath grows along, [uvw]; the face that a plate, tablet or lath lies on, (hkl). */
  readonly along?: Vec3;
  readonly on?: Vec3;
}

/** Indices under an operation of the class: h′ = h R. */
export const moved = (h: Vec3, r: readonly number[]): Vec3 => [
  h[0] * r[0]! + h[1] * r[3]! + h[2] * r[6]! + 0,
  h[0] * r[1]! + h[1] * r[4]! + h[2] * r[7]! + 0,
  h[0] * r[2]! + h[1] * r[5]! + h[2] * r[8]! + 0,
];

/** Which of two sets of indices names a form better: the more positive ones, the first first. */
const isBetter = (p: Vec3, q: Vec3): boolean => {
  const weight = (v: Vec3): number => v.reduce((n, x) => n + (x >= 0 ? 1000 : 0), 0) + 100 * v[0] + 10 * v[1] + v[2];
  return weight(p) > weight(q);
};

/** Faces put together to forms by the crystal's class, the largest first. */
export function formsOf(s: Structure, faces: readonly CrystalFace[]): CrystalForm[] {
  const { operators } = symmetryTable(s.spaceGroup);
  const byKey = new Map(faces.map((f) => [f.hkl.join(), f]));
  const whole = faces.reduce((sum, f) => sum + f.area, 0);
  const taken = new Set<string>();
  const out: CrystalForm[] = [];
  for (const face of faces) {
    if (taken.has(face.hkl.join())) continue;
    const members = new Map<string, CrystalFace>();
    for (const { r } of operators) {
      const key = moved(face.hkl, r).join();
      const other = byKey.get(key);
      if (other) members.set(key, other);
    }
    for (const key of members.keys()) taken.add(key);
    const list = [...members.values()];
    out.push({
      hkl: list.map((f) => f.hkl).reduce((p, q) => (isBetter(q, p) ? q : p)),
      distance: face.distance,
      area: list.reduce((sum, f) => sum + f.area, 0) / whole,
      faces: list,
    });
  }
  return out.sort((p, q) => q.area - p.area);
}

/** Angle between the normals of two faces, as a goniometer measures it, degrees. */
export const faceAngle = (p: Pick<CrystalFace, 'normal'>, q: Pick<CrystalFace, 'normal'>): number =>
  (Math.acos(Math.max(-1, Math.min(1, dot(p.normal, q.normal)))) * 180) / Math.PI;

/** Ratios from which a shape has a name. */
const MARKED = 3,
  PLAIN = 1.6;
/** Indices of rows that a crystal is said to grow along. */
const MOST_ROW = 2;

/** How the shape would be called under the microscope, from its extents along its principal axes. */
export function habitOf(s: Structure, faces: readonly CrystalFace[]): Habit {
  const corners = faces.flatMap((f) => f.corners);
  const spread = Array.from({ length: 9 }, (_, i) =>
    corners.reduce((sum, c) => sum + c[Math.floor(i / 3)]! * c[i % 3]!, 0),
  );
  const axes = eigenSymmetric3(toMat3(spread)).vectors;
  const extents = axes
    .map((axis) => ({ axis, length: 2 * Math.max(...corners.map((c) => Math.abs(dot(c, axis)))) }))
    .sort((p, q) => q.length - p.length);
  const [long, wide, thick] = extents.map((e) => e.length) as [number, number, number];
  const along = nearestRow(s, extents[0]!.axis);
  const on = faces.reduce((p, q) =>
    Math.abs(dot(q.normal, extents[2]!.axis)) > Math.abs(dot(p.normal, extents[2]!.axis)) + 1e-6 ? q : p,
  ).hkl;
  const sizes: Vec3 = [long / thick, wide / thick, 1];
  const kind = habitKind(long / wide, wide / thick);
  return {
    kind,
    extents: sizes,
    ...(kind === 'needle' || kind === 'column' || kind === 'lath' ? { along } : {}),
    ...(kind === 'plate' || kind === 'tablet' || kind === 'lath' ? { on: positive(on) } : {}),
  };
}

function habitKind(longer: number, flatter: number): HabitKind {
  if (longer >= PLAIN && flatter >= PLAIN) return 'lath';
  if (longer >= MARKED) return 'needle';
  if (longer >= PLAIN) return 'column';
  if (flatter >= MARKED) return 'plate';
  return flatter >= PLAIN ? 'tablet' : 'block';
}

/** Of two opposite sets of indices the one whose first is positive. */
const positive = (v: Vec3): Vec3 => ((v.find((x) => x !== 0) ?? 1) < 0 ? (v.map((x) => -x + 0) as never) : v);

/** The row of the lattice with small indices that lies nearest to a direction. */
function nearestRow(s: Structure, axis: Vec3): Vec3 {
  const m = orthogonalization(s.cell);
  let best: { row: Vec3; off: number } | undefined;
  for (let u = -MOST_ROW; u <= MOST_ROW; u++)
    for (let v = -MOST_ROW; v <= MOST_ROW; v++)
      for (let w = -MOST_ROW; w <= MOST_ROW; w++) {
        if ([u, v, w].reduce((n, x) => greatestCommonDivisor(n, Math.abs(x)), 0) !== 1) continue;
        const x = apply3(m, [u, v, w]);
        const off = 1 - Math.abs(dot(x, axis)) / norm(x);
        if (!best || off < best.off - 1e-9) best = { row: [u, v, w], off };
      }
  return positive(best!.row);
}

/** "{1 1 0}" as forms are written, negative indices with their sign before. */
const indices = (v: Vec3): string => v.map((x) => (x < 0 ? `−${-x}` : x)).join(' ');
export const formName = (hkl: Vec3): string => `{${indices(hkl)}}`;
export const faceName = (hkl: Vec3): string => `(${indices(hkl)})`;

export function habitWords({ kind, along, on, extents }: Habit): string {
  const sizes = extents.map((x) => x.toFixed(1)).join(' : ');
  const where = [...(on ? [`on ${faceName(on)}`] : []), ...(along ? [`along [${indices(along)}]`] : [])].join(', ');
  return `${kind}${where ? ` ${where}` : ''}, ${sizes}`;
}

/** A face's normal (unit, Cartesian) from its indices. */
export function normalOf(s: Pick<Structure, 'cell'>, hkl: Vec3): Vec3 {
  const x = apply3(transpose3(inverse3(orthogonalization(s.cell))), hkl);
  const length = norm(x);
  return [x[0] / length, x[1] / length, x[2] / length];
}
