/** What a ring is: made of, flat or puckered, where it stands; and how any two of them lie to one another. */
import {
  invertPlacement,
  isHome,
  moveRef,
  placeKey,
  siteOf,
  symmetryTable,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { inverse3, norm, scale, subtract, add, apply3, type Vec3 } from '../math/matrix3.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { formulaText } from '../crystal/formula.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Measured } from '../crystal/uncertainty.ts';
import { subtractDual, normDual } from '../math/dual.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { angleBetween, centroidOf, distanceBetween, planeFigure, planeThrough, type Figure } from './figures.ts';
import { cartesianOf, measureFigure, type UncertaintySource } from './measure.ts';
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

/** Angle, centroid distance and both perpendicular distances of two planes of atoms. */
const relationFigure =
  (split: number): Figure =>
  (points) => {
    const a = planeThrough(points.slice(0, split)),
      b = planeThrough(points.slice(split));
    const between = normDual(subtractDual(centroidOf(points.slice(split)), centroidOf(points.slice(0, split))));
    return [angleBetween(a, b), between, distanceBetween(a, b), distanceBetween(b, a)];
  };

/** Degrees below which planes are called parallel, and above which one stands on its edge. */
const PARALLEL = 30,
  ON_EDGE = 60;
/** Å: centroids further apart do not touch; planes that lie over one another are at most so far apart, and slipped by less. */
const TOUCHING = 6,
  STACKED = 4.2,
  SLIPPED = 1.3;

function kindOf(angle: number, distance: number, perpendicular: number, offset: number): RelationKind {
  if (distance > TOUCHING) return 'far';
  if (angle < PARALLEL) {
    if (perpendicular > STACKED) return 'far';
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
  const centres = rings.map((r) => {
    const points = cartesianOf(s, r.atoms);
    return scale(points.reduce<Vec3>(add, [0, 0, 0]), 1 / points.length);
  });
  const home = rings.map((r) => setKey(s, r.atoms));
  const out: RingRelation[] = [];
  rings.forEach((a, first) => {
    for (let second = first; second < rings.length; second++) {
      const b = rings[second]!;
      const seen = new Set<string>();
      for (const placement of placementsNear(s, centres[second]!, centres[first]!, reach)) {
        const atoms = placed(s, b, placement);
        const key = setKey(s, atoms);
        if (key === home[first] || seen.has(key)) continue;
        // Two places of one molecule are never there together; those of its copies may be.
        if (isHome(placement) && !isOfOnePlace(s, [...a.atoms, ...atoms])) continue;
        seen.add(key);
        // A ring beside its own copy is met again from the other side.
        if (first === second) seen.add(setKey(s, placed(s, a, invertPlacement(s.spaceGroup, placement))));
        out.push(relate(s, a.atoms, atoms, { first, second, placement }, covariance));
      }
    }
  });
  return out.sort((p, q) => p.centroidDistance.value - q.centroidDistance.value);
}

function relate(
  s: Structure,
  a: readonly AtomRef[],
  b: readonly AtomRef[],
  which: Pick<RingRelation, 'first' | 'second' | 'placement'>,
  covariance: CovarianceData | undefined,
): RingRelation {
  const { values, su } = measureFigure(s, [...a, ...b], relationFigure(a.length), covariance);
  const [angle, centroidDistance, perpendicular1, perpendicular2] = values.map((value, i) => ({
    value,
    su: su[i]!,
  })) as [Measured, Measured, Measured, Measured];
  const offset = Math.sqrt(Math.max(0, centroidDistance.value ** 2 - perpendicular1.value ** 2));
  return {
    ...which,
    angle,
    centroidDistance,
    perpendicular1,
    perpendicular2,
    offset,
    kind: areFused(s, a, b) ? 'fused' : kindOf(angle.value, centroidDistance.value, perpendicular1.value, offset),
  };
}
