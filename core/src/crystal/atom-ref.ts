/**
 * One atom of the crystal: a site of the model, an operator of its space group, a lattice shift.
 * Every copy that is drawn, picked, measured, bonded or restrained is named by an `AtomRef`; nothing else stands for a copy.
 */
import { apply3, IDENTITY3, multiply3, type Vec3 } from '../math/matrix3.ts';
import { metricTensor } from './cell.ts';
import { applyOperator, rotationKey, type RotationKey, type Operator } from './operator.ts';
import { allOperators, siteSymmetry, type SpaceGroup } from './space-group.ts';
import type { Site, Structure } from './structure.ts';

/** An operator of a group by its index in `allOperators`, followed by a shift of whole cells. */
export interface Placement {
  readonly operator: number;
  /** Integers. */
  readonly shift: Vec3;
}

export interface AtomRef extends Placement {
  /** Identifier of the site. */
  readonly site: string;
}

/** Two references are the same place when they lie within this many Å of each other. */
export const SAME_PLACE = 0.01;

export const HOME: Placement = { operator: 0, shift: [0, 0, 0] };

/** The operators of a group with their products, worked out once a group. */
export interface SymmetryTable {
  /** As `allOperators` lists them, identity first, translations in [0, 1). */
  readonly operators: readonly Operator[];
  /** Index of the product a∘b at [a·n + b], and the whole cells it leaves over. */
  readonly product: Int16Array;
  readonly carry: Int8Array;
  /** Index of the inverse, and the whole cells left over. */
  readonly inverse: Int16Array;
  readonly inverseCarry: Int8Array;
}

const tables = new WeakMap<SpaceGroup, SymmetryTable>();

const apart = (x: number): number => Math.abs(x - Math.round(x));

/** Finds operators by rotation and translation modulo whole cells. */
class OperatorIndex {
  private readonly byRotation = new Map<RotationKey, number[]>();

  constructor(private readonly operators: readonly Operator[]) {
    operators.forEach((o, i) => {
      const key = rotationKey(o.r);
      const list = this.byRotation.get(key);
      if (list) list.push(i);
      else this.byRotation.set(key, [i]);
    });
  }

  /** Throws RangeError where the operation is not one of the group's. */
  find(r: Operator['r'], t: Vec3): Placement {
    for (const i of this.byRotation.get(rotationKey(r)) ?? []) {
      const own = this.operators[i]!.t;
      const d: Vec3 = [t[0] - own[0], t[1] - own[1], t[2] - own[2]];
      if (d.every((x) => apart(x) < 1e-4)) return { operator: i, shift: d.map((x) => Math.round(x) + 0) as never };
    }
    throw new RangeError(`${r.join(' ')} with ${t.join(' ')} is not an operation of the space group.`);
  }
}

/** Operators and their multiplication table; the same object for the same group as long as it lives. */
export function symmetryTable(group: SpaceGroup): SymmetryTable {
  const known = tables.get(group);
  if (known) return known;
  const operators = allOperators(group);
  const n = operators.length;
  const index = new OperatorIndex(operators);
  const product = new Int16Array(n * n);
  const carry = new Int8Array(3 * n * n);
  const inverse = new Int16Array(n);
  const inverseCarry = new Int8Array(3 * n);
  for (let a = 0; a < n; a++)
    for (let b = 0; b < n; b++) {
      const t = applyOperator(operators[a]!, operators[b]!.t);
      const found = index.find(clean(multiply3(operators[a]!.r, operators[b]!.r)), t);
      product[a * n + b] = found.operator;
      carry.set(found.shift, 3 * (a * n + b));
      if (found.operator === 0) {
        // W_a W_b = (1 | carry), so W_a⁻¹ = W_b (1 | −carry) = (1 | −R_b carry) W_b.
        inverse[a] = b;
        inverseCarry.set(apply3(operators[b]!.r, found.shift.map((x) => -x) as never), 3 * a);
      }
    }
  const table = { operators, product, carry, inverse, inverseCarry };
  tables.set(group, table);
  return table;
}

const clean = (r: Operator['r']): Operator['r'] => r.map((x) => Math.round(x) + 0) as unknown as Operator['r'];

/** The operation of a placement as matrix and vector. */
export function operatorOf(group: SpaceGroup, p: Placement): Operator {
  const { r, t } = symmetryTable(group).operators[p.operator]!;
  return { r, t: [t[0] + p.shift[0], t[1] + p.shift[1], t[2] + p.shift[2]] };
}

/** The placement that an operation of the group is. Throws RangeError for any other operation. */
export function placementOf(group: SpaceGroup, o: Operator): Placement {
  if (o.r === IDENTITY3 && !o.t[0] && !o.t[1] && !o.t[2]) return HOME;
  return new OperatorIndex(symmetryTable(group).operators).find(o.r, o.t);
}

/** The product a∘b: b first. */
export function composePlacements(group: SpaceGroup, a: Placement, b: Placement): Placement {
  const { operators, product, carry } = symmetryTable(group);
  const at = a.operator * operators.length + b.operator;
  const turned = apply3(operators[a.operator]!.r, b.shift);
  return {
    operator: product[at]!,
    shift: [
      turned[0] + carry[3 * at]! + a.shift[0],
      turned[1] + carry[3 * at + 1]! + a.shift[1],
      turned[2] + carry[3 * at + 2]! + a.shift[2],
    ],
  };
}

/** The operation that takes a placement back. */
export function invertPlacement(group: SpaceGroup, p: Placement): Placement {
  const { operators, inverse, inverseCarry } = symmetryTable(group);
  const operator = inverse[p.operator]!;
  // (1|s)∘W has the inverse W⁻¹∘(1|−s).
  const turned = apply3(operators[operator]!.r, p.shift);
  const at = 3 * p.operator;
  return {
    operator,
    shift: [
      inverseCarry[at]! - turned[0],
      inverseCarry[at + 1]! - turned[1],
      inverseCarry[at + 2]! - turned[2],
    ] as Vec3,
  };
}

/** The site where the model holds it. */
export const originalRef = (site: string): AtomRef => ({ site, ...HOME });

/** What an operation makes of an atom. */
export const moveRef = (group: SpaceGroup, by: Placement, ref: AtomRef): AtomRef => ({
  site: ref.site,
  ...composePlacements(group, by, ref),
});

export const isHome = (p: Placement): boolean =>
  p.operator === 0 && p.shift[0] === 0 && p.shift[1] === 0 && p.shift[2] === 0;

/** One exact text for a reference, for maps and storage. */
export const refKey = (r: AtomRef): string => `${r.site}|${r.operator}|${r.shift[0]},${r.shift[1]},${r.shift[2]}`;

/** The symmetry code of CIF's geometry loops: "." for the site itself, else the operator's number from 1 and the cells from 5, "4_565". */
export function symmetryCode(p: Placement): string {
  if (isHome(p)) return '.';
  const cells = p.shift.map((x) => x + 5);
  // Beyond ±4 cells the single digits of the code do not reach; CIF has no other notation.
  return `${p.operator + 1}_${cells.join('')}`;
}

const indices = new WeakMap<readonly Site[], ReadonlyMap<string, number>>();

/** Where each site stands in the list, by id. */
export function siteIndices(s: Structure): ReadonlyMap<string, number> {
  let found = indices.get(s.sites);
  if (!found) indices.set(s.sites, (found = new Map(s.sites.map((x, i) => [x.id, i]))));
  return found;
}

/** The site a reference speaks of; undefined where the structure has none of that id. */
export function siteOf(s: Structure, ref: AtomRef): Site | undefined {
  const i = siteIndices(s).get(ref.site);
  return i === undefined ? undefined : s.sites[i];
}

/** Fractional coordinates of an atom. Throws RangeError where the site is not in the structure. */
export function positionOf(s: Structure, ref: AtomRef): Vec3 {
  const site = siteOf(s, ref);
  if (!site) throw new RangeError('That atom is not in this model any more.');
  return applyOperator(operatorOf(s.spaceGroup, ref), site.position);
}

/** Whether a reference, perhaps of another model, names an atom of this one. */
export const isAtomOf = (s: Structure, ref: AtomRef): boolean =>
  siteIndices(s).has(ref.site) && ref.operator < symmetryTable(s.spaceGroup).operators.length;

/** For each site and operator, the first operator that leads to the same place (modulo whole cells), and the cells between. */
interface SitePlaces {
  readonly first: Int16Array;
  readonly carry: Int8Array;
}

const places = new WeakMap<Structure, Map<string, SitePlaces>>();

function placesOf(s: Structure, site: Site): SitePlaces {
  let bySite = places.get(s);
  if (!bySite) places.set(s, (bySite = new Map()));
  let found = bySite.get(site.id);
  if (!found) bySite.set(site.id, (found = findPlaces(s, site)));
  return found;
}

/** Where the group has one operator every place has one name. */
const ALONE: SitePlaces = { first: new Int16Array(1), carry: new Int8Array(3) };

function findPlaces(s: Structure, site: Site): SitePlaces {
  const { operators } = symmetryTable(s.spaceGroup);
  const n = operators.length;
  if (n === 1) return ALONE;
  const first = Int16Array.from({ length: n }, (_, i) => i);
  const carry = new Int8Array(3 * n);
  const stabiliser = siteSymmetry(s.spaceGroup, metricTensor(s.cell), site.position, SAME_PLACE).operators;
  if (stabiliser.length === 1) return { first, carry };
  const kept = stabiliser.map((o) => placementOf(s.spaceGroup, o));
  for (let i = 0; i < n; i++)
    for (const k of kept) {
      const p = composePlacements(s.spaceGroup, { operator: i, shift: [0, 0, 0] }, k);
      if (p.operator >= first[i]!) continue;
      first[i] = p.operator;
      carry.set(p.shift, 3 * i);
    }
  return { first, carry };
}

/** The same place named the one way: of all operators that lead there, the first. Sites on symmetry elements have several names, this is theirs. */
export function canonicalRef(s: Structure, ref: AtomRef): AtomRef {
  const site = siteOf(s, ref);
  if (!site) return ref;
  const { first, carry } = placesOf(s, site);
  if (first[ref.operator] === ref.operator) return ref;
  const at = 3 * ref.operator;
  return {
    site: ref.site,
    operator: first[ref.operator]!,
    shift: [ref.shift[0] + carry[at]!, ref.shift[1] + carry[at + 1]!, ref.shift[2] + carry[at + 2]!],
  };
}

/** One exact text for a place: the same for every reference that leads to it. */
export const placeKey = (s: Structure, ref: AtomRef): string => refKey(canonicalRef(s, ref));

/** Whether two references are one atom. */
export const samePlace = (s: Structure, a: AtomRef, b: AtomRef): boolean =>
  a.site === b.site && placeKey(s, a) === placeKey(s, b);

/** Shifts within ±511 cells fit the number that stands for a place. */
const SHIFT_SPAN = 1024;

/** A number that is the same for every reference to a place, and for no other place of the structure: for sets of many thousand atoms. */
export function placeNumber(s: Structure, ref: AtomRef): number {
  const c = canonicalRef(s, ref);
  const { operators } = symmetryTable(s.spaceGroup);
  const half = SHIFT_SPAN / 2;
  let n = siteIndices(s).get(c.site)! * operators.length + c.operator;
  for (const x of c.shift) n = n * SHIFT_SPAN + x + half;
  return n;
}
