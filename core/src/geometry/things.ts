/**
 * Things made of atoms (a point, a line, a plane), of the lattice (a row) or of the symmetry (a centre, an axis, a plane),
 * and what is measured of one, between two, or along a chain of atoms, with s.u.
 */
import { type AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Measured } from '../crystal/uncertainty.ts';
import { addDual, Dual, dotDual, normDual, scaleDual, subtractDual, type DualVec3 } from '../math/dual.ts';
import { cross, type Vec3 } from '../math/matrix3.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import {
  angle,
  angleBetween,
  centroidOf,
  distance,
  distanceBetween,
  lineThrough,
  planeThrough,
  torsion,
  type Body,
  type Figure,
} from './figures.ts';
import { measureFigure, type UncertaintySource } from './measure.ts';

export type Thing =
  | { readonly kind: 'point' | 'line' | 'plane'; readonly atoms: readonly AtomRef[] }
  /** A lattice row [uvw]. */
  | { readonly kind: 'row'; readonly direction: Vec3 }
  /** A symmetry element through a point (fractional): an axis along [uvw], a plane (hkl), or neither, a centre. */
  | { readonly kind: 'element'; readonly at: Vec3; readonly axis?: Vec3; readonly plane?: Vec3 };

export type ReadingName =
  | 'distance'
  | 'angle'
  | 'torsion'
  | 'perpendicular'
  /** The same the other way: the first thing's middle from the second. */
  | 'perpendicular back'
  | 'offset'
  | 'r.m.s. deviation'
  | 'largest deviation';

export interface ThingReading extends Measured {
  readonly name: ReadingName;
  readonly unit: 'Å' | '°';
}

export interface ThingReadings {
  readonly readings: readonly ThingReading[];
  readonly source: UncertaintySource;
}

/** How many atoms a kind of thing needs at least. */
export const LEAST_ATOMS: Readonly<Record<Thing['kind'], number>> = {
  point: 1,
  line: 2,
  plane: 3,
  row: 0,
  element: 0,
};

/** The atoms that a thing is made of; none where the lattice or the symmetry makes it. */
export const atomsOfThing = (t: Thing): readonly AtomRef[] => ('atoms' in t ? t.atoms : []);

/** Fractional points that span what the lattice or the symmetry makes. */
function fixedPoints(t: Thing): readonly Vec3[] {
  const beyond = (at: Vec3, v: Vec3): Vec3 => [at[0] + v[0], at[1] + v[1], at[2] + v[2]];
  if (t.kind === 'row') return [[0, 0, 0], t.direction];
  if (t.kind !== 'element') return [];
  if (t.axis) return [t.at, beyond(t.at, t.axis)];
  if (!t.plane) return [t.at];
  const [u, v] = inPlane(t.plane);
  return [t.at, beyond(t.at, u), beyond(t.at, v)];
}

/** Two rows of the lattice in the plane (hkl). */
function inPlane([h, k, l]: Vec3): [Vec3, Vec3] {
  const rows: Vec3[] = [
    [k, -h, 0],
    [l, 0, -h],
    [0, l, -k],
  ];
  const [u, v] = rows.filter((r) => r.some((x) => x));
  const independent = u && v && cross(u, v).some((x) => x);
  return [u!, independent ? v : rows[2]!];
}

/** Point, line or plane. */
const figureOf = (t: Thing): Body['kind'] => {
  if (t.kind === 'row') return 'line';
  if (t.kind !== 'element') return t.kind;
  return t.axis ? 'line' : t.plane ? 'plane' : 'point';
};

const isAtom = (t: Thing): boolean => t.kind === 'point' && t.atoms.length === 1;

type Named = readonly [name: ReadingName, value: Dual];

/** The part of the vector between two middles that lies in a plane. */
function lateral(from: Body, to: Body, direction: DualVec3): Dual {
  const between = subtractDual(to.at, from.at);
  const along = dotDual(between, direction);
  return normDual(addDual(between, scaleDual(scaleByDual(direction, along), -1)));
}

const scaleByDual = (v: DualVec3, k: Dual): DualVec3 => [v[0].times(k), v[1].times(k), v[2].times(k)];

function betweenBodies(a: Body, b: Body): Named[] {
  if (a.kind === 'point' && b.kind === 'point') return [['distance', distanceBetween(a, b)]];
  if (a.kind === 'plane' && b.kind === 'plane')
    return [
      ['angle', angleBetween(a, b)],
      ['distance', normDual(subtractDual(b.at, a.at))],
      ['perpendicular', dotDual(subtractDual(b.at, a.at), a.direction).absolute()],
      ['perpendicular back', dotDual(subtractDual(b.at, a.at), b.direction).absolute()],
      ['offset', lateral(a, b, a.direction)],
    ];
  if (a.kind === 'point' || b.kind === 'point') {
    const [point, other] = a.kind === 'point' ? [a, b] : [b, a];
    const near: Named = ['perpendicular', distanceBetween(point, other)];
    return other.kind === 'plane' ? [near, ['offset', lateral(other, point, other.direction)]] : [near];
  }
  return [
    ['angle', angleBetween(a, b)],
    ['perpendicular', distanceBetween(a, b)],
  ];
}

/** Something of atoms against something without end: where along the latter one stands means nothing. */
function againstEndless(finite: Body, endless: Body, hasPlace: boolean): Named[] {
  if (finite.kind === 'point' || endless.kind === 'point') {
    if (!hasPlace) throw new RangeError('A point has no angle with a row of the lattice.');
    const between = distanceBetween(finite, endless);
    return [[finite.kind === endless.kind ? 'distance' : 'perpendicular', between]];
  }
  const tilt: Named = ['angle', angleBetween(finite, endless)];
  if (!hasPlace) return [tilt];
  const lines = finite.kind === 'line' && endless.kind === 'line';
  const from: Body = lines ? finite : { kind: 'point', at: finite.at };
  return [tilt, ['perpendicular', distanceBetween(from, endless)]];
}

function ofPlane(points: readonly DualVec3[]): Named[] {
  const { at, direction } = planeThrough(points);
  const off = points.map((p) => dotDual(subtractDual(p, at), direction));
  const zero = Dual.constant(0, points[0]![0].gradient.length);
  const square = off.reduce((sum, d) => sum.plus(d.times(d)), zero).times(1 / points.length);
  const largest = off.map((d) => d.absolute()).reduce((p, q) => (q.value > p.value ? q : p));
  // The root of nothing has no slope.
  const rms = square.value > 1e-16 ? square.root() : zero;
  return [
    ['r.m.s. deviation', rms],
    ['largest deviation', largest],
  ];
}

/** Throws RangeError with what does not fit. */
function checkThings(things: readonly Thing[]): void {
  for (const t of things) {
    if (t.kind === 'row') {
      if (!t.direction.some((x) => x)) throw new RangeError('The row [0 0 0] has no direction.');
    } else if ('atoms' in t && t.atoms.length < LEAST_ATOMS[t.kind])
      throw new RangeError(`A ${t.kind} takes ${LEAST_ATOMS[t.kind]} atoms or more.`);
  }
}

/** What the things are measured as: the points of all atoms come first, then those that symmetry fixes. */
function recipe(things: readonly Thing[]): (points: readonly DualVec3[]) => Named[] {
  const only = things[0]!;
  if (things.length === 1) return only.kind === 'plane' ? ofPlane : () => [];
  if (things.length > 2 || things.every(isAtom)) {
    const figures: Readonly<Record<number, readonly [ReadingName, Figure]>> = {
      2: ['distance', distance],
      3: ['angle', angle],
      4: ['torsion', torsion],
    };
    const found = figures[things.length];
    if (!found || !things.every((t) => figureOf(t) === 'point'))
      throw new RangeError(
        'Three or four points give an angle or a torsion; lines and planes are measured two at a time.',
      );
    const split = splitter(things);
    return (points) => [[found[0], found[1](split(points).map(centroidOf))[0]!]];
  }
  const [a, b] = things as [Thing, Thing];
  const split = splitter(things);
  const endless = things.filter((t) => !('atoms' in t));
  const hasPlace = !things.some((t) => t.kind === 'row');
  return (points) => {
    const [p, q] = split(points).map((list, i) => bodyOf(figureOf(things[i]!), list)) as [Body, Body];
    if (!endless.length) return betweenBodies(p, q);
    // Of two without end the plane is what the other's place is told from.
    const first = endless.includes(a) && (!endless.includes(b) || q.kind !== 'plane');
    return first ? againstEndless(q, p, hasPlace) : againstEndless(p, q, hasPlace);
  };
}

const bodyOf = (kind: Body['kind'], points: readonly DualVec3[]): Body =>
  kind === 'plane' ? planeThrough(points) : kind === 'line' ? lineThrough(points) : { kind, at: centroidOf(points) };

/** Gives every thing its own points. */
function splitter(things: readonly Thing[]): (points: readonly DualVec3[]) => DualVec3[][] {
  const counts = things.map((t) => ({ atoms: atomsOfThing(t).length, fixed: fixedPoints(t).length }));
  const allAtoms = counts.reduce((n, c) => n + c.atoms, 0);
  return (points) => {
    let atom = 0,
      fixed = allAtoms;
    return counts.map((c) => [...points.slice(atom, (atom += c.atoms)), ...points.slice(fixed, (fixed += c.fixed))]);
  };
}

/**
 * Reads what things measure: atoms along a chain (two, three, four), any two of point, line, plane, row and symmetry
 * element, or the flatness of one plane. Throws RangeError in words where they do not go together, or where an atom is gone.
 */
export function readThings(s: Structure, things: readonly Thing[], covariance?: CovarianceData): ThingReadings {
  if (!things.length) return { readings: [], source: 'none' };
  checkThings(things);
  const named = recipe(things);
  const names: ReadingName[] = [];
  const figure: Figure = (points) => {
    const found = named(points);
    names.splice(0, names.length, ...found.map(([name]) => name));
    return found.map(([, value]) => value);
  };
  const { values, su, source } = measureFigure(
    s,
    things.flatMap(atomsOfThing),
    figure,
    covariance,
    things.flatMap(fixedPoints),
  );
  const isAngle = (n: ReadingName): boolean => n === 'angle' || n === 'torsion';
  return {
    readings: names.map((name, i) => ({ name, value: values[i]!, su: su[i]!, unit: isAngle(name) ? '°' : 'Å' })),
    source,
  };
}

/** Signed distances of atoms from the plane of others, Å, with s.u. */
export function deviationsFrom(
  s: Structure,
  plane: readonly AtomRef[],
  atoms: readonly AtomRef[],
  covariance?: CovarianceData,
): Measured[] {
  return atoms.map((a) => {
    const { values, su } = measureFigure(
      s,
      [...plane, a],
      (points) => {
        const { at, direction } = planeThrough(points.slice(0, -1));
        return [dotDual(subtractDual(points.at(-1)!, at), direction)];
      },
      covariance,
    );
    return { value: values[0]!, su: su[0]! };
  });
}

/** Things whose atoms are all in the model. */
export const standsIn = (sites: ReadonlySet<string>, t: Thing): boolean =>
  atomsOfThing(t).every((a) => sites.has(a.site));
