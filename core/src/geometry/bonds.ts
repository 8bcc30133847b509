/** Bonds from covalent radii (Cordero et al. 2008) and the connected units they make. */
import { isSymmetryGroup } from '../crystal/controls.ts';
import { compose, IDENTITY, operatorKey, type Operator } from '../crystal/operator.ts';
import { neighbours, type Neighbour } from '../crystal/neighbours.ts';
import { rotateU, type Structure } from '../crystal/structure.ts';
import { elementOf } from '../crystal/elements.ts';

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
function compatible(s: Structure, i: number, j: number): boolean {
  const a = s.sites[i]!.disorder,
    b = s.sites[j]!.disorder;
  return !a || !b || a.assembly !== b.assembly || a.group === b.group;
}

/** Structures never change, so what was found for one is kept as long as it lives: many parts of a page ask for the same bonds. */
const known = new WeakMap<Structure, Neighbour[]>();

/** Every bond, from both ends. */
export function bonds(s: Structure): Neighbour[] {
  let list = known.get(s);
  if (!list) known.set(s, (list = findBonds(s)));
  return list;
}

function findBonds(s: Structure): Neighbour[] {
  const limits = new Map<string, number>();
  const limit = (i: number, j: number): number => {
    const key = `${s.sites[i]!.element}|${s.sites[j]!.element}`;
    let x = limits.get(key);
    if (x === undefined) limits.set(key, (x = bondLimit(s.sites[i]!.element, s.sites[j]!.element)));
    return compatible(s, i, j) ? x : 0;
  };
  // Atoms disordered about a symmetry element (negative group) never bond to copies of their own group.
  const own = (b: Neighbour): boolean =>
    isSymmetryGroup(s.sites[b.from]!.disorder?.group) &&
    s.sites[b.from]!.disorder!.assembly === s.sites[b.to]!.disorder?.assembly &&
    !isTrivial(b.operator);
  return neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    limit,
  ).filter((b) => b.distance > 0.5 && !own(b));
}

export interface PlacedSite {
  readonly site: number;
  readonly operator: Operator;
}

/** Product with translations kept, not wrapped. */
export function composeExact(a: Operator, b: Operator): Operator {
  const r = compose(a, b).r;
  const t = [0, 1, 2].map(
    (i) => a.r[3 * i]! * b.t[0] + a.r[3 * i + 1]! * b.t[1] + a.r[3 * i + 2]! * b.t[2] + a.t[i]!,
  ) as unknown as Operator['t'];
  return { r, t };
}

const exactKey = (site: number, x: readonly number[]): string => `${site}|${x.map((v) => Math.round(v * 2000)).join()}`;
const place = (o: Operator, x: readonly [number, number, number]): [number, number, number] =>
  [0, 1, 2].map((i) => o.r[3 * i]! * x[0] + o.r[3 * i + 1]! * x[1] + o.r[3 * i + 2]! * x[2] + o.t[i]!) as [
    number,
    number,
    number,
  ];

/** Follows bonds from a placed site to the whole connected unit; stops after `most` sites, where the unit is a polymer. */
export function connectedUnit(s: Structure, list: readonly Neighbour[], start: PlacedSite, most = 2000): PlacedSite[] {
  const from = new Map<number, Neighbour[]>();
  for (const b of list) from.set(b.from, [...(from.get(b.from) ?? []), b]);
  const out: PlacedSite[] = [start];
  const seen = new Set([exactKey(start.site, place(start.operator, s.sites[start.site]!.position))]);
  for (let i = 0; i < out.length && out.length < most; i++) {
    const here = out[i]!;
    for (const b of from.get(here.site) ?? []) {
      const operator = composeExact(here.operator, b.operator);
      const key = exactKey(b.to, place(operator, s.sites[b.to]!.position));
      if (seen.has(key)) continue;
      seen.add(key);
      out.push({ site: b.to, operator });
    }
  }
  return out;
}

/** Groups of site indices joined by bonds, symmetry ignored: the fragments of the asymmetric unit. */
export function fragments(s: Structure, list: readonly Neighbour[] = bonds(s)): number[][] {
  const parent = s.sites.map((_, i) => i);
  const root = (i: number): number => (parent[i] === i ? i : (parent[i] = root(parent[i]!)));
  for (const b of list) parent[root(b.from)] = root(b.to);
  const groups = new Map<number, number[]>();
  s.sites.forEach((_, i) => groups.set(root(i), [...(groups.get(root(i)) ?? []), i]));
  return [...groups.values()].sort((p, q) => q.length - p.length);
}

/** Moves sites by symmetry so that each fragment is one connected piece, its middle inside the cell nearest (½, ½, ½). */
export function assembleAsymmetricUnit(s: Structure): Structure {
  const list = bonds(s);
  const sites = s.sites.map((x) => x);
  const isIdentity = (o: Operator): boolean =>
    operatorKey(o) === operatorKey(IDENTITY) && o.t.every((t) => Math.abs(t) < 1e-9);
  const byFrom = new Map<number, Neighbour[]>();
  for (const b of list) byFrom.set(b.from, [...(byFrom.get(b.from) ?? []), b]);
  const placed = new Map<number, Operator>();
  for (const group of fragments(s, list)) {
    // Heaviest first keeps the centre of the unit where it is.
    const first = group.reduce(
      (p, q) => (elementOf(s.sites[q]!.element).z > elementOf(s.sites[p]!.element).z ? q : p),
      group[0]!,
    );
    placed.set(first, IDENTITY);
    const queue = [first];
    for (let i = 0; i < queue.length; i++) {
      const at = queue[i]!;
      const near = [...(byFrom.get(at) ?? [])].sort(
        (p, q) => Number(isIdentity(q.operator)) - Number(isIdentity(p.operator)) || p.distance - q.distance,
      );
      for (const b of near) {
        if (placed.has(b.to)) continue;
        placed.set(b.to, composeExact(placed.get(at)!, b.operator));
        queue.push(b.to);
      }
    }
    const centre = [0, 1, 2].map(
      (k) => group.reduce((sum, i) => sum + place(placed.get(i)!, s.sites[i]!.position)[k]!, 0) / group.length,
    ) as [number, number, number];
    let best = IDENTITY,
      score = Infinity;
    for (const c of s.spaceGroup.centring)
      for (const o of s.spaceGroup.representatives) {
        const y = place({ r: o.r, t: [o.t[0] + c[0], o.t[1] + c[1], o.t[2] + c[2]] }, centre);
        const n = y.map((v) => -Math.floor(v + 1e-9));
        const d = y.reduce((sum, v, k) => sum + (v + n[k]! - 0.5) ** 2, 0);
        // The unit stays where it is unless another copy is clearly nearer to the middle.
        const penalty = isIdentity(o) && c.every((v) => !v) ? 0 : 0.02;
        if (d + penalty < score) {
          score = d + penalty;
          best = { r: o.r, t: [o.t[0] + c[0] + n[0]!, o.t[1] + c[1] + n[1]!, o.t[2] + c[2] + n[2]!] };
        }
      }
    for (const i of group) placed.set(i, composeExact(best, placed.get(i)!));
  }
  return { ...s, sites: sites.map((site, i) => moveSite(s, site, placed.get(i)!)) };
}

/** A site carried by an operator, displacement tensor included. */
export function moveSite(s: Structure, site: Structure['sites'][number], o: Operator): Structure['sites'][number] {
  if (isTrivial(o)) return site;
  const position = place(o, site.position);
  if (site.displacement.kind === 'iso') return { ...site, position };
  return { ...site, position, displacement: { ...site.displacement, u: rotateU(s.cell, o.r, site.displacement.u) } };
}
function isTrivial(o: Operator): boolean {
  return operatorKey(o) === operatorKey(IDENTITY) && o.t.every((t) => Math.abs(t) < 1e-9);
}
