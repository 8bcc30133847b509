/** What a ring is: made of, flat or puckered, where it stands; and how any two of them lie to one another. */
import {
  invertPlacement,
  isHome,
  moveRef,
  operatorOf,
  placeKey,
  siteOf,
  symmetryTable,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import {
  add,
  apply3,
  inverse3,
  multiply3,
  norm,
  subtract,
  toVec3,
  transpose3,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { formulaText } from '../crystal/formula.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Measured } from '../crystal/uncertainty.ts';
import { normDual, subtractDual, type Dual, type DualVec3 } from '../math/dual.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { angleBetween, distanceBetween, planeFigure, planeThrough, variablePoints, type Body } from './figures.ts';
import { cartesianOf, measureFigure, spreadOf, type UncertaintySource } from './measure.ts';
import { planeOf } from './points.ts';
import { puckering, type Puckering } from './puckering.ts';
import { areFused, isOfOnePlace, type Ring } from './rings.ts';

export interface RingReading {
  readonly atoms: readonly AtomRef[];
  /** "C6", "C4N". */
  readonly members: string;
  /** r.m.s. distance of the atoms from their plane, Å. */
  readonly rms: number;
  /** Signed distance of each atom from the plane, Å. */
  readonly deviations: readonly Measured[];
  /** Fractional. */
  readonly centroid: Vec3;
  /** Unit vector in Cartesian axes (x along a, z along c*). */
  readonly normal: Vec3;
  /** Rings of four and more. */
  readonly puckering?: Puckering;
  readonly source: UncertaintySource;
}

/** Plane, puckering and make of a ring, with s.u. */
export function readRing(s: Structure, ring: Ring, covariance?: CovarianceData): RingReading {
  const points = cartesianOf(s, ring.atoms);
  const { centre, normal, rms } = planeOf(points);
  const measured = measureFigure(s, ring.atoms, planeFigure, covariance);
  const counts: Record<string, number> = {};
  for (const a of ring.atoms) {
    const { element } = siteOf(s, a)!;
    counts[element] = (counts[element] ?? 0) + 1;
  }
  return {
    atoms: ring.atoms,
    members: formulaText(counts).replace(/\s+/g, ''),
    rms,
    deviations: ring.atoms.map((_, i) => ({ value: measured.values[3 + i]!, su: measured.su[3 + i]! })),
    centroid: apply3(inverse3(orthogonalization(s.cell)), centre),
    normal,
    ...(points.length > 3 ? { puckering: puckering(points) } : {}),
    source: measured.source,
  };
}

export type RelationKind = 'face to face' | 'parallel and offset' | 'edge to face' | 'inclined' | 'fused' | 'far';

export interface RingRelation {
  /** Indices into the rings. */
  readonly first: number;
  readonly second: number;
  /** Where the second one stands; the first is where the list has it. */
  readonly placement: Placement;
  /** Between the planes, 0–90°. */
  readonly angle: Measured;
  /** Å. */
  readonly centroidDistance: Measured;
  /** Of the second's centroid from the first plane, and the other way, Å. */
  readonly perpendicular1: Measured;
  readonly perpendicular2: Measured;
  /** Along the first plane, between its centroid and the foot of the second's, Å. */
  readonly offset: number;
  readonly kind: RelationKind;
}

/** The plane of a ring where the list has it, with its derivatives: worked out once, carried to every copy. */
interface RingPlane {
  readonly centre: Vec3;
  readonly normal: Vec3;
  /** Of the centre's and then the normal's components, by the Cartesian coordinates of the atoms. */
  readonly slopes: readonly Float64Array[];
}

function planeOfRing(s: Structure, ring: Ring): RingPlane {
  const { at, direction } = planeThrough(variablePoints(cartesianOf(s, ring.atoms)));
  const value = (v: DualVec3): Vec3 => toVec3(v.map((x) => x.value));
  return { centre: value(at), normal: value(direction), slopes: [...at, ...direction].map((x) => x.gradient) };
}

/** Rotation and translation of a placement in Cartesian axes. */
function motionOf(s: Structure, p: Placement): { turn: Mat3; shift: Vec3 } {
  const m = orthogonalization(s.cell);
  const { r, t } = operatorOf(s.spaceGroup, p);
  return { turn: multiply3(m, multiply3(r, inverse3(m))), shift: apply3(m, t) };
}

/** Vectors one after another, each turned. */
function turnedAll(turn: Mat3, list: Float64Array): Float64Array {
  const out = new Float64Array(list.length);
  for (let i = 0; i < list.length; i += 3) out.set(apply3(turn, [list[i]!, list[i + 1]!, list[i + 2]!]), i);
  return out;
}

/** Σ weight × slope. */
function combined(slopes: readonly Float64Array[], weights: Float64Array): Float64Array {
  const out = new Float64Array(slopes[0]!.length);
  slopes.forEach((slope, i) => {
    for (let k = 0; k < out.length; k++) out[k]! += weights[i]! * slope[k]!;
  });
  return out;
}

/** Degrees below which planes are called parallel, and above which one stands on its edge. */
const PARALLEL = 30,
  ON_EDGE = 60;
/** Å: centroids further apart do not touch; rings over one another are at most so far apart, and slipped by less. */
const TOUCHING = 6,
  STACKED = 4.2,
  SLIPPED = 1.3,
  /** Slipped further they lie side by side. */
  OVERLAPPING = 4;

function kindOf(angle: number, distance: number, perpendicular: number, offset: number): RelationKind {
  if (distance > TOUCHING) return 'far';
  if (angle < PARALLEL) {
    if (perpendicular > STACKED || offset > OVERLAPPING) return 'far';
    return offset < SLIPPED ? 'face to face' : 'parallel and offset';
  }
  return angle > ON_EDGE ? 'edge to face' : 'inclined';
}

/** Placements that bring one point within `reach` Å of another, both Cartesian. */
function placementsNear(s: Structure, from: Vec3, to: Vec3, reach: number): Placement[] {
  const m = orthogonalization(s.cell),
    inverse = inverse3(m);
  const target = apply3(inverse, to),
    start = apply3(inverse, from);
  // Rows of the inverse are a*, b*, c*: a sphere spans reach·|a*| cells to either side.
  const span = [0, 3, 6].map((k) => reach * norm([inverse[k]!, inverse[k + 1]!, inverse[k + 2]!]));
  const out: Placement[] = [];
  symmetryTable(s.spaceGroup).operators.forEach((o, operator) => {
    const image = add(apply3(o.r, start), o.t);
    const first = [0, 1, 2].map((k) => Math.ceil(target[k]! - image[k]! - span[k]! - 1e-9)),
      last = [0, 1, 2].map((k) => Math.floor(target[k]! - image[k]! + span[k]! + 1e-9));
    for (let i = first[0]!; i <= last[0]!; i++)
      for (let j = first[1]!; j <= last[1]!; j++)
        for (let k = first[2]!; k <= last[2]!; k++) {
          const shift: Vec3 = [i, j, k];
          if (norm(apply3(m, subtract(add(image, shift), target))) <= reach + 1e-9) out.push({ operator, shift });
        }
  });
  return out;
}

const placed = (s: Structure, ring: Ring, by: Placement): AtomRef[] =>
  ring.atoms.map((x) => moveRef(s.spaceGroup, by, x));
const setKey = (s: Structure, atoms: readonly AtomRef[]): string =>
  atoms
    .map((x) => placeKey(s, x))
    .sort()
    .join(' ');

/** Every pair of rings whose centroids lie within `reach` Å, symmetry copies included, each pair once, nearest first. */
export function ringRelations(
  s: Structure,
  rings: readonly Ring[],
  reach: number,
  covariance?: CovarianceData,
): RingRelation[] {
  const planes = rings.map((r) => planeOfRing(s, r));
  const home = rings.map((r) => setKey(s, r.atoms));
  const out: RingRelation[] = [];
  rings.forEach((a, first) => {
    for (let second = first; second < rings.length; second++) {
      const b = rings[second]!;
      const seen = new Set<string>();
      for (const placement of placementsNear(s, planes[second]!.centre, planes[first]!.centre, reach)) {
        const atoms = placed(s, b, placement);
        const key = setKey(s, atoms);
        if (key === home[first] || seen.has(key)) continue;
        // Two places of one molecule are never there together; those of its copies may be.
        if (isHome(placement) && !isOfOnePlace(s, [...a.atoms, ...atoms])) continue;
        seen.add(key);
        // A ring beside its own copy is met again from the other side.
        if (first === second) seen.add(setKey(s, placed(s, a, invertPlacement(s.spaceGroup, placement))));
        const pair = { first, second, placement };
        out.push(relate(s, { atoms: a.atoms, ...planes[first]! }, { atoms, ...planes[second]! }, pair, covariance));
      }
    }
  });
  return out.sort((p, q) => p.centroidDistance.value - q.centroidDistance.value);
}

/** A ring's atoms where they stand, with its plane where the list has it. */
type Standing = Ring & RingPlane;

function relate(
  s: Structure,
  a: Standing,
  b: Standing,
  which: Pick<RingRelation, 'first' | 'second' | 'placement'>,
  covariance: CovarianceData | undefined,
): RingRelation {
  const { turn, shift } = motionOf(s, which.placement);
  // Centre and normal of both as twelve variables; what they are of the atoms comes by the chain rule.
  const [at1, normal1, at2, normal2] = variablePoints([
    a.centre,
    a.normal,
    add(apply3(turn, b.centre), shift),
    apply3(turn, b.normal),
  ]) as [DualVec3, DualVec3, DualVec3, DualVec3];
  const one: Body = { kind: 'plane', at: at1, direction: normal1 },
    two: Body = { kind: 'plane', at: at2, direction: normal2 };
  const spread = spreadOf(s, [...a.atoms, ...b.atoms], covariance);
  const back = transpose3(turn);
  const measured = ({ value, gradient }: Dual): Measured => {
    if (spread.source === 'none') return { value, su: 0 };
    const byFirst = combined(a.slopes, gradient.subarray(0, 6)),
      // Back to where the list has the second ring, by its slopes there, and out to the copy again.
      bySecond = turnedAll(turn, combined(b.slopes, turnedAll(back, gradient.slice(6))));
    const both = new Float64Array(byFirst.length + bySecond.length);
    both.set(byFirst);
    both.set(bySecond, byFirst.length);
    return { value, su: spread.of(both) };
  };
  const angle = measured(angleBetween(one, two)),
    centroidDistance = measured(normDual(subtractDual(at2, at1))),
    perpendicular1 = measured(distanceBetween(one, two)),
    perpendicular2 = measured(distanceBetween(two, one));
  const offset = Math.sqrt(Math.max(0, centroidDistance.value ** 2 - perpendicular1.value ** 2));
  return {
    ...which,
    angle,
    centroidDistance,
    perpendicular1,
    perpendicular2,
    offset,
    kind: areFused(s, a.atoms, b.atoms)
      ? 'fused'
      : kindOf(angle.value, centroidDistance.value, perpendicular1.value, offset),
  };
}
