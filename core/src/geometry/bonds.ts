/** Bonds from covalent radii (Cordero et al. 2008) and the connected units they make. */
import { pairKey, type Bonding, type SingleBond } from '../crystal/bonding.ts';
import { fractionalDistance, metricTensor } from '../crystal/cell.ts';
import { isSymmetryGroup } from '../crystal/controls.ts';
import {
  composePlacements,
  HOME,
  invertPlacement,
  isHome,
  operatorOf,
  originalRef,
  placeKey,
  placementOf,
  siteIndices,
  symmetryTable,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { applyOperator, type Operator } from '../crystal/operator.ts';
import { neighbours, type Neighbour } from '../crystal/neighbours.ts';
import { type Vec3, toVec3 } from '../math/matrix3.ts';
import { rotateU, type Site, type Structure } from '../crystal/structure.ts';
import { elementOf } from '../crystal/elements.ts';
import { siteSymmetry } from '../crystal/space-group.ts';

/** Å beyond the sum of radii that still counts as bonded. */
export const BOND_TOLERANCE = 0.4;

const metals = new Set(['Li', 'Na', 'K', 'Rb', 'Cs', 'Mg', 'Ca', 'Sr', 'Ba']);

/** Longest bond between two elements, Å; 0 where none is drawn. */
export function bondLimit(p: string, q: string): number {
  const hydrogens = (p === 'H' || p === 'D' ? 1 : 0) + (q === 'H' || q === 'D' ? 1 : 0);
  if (hydrogens === 2) return 0;
  const limit = elementOf(p).covalentRadius + elementOf(q).covalentRadius + BOND_TOLERANCE;
  // Hydrogen sits closer to its one partner, and large cations attract rather than bond.
  if (hydrogens) return Math.min(limit, 1.35 + (elementOf(p).z > 10 || elementOf(q).z > 10 ? 0.4 : 0));
  if (metals.has(p) && metals.has(q)) return 0;
  return limit;
}

/** Sites of different disorder groups of one assembly never bond. */
export function compatible(s: Structure, i: number, j: number): boolean {
  const a = s.sites[i]!.disorder,
    b = s.sites[j]!.disorder;
  return !a || !b || a.assembly !== b.assembly || a.group === b.group;
}

/** Structures never change, so what was found for one is kept as long as it lives: many parts of a page ask for the same bonds. */
const known = new WeakMap<Structure, Neighbour[]>();

/** Tells what the bonds of a structure are where they were found on the way to something else. */
export const knowBonds = (s: Structure, list: Neighbour[]): void => void known.set(s, list);

/** Every bond, from both ends. */
export function bonds(s: Structure): Neighbour[] {
  let list = known.get(s);
  if (!list) known.set(s, (list = findBonds(s)));
  return list;
}

/** The longest bond of every pair of elements, looked up by site: as the structure says, else by covalent radii. */
function bondReach(s: Structure): { widest: number; of: (i: number, j: number) => number } {
  const names = [...new Set(s.sites.map((x) => x.element))];
  const kinds = Int32Array.from(s.sites, (x) => names.indexOf(x.element));
  const n = names.length;
  const own = new Map(s.bonding?.pairs.map((p) => [pairKey(...p.elements), p.cut]));
  const table = Float64Array.from({ length: n * n }, (_, k) => {
    const p = names[Math.floor(k / n)]!,
      q = names[k % n]!;
    return own.get(pairKey(p, q)) ?? bondLimit(p, q);
  });
  return {
    widest: table.reduce((m, x) => Math.max(m, x), 0),
    of: (i, j) => (compatible(s, i, j) ? table[kinds[i]! * n + kinds[j]!]! : 0),
  };
}

/** Atoms nearer than this are one place, Å. */
const ONE_PLACE = 0.5;

/** Whether two atoms may be bonded whatever their distance: not one place, nor copies by the element about which they are disordered (negative group). */
export function mayBond(s: Structure, b: Neighbour): boolean {
  const { disorder } = s.sites[b.from]!;
  const ownCopy =
    !!disorder &&
    isSymmetryGroup(disorder.group) &&
    disorder.assembly === s.sites[b.to]!.disorder?.assembly &&
    !isHome(b);
  return b.distance > ONE_PLACE && !ownCopy;
}

function findBonds(s: Structure): Neighbour[] {
  const found = neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    bondReach(s),
  ).filter((b) => mayBond(s, b));
  return s.bonding ? withSingleBonds(s, s.bonding, found) : found;
}

/** One bond from both of its ends, as bonds are listed. */
function bothEnds(s: Structure, bond: SingleBond): Neighbour[] {
  const index = siteIndices(s);
  const from = index.get(bond.from),
    to = index.get(bond.to.site);
  if (from === undefined || to === undefined) return [];
  const end = (i: number, j: number, by: Placement): Neighbour => {
    const position = applyOperator(operatorOf(s.spaceGroup, by), s.sites[j]!.position);
    const { operator, shift } = by;
    return {
      from: i,
      to: j,
      operator,
      shift,
      position,
      distance: fractionalDistance(metricTensor(s.cell), s.sites[i]!.position, position),
    };
  };
  return [end(from, to, bond.to), end(to, from, invertPlacement(s.spaceGroup, bond.to))];
}

/** The operations that keep a site where it is. */
const stabiliserOf = (s: Structure, site: Site): Placement[] =>
  siteSymmetry(s.spaceGroup, metricTensor(s.cell), site.position).operators.map((o) => placementOf(s.spaceGroup, o));

/** Every copy that starts at the sites themselves: where a site lies on an element, the bond leaves it in several directions. */
function equivalentEnds(s: Structure, bond: SingleBond): Neighbour[] {
  const ends = bothEnds(s, bond);
  const out = new Map<string, Neighbour>();
  for (const e of ends)
    for (const p of stabiliserOf(s, s.sites[e.from]!)) {
      const to = composePlacements(s.spaceGroup, p, e);
      const key = `${e.from} ${placeKey(s, { site: s.sites[e.to]!.id, ...to })}`;
      if (!out.has(key))
        out.set(key, {
          ...e,
          ...to,
          position: applyOperator(operatorOf(s.spaceGroup, to), s.sites[e.to]!.position),
        });
    }
  return [...out.values()];
}

/** Single bonds that were hidden are left out, and those that were added put in. */
function withSingleBonds(s: Structure, { hidden, added }: Bonding, found: readonly Neighbour[]): Neighbour[] {
  const keyOf = (b: Neighbour): string => `${b.from} ${placeKey(s, neighbourRef(s, b))}`;
  const gone = new Set(hidden.flatMap((b) => equivalentEnds(s, b)).map(keyOf));
  const out = found.filter((b) => !gone.size || !gone.has(keyOf(b)));
  if (!added.length) return out;
  const have = new Set(out.map(keyOf));
  for (const b of added.flatMap((a) => equivalentEnds(s, a))) {
    if (have.has(keyOf(b))) continue;
    have.add(keyOf(b));
    out.push(b);
  }
  return out;
}

/**
 * Each bond once, as tables list them: one within the unit from its first site, one to a copy from the side it leaves;
 * shortest of a site first.
 */
export const listedBonds = (s: Structure): Neighbour[] =>
  bonds(s)
    .filter((b) => !isHome(b) || b.from < b.to)
    .sort((p, q) => p.from - q.from || p.distance - q.distance);

/** The bonds of each site, in the order of the sites. */
export function bondsBySite(s: Structure, list: readonly Neighbour[] = bonds(s)): Neighbour[][] {
  const out = s.sites.map((): Neighbour[] => []);
  for (const b of list) out[b.from]!.push(b);
  return out;
}

/** The neighbour as an atom of the crystal, seen from the centre carried by `from`. */
export const neighbourRef = (s: Structure, n: Neighbour, from: Placement = HOME): AtomRef => ({
  site: s.sites[n.to]!.id,
  ...composePlacements(s.spaceGroup, from, n),
});

export interface BondAngle {
  readonly centre: number;
  readonly ends: readonly [Neighbour, Neighbour];
  /** The apex in the middle. */
  readonly atoms: readonly [AtomRef, AtomRef, AtomRef];
}

/** Every pair of bonds of every site. */
export const bondAngles = (s: Structure, bySite: readonly (readonly Neighbour[])[] = bondsBySite(s)): BondAngle[] =>
  bySite.flatMap((near, centre) => {
    const apex = originalRef(s.sites[centre]!.id);
    return near.flatMap((p, i) =>
      near.slice(i + 1).map((q): BondAngle => ({
        centre,
        ends: [p, q],
        atoms: [neighbourRef(s, p), apex, neighbourRef(s, q)],
      })),
    );
  });

/** Follows bonds from an atom to the whole connected unit; stops after `most` atoms, where the unit is a polymer. */
export function connectedUnit(s: Structure, list: readonly Neighbour[], start: AtomRef, most = 2000): AtomRef[] {
  const from = bondsBySite(s, list);
  const index = siteIndices(s);
  const out: AtomRef[] = [start];
  const seen = new Set([placeKey(s, start)]);
  for (let i = 0; i < out.length && out.length < most; i++) {
    const here = out[i]!;
    for (const b of from[index.get(here.site)!]!) {
      const next = neighbourRef(s, b, here);
      const key = placeKey(s, next);
      if (seen.has(key)) continue;
      seen.add(key);
      out.push(next);
    }
  }
  return out;
}

/** Bonds among some atoms, each once by their numbers, the smaller first. */
export function bondsWithin(s: Structure, atoms: readonly AtomRef[]): [number, number][] {
  const bySite = bondsBySite(s, bonds(s)),
    sites = siteIndices(s);
  const index = new Map(atoms.map((a, i) => [placeKey(s, a), i]));
  return atoms.flatMap((a, i) =>
    bySite[sites.get(a.site)!]!.flatMap((b): [number, number][] => {
      const j = index.get(placeKey(s, neighbourRef(s, b, a)));
      return j !== undefined && i < j ? [[i, j]] : [];
    }),
  );
}

/** Groups of site indices joined by bonds, symmetry ignored: the fragments of the asymmetric unit. */
export function fragments(s: Structure, list: readonly Neighbour[] = bonds(s)): number[][] {
  const parent = s.sites.map((_, i) => i);
  const root = (i: number): number => (parent[i] === i ? i : (parent[i] = root(parent[i]!)));
  for (const b of list) parent[root(b.from)] = root(b.to);
  const groups = new Map<number, number[]>();
  s.sites.forEach((_, i) => {
    const group = groups.get(root(i));
    if (group) group.push(i);
    else groups.set(root(i), [i]);
  });
  return [...groups.values()].sort((p, q) => q.length - p.length);
}

/** Placements that join the sites of one fragment to its heaviest, nearest bonds first. */
function joinFragment(s: Structure, group: readonly number[], bySite: readonly Neighbour[][]): Map<number, Placement> {
  // Heaviest first keeps the centre of the unit where it is.
  const first = group.reduce(
    (p, q) => (elementOf(s.sites[q]!.element).z > elementOf(s.sites[p]!.element).z ? q : p),
    group[0]!,
  );
  const placed = new Map<number, Placement>([[first, HOME]]);
  const queue = [first];
  for (let i = 0; i < queue.length; i++) {
    const at = queue[i]!;
    const near = [...bySite[at]!].sort((p, q) => Number(isHome(q)) - Number(isHome(p)) || p.distance - q.distance);
    for (const b of near) {
      if (placed.has(b.to)) continue;
      placed.set(b.to, composePlacements(s.spaceGroup, placed.get(at)!, b));
      queue.push(b.to);
    }
  }
  return placed;
}

/** The placement that brings a point nearest to the middle of the cell; it stays where it is unless another copy is clearly nearer. */
function towardsMiddle(s: Structure, centre: Vec3): Placement {
  let best: Placement = HOME,
    score = Infinity;
  symmetryTable(s.spaceGroup).operators.forEach((o, operator) => {
    const y = applyOperator(o, centre);
    const shift = toVec3(y.map((v) => -Math.floor(v + 1e-9)));
    const d = y.reduce((sum, v, k) => sum + (v + shift[k]! - 0.5) ** 2, 0) + (operator === 0 ? 0 : 0.02);
    if (d >= score) return;
    score = d;
    best = { operator, shift };
  });
  return best;
}

/** Moves sites by symmetry so that each fragment is one connected piece, its middle inside the cell nearest (½, ½, ½). */
export function assembleAsymmetricUnit(s: Structure): Structure {
  const bySite = bondsBySite(s);
  const placed = new Map<number, Placement>();
  for (const group of fragments(s)) {
    const joined = joinFragment(s, group, bySite);
    const at = group.map((i) => applyOperator(operatorOf(s.spaceGroup, joined.get(i)!), s.sites[i]!.position));
    const centre = toVec3([0, 1, 2].map((k) => at.reduce((sum, x) => sum + x[k]!, 0) / group.length));
    const whole = towardsMiddle(s, centre);
    for (const i of group) placed.set(i, composePlacements(s.spaceGroup, whole, joined.get(i)!));
  }
  return { ...s, sites: s.sites.map((site, i) => moveSite(s, site, operatorOf(s.spaceGroup, placed.get(i)!))) };
}

/** A site carried by an operator, displacement tensor included. */
export function moveSite(s: Structure, site: Structure['sites'][number], o: Operator): Structure['sites'][number] {
  if (isUnmoved(o)) return site;
  const position = applyOperator(o, site.position);
  if (site.displacement.kind === 'iso') return { ...site, position };
  return { ...site, position, displacement: { ...site.displacement, u: rotateU(s.cell, o.r, site.displacement.u) } };
}

const isUnmoved = (o: Operator): boolean =>
  o.r.every((x, i) => x === (i % 4 ? 0 : 1)) && o.t.every((t) => Math.abs(t) < 1e-9);
