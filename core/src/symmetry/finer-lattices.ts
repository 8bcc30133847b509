/** Lattices that a structure has or nearly has: its own, and finer ones made by the translations found in it. */
import { metricTensor } from '../crystal/cell.ts';
import { latticePart, searchTranslations, type FoundOperation } from './search.ts';
import { spaceGroupFromOperators, type SpaceGroup } from '../crystal/space-group.ts';
import type { Operator } from '../crystal/operator.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, IDENTITY3, toVec3, type Vec3 } from '../math/matrix3.ts';
import { lengthOf } from './cell-lookup.ts';

export interface Lattice {
  /** Every translation of it within a present cell, exact, the null vector first. */
  readonly centring: readonly Vec3[];
  /** The translations found in the model that make it; none for its own. */
  readonly used: readonly FoundOperation[];
}

/** Lattice points of a present cell, at most: of a supercell 4 × 4 × 4. */
const MOST_POINTS = 64;
/** Largest number of equal steps that one axis may be divided in. */
const MOST_STEPS = 8;

const translation = (t: Vec3): Operator => ({ r: IDENTITY3, t });

/** A found translation made exact: the smallest n for which n times it is a vector of the lattice; undefined where there is none. */
function exactTranslation(s: Structure, t: Vec3, tolerance: number): Vec3 | undefined {
  const g = metricTensor(s.cell),
    split = latticePart(s.spaceGroup.centring);
  for (let n = 2; n <= MOST_STEPS; n++) {
    const { lattice, rest } = split([n * t[0], n * t[1], n * t[2]]);
    if (lengthOf(g, rest) / n < 0.05 + 0.5 * tolerance) return toVec3(lattice.map((x) => x / n));
  }
  return undefined;
}

/** The lattice that translations add to another, closed under the rotations of the group; undefined beyond the points that are looked at. */
function refined(group: SpaceGroup, centring: readonly Vec3[], more: Vec3): readonly Vec3[] | undefined {
  const turned = group.representatives.map((o) => translation(apply3(o.r, more)));
  try {
    const made = spaceGroupFromOperators([...centring.map(translation), ...turned]).centring;
    return made.length <= MOST_POINTS ? made : undefined;
  } catch {
    return undefined;
  }
}

/** The structure's own lattice, and the finest that the found translations allow: of those that fit wholly, and of all of them. Every translation of a lattice has to be found. */
export function latticesOf(s: Structure, tolerance: number): Lattice[] {
  const found = searchTranslations(s, tolerance);
  const g = metricTensor(s.cell),
    split = latticePart(s.spaceGroup.centring);
  const near = (t: Vec3): FoundOperation | undefined =>
    found.find((f) => {
      const o = f.operator.t;
      return lengthOf(g, split([o[0] - t[0], o[1] - t[1], o[2] - t[2]]).rest) < 0.1 + tolerance;
    });
  const isOwn = (t: Vec3): boolean => lengthOf(g, split(t).rest) < 1e-3;
  const own: Lattice = { centring: s.spaceGroup.centring, used: [] };
  const finest = (from: Lattice, allowed: readonly FoundOperation[]): Lattice =>
    allowed.reduce((so: Lattice, f) => {
      const exact = exactTranslation(s, f.operator.t, tolerance);
      const centring = exact && refined(s.spaceGroup, so.centring, exact);
      if (!centring || centring.length === so.centring.length) return so;
      const used = centring.filter((t) => !isOwn(t)).map(near);
      return used.every((x) => x !== undefined) ? { centring, used } : so;
    }, from);
  const sure = finest(
    own,
    found.filter((f) => f.fit > 0.97),
  );
  const all = finest(sure, found);
  return [all, sure, own].filter((l, i, list) => list.findIndex((o) => o.centring.length === l.centring.length) === i);
}
