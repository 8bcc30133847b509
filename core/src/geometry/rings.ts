/**
 * Rings of the bonded network, completed by symmetry. A ring is taken when no path through the network joins two of its
 * atoms by fewer bonds than the ring itself (Franzblau 1991, Phys. Rev. B 44, 4925), and when it is not the sum of smaller
 * rings that share atoms with it (Vismara 1997, Electron. J. Combin. 4, R9): the hexagons around a cube are none.
 */
import {
  composePlacements,
  invertPlacement,
  HOME,
  moveRef,
  placeKey,
  placementOf,
  siteIndices,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { metricTensor } from '../crystal/cell.ts';
import { siteCharges } from '../crystal/ionic.ts';
import type { Neighbour } from '../crystal/neighbours.ts';
import { siteSymmetry } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, bondsBySite, neighbourRef } from './bonds.ts';
import { sharedPlaces } from './coordination.ts';

export const LARGEST_RING = 12;
/** Walks from one atom, and pairs of them, before rings of a size are given up: networks where everything touches everything. */
const MOST_WALKS = 600,
  MOST_PAIRS = 3000;
/** An atom with more bonds than an octahedron is held by what surrounds it; no ring is told through it. */
const MOST_BONDS = 6;
/** In a salt rings are told through tetrahedra only: those of a dense packing are as many as there are faces in it. */
const MOST_BONDS_OF_IONS = 4;

export interface Ring {
  /** In order around the ring; the first one where the model holds it, if any is. */
  readonly atoms: readonly AtomRef[];
}

/** What surrounds one site within half of the largest ring: places by key, their distance in bonds and their bonded places. */
interface Ball {
  readonly refs: readonly AtomRef[];
  readonly steps: Int32Array;
  readonly next: readonly (readonly number[])[];
  readonly at: ReadonlyMap<string, number>;
  /** Walks outwards from the site by their length, made as far as they were asked for; undefined from where they are too many. */
  readonly walks: (number[][] | undefined)[];
}

class Network {
  private readonly bySite: readonly (readonly Neighbour[])[];
  private readonly balls = new Map<string, Ball>();
  private readonly stabilisers = new Map<string, readonly Placement[]>();

  constructor(
    readonly s: Structure,
    list: readonly Neighbour[],
    readonly reach: number,
  ) {
    const all = bondsBySite(s, list);
    const most = siteCharges(s).every((q) => q !== undefined) ? MOST_BONDS_OF_IONS : MOST_BONDS;
    const places = sharedPlaces(s);
    // Ions that replace one another are one member of a ring.
    const leading = (i: number): boolean => places[i]![0] === i;
    const left = all.map((own, i) => (leading(i) ? own.filter((b) => leading(b.to)) : []));
    const crowded = (i: number): boolean => left[i]!.length > most;
    this.bySite = left.map((own, i) => (crowded(i) ? [] : own.filter((b) => !crowded(b.to))));
  }

  /** Breadth first from a site where the model holds it. */
  ball(site: string): Ball {
    const known = this.balls.get(site);
    if (known) return known;
    const { s, reach } = this;
    const index = siteIndices(s);
    const start: AtomRef = { site, ...HOME };
    const refs: AtomRef[] = [start],
      steps = [0],
      next: number[][] = [],
      at = new Map([[placeKey(s, start), 0]]);
    for (let i = 0; i < refs.length; i++) {
      const here = refs[i]!;
      const bonded: number[] = [];
      next.push(bonded);
      for (const b of this.bySite[index.get(here.site)!]!) {
        const ref = neighbourRef(s, b, here),
          key = placeKey(s, ref);
        let j = at.get(key);
        if (j === undefined && steps[i]! < reach) {
          j = refs.length;
          at.set(key, j);
          refs.push(ref);
          steps.push(steps[i]! + 1);
        }
        if (j !== undefined) bonded.push(j);
      }
    }
    const ball: Ball = { refs, steps: Int32Array.from(steps), next, at, walks: [[[0]]] };
    this.balls.set(site, ball);
    return ball;
  }

  /** Bonds between two places, at most the reach; Infinity beyond. */
  stepsBetween(a: AtomRef, b: AtomRef): number {
    const ball = this.ball(a.site);
    const seen = moveRef(this.s.spaceGroup, invertPlacement(this.s.spaceGroup, a), b);
    const i = ball.at.get(placeKey(this.s, seen));
    return i === undefined ? Infinity : ball.steps[i]!;
  }

  /** Operations that carry a place to where the model holds its site: more than one for a site on a symmetry element. */
  homeward(ref: AtomRef): Placement[] {
    const { spaceGroup } = this.s;
    const back = invertPlacement(spaceGroup, ref);
    return this.stabiliser(ref.site).map((p) => composePlacements(spaceGroup, p, back));
  }

  private stabiliser(site: string): readonly Placement[] {
    const known = this.stabilisers.get(site);
    if (known) return known;
    const { cell, spaceGroup, sites } = this.s;
    const { position } = sites[siteIndices(this.s).get(site)!]!;
    const list = siteSymmetry(spaceGroup, metricTensor(cell), position).operators.map((o) =>
      placementOf(spaceGroup, o),
    );
    this.stabilisers.set(site, list);
    return list;
  }
}

/** Walks from the first atom of a ball whose every step leads further out. */
function walksOf(ball: Ball, steps: number): number[][] | undefined {
  while (ball.walks.length <= steps) {
    const k = ball.walks.length;
    const longer = ball.walks[k - 1]?.flatMap((w) =>
      ball.next[w[w.length - 1]!]!.filter((j) => ball.steps[j] === k).map((j) => [...w, j]),
    );
    ball.walks.push(longer && longer.length <= MOST_WALKS ? longer : undefined);
  }
  return ball.walks[steps];
}

/** Cycles of a length through the first atom of a ball that can be rings: steps rise to the far side and fall again. */
function cyclesThrough(ball: Ball, length: number): number[][] {
  const odd = length % 2;
  const walks = walksOf(ball, length >> 1);
  if (!walks) return [];
  const byEnd = new Map<number, number[][]>();
  for (const w of walks) {
    const end = w[w.length - 1]!;
    byEnd.set(end, [...(byEnd.get(end) ?? []), w]);
  }
  const out: number[][] = [];
  const join = (p: readonly number[], q: readonly number[]): void => {
    // One walk out, the other home; the first step decides the sense, so that each cycle comes once.
    if (p[1]! >= q[1]!) return;
    const inner = new Set(p.slice(1));
    const home = odd ? q.slice(1) : q.slice(1, -1);
    if (home.some((x) => inner.has(x))) return;
    out.push([...p, ...home.reverse()]);
  };
  const partnersOf = (end: number, group: readonly number[][]): readonly number[][] =>
    odd ? ball.next[end]!.flatMap((j) => byEnd.get(j) ?? []) : group;
  let pairs = 0;
  for (const [end, group] of byEnd) pairs += group.length * partnersOf(end, group).length;
  if (pairs > MOST_PAIRS) return [];
  for (const [end, group] of byEnd) {
    const partners = partnersOf(end, group);
    for (const p of group) for (const q of partners) join(p, q);
  }
  return out;
}

/** Atoms of different groups of one assembly are never there together. */
export function isOfOnePlace(s: Structure, atoms: readonly AtomRef[]): boolean {
  const groups = new Map<string, string>();
  for (const ref of atoms) {
    const d = s.sites[siteIndices(s).get(ref.site)!]!.disorder;
    if (!d) continue;
    if ((groups.get(d.assembly) ?? d.group) !== d.group) return false;
    groups.set(d.assembly, d.group);
  }
  return true;
}

/** No two atoms of the cycle are nearer through the network than around it. */
function isTight(net: Network, atoms: readonly AtomRef[]): boolean {
  const n = atoms.length;
  for (let i = 0; i < n; i++)
    for (let k = 2; k <= n >> 1; k++) if (net.stepsBetween(atoms[i]!, atoms[(i + k) % n]!) < k) return false;
  return true;
}

/** One text for a ring and all its symmetry copies. */
function ringKey(net: Network, atoms: readonly AtomRef[]): string {
  const { s } = net;
  let best = '';
  for (const ref of atoms)
    for (const back of net.homeward(ref)) {
      const key = atoms
        .map((x) => placeKey(s, moveRef(s.spaceGroup, back, x)))
        .sort()
        .join(' ');
      if (!best || key < best) best = key;
    }
  return best;
}

const edgeKey = (a: string, b: string): string => (a < b ? `${a} ${b}` : `${b} ${a}`);

function edgesOf(s: Structure, atoms: readonly AtomRef[]): Set<string> {
  const keys = atoms.map((x) => placeKey(s, x));
  return new Set(keys.map((k, i) => edgeKey(k, keys[(i + 1) % keys.length]!)));
}

/** Whether a set of edges is the sum (modulo two) of others: Gaussian elimination, each basis member led by one edge of its own. */
function isSumOf(edges: ReadonlySet<string>, others: readonly ReadonlySet<string>[]): boolean {
  const basis = new Map<string, ReadonlySet<string>>();
  const reduced = (set: ReadonlySet<string>): Set<string> => {
    const out = new Set(set);
    for (const [lead, member] of basis) if (out.has(lead)) for (const e of member) if (!out.delete(e)) out.add(e);
    return out;
  };
  for (const o of others) {
    const rest = reduced(o);
    const [lead] = rest;
    if (lead === undefined) continue;
    // Earlier members lose the new leading edge, so that one pass reduces.
    for (const [key, member] of basis)
      if (member.has(lead)) {
        const cleared = new Set(member);
        for (const e of rest) if (!cleared.delete(e)) cleared.add(e);
        basis.set(key, cleared);
      }
    basis.set(lead, rest);
  }
  return reduced(edges).size === 0;
}

/** Every copy of some rings that shares an atom with the given one. */
function copiesTouching(net: Network, rings: readonly Ring[], atoms: readonly AtomRef[]): Set<string>[] {
  const { s } = net;
  const out = new Map<string, Set<string>>();
  for (const ring of rings)
    for (const member of ring.atoms)
      for (const touched of atoms) {
        if (touched.site !== member.site) continue;
        for (const back of net.homeward(member)) {
          const there = composePlacements(s.spaceGroup, touched, back);
          const edges = edgesOf(
            s,
            ring.atoms.map((x) => moveRef(s.spaceGroup, there, x)),
          );
          out.set([...edges].sort().join('|'), edges);
        }
      }
  return [...out.values()];
}

/** Rings of up to `largest` atoms, one of each set of symmetry copies, small ones first. */
export function findRings(s: Structure, list: readonly Neighbour[] = bonds(s), largest: number = LARGEST_RING): Ring[] {
  const net = new Network(s, list, largest >> 1);
  const rings: Ring[] = [];
  const seen = new Set<string>();
  for (let length = 3; length <= largest; length++) {
    const smaller = [...rings];
    for (const site of s.sites) {
      const ball = net.ball(site.id);
      for (const cycle of cyclesThrough(ball, length)) {
        const atoms = cycle.map((i) => ball.refs[i]!);
        const key = ringKey(net, atoms);
        if (seen.has(key)) continue;
        seen.add(key);
        if (!isOfOnePlace(s, atoms) || !isTight(net, atoms)) continue;
        if (smaller.length && isSumOf(edgesOf(s, atoms), copiesTouching(net, smaller, atoms))) continue;
        rings.push({ atoms });
      }
    }
  }
  return rings;
}

/** Whether two rings share a bond: parts of one fused system. */
export function areFused(s: Structure, a: readonly AtomRef[], b: readonly AtomRef[]): boolean {
  const edges = edgesOf(s, a);
  return [...edgesOf(s, b)].some((e) => edges.has(e));
}

/** Rings that are fused with one another, by their indices; rings that stand alone make no system. Copies count where the rings themselves share a bond. */
export function fusedSystems(s: Structure, rings: readonly (readonly AtomRef[])[]): number[][] {
  const edges = rings.map((r) => edgesOf(s, r));
  const parent = rings.map((_, i) => i);
  const root = (i: number): number => (parent[i] === i ? i : (parent[i] = root(parent[i]!)));
  const owner = new Map<string, number>();
  edges.forEach((list, i) => {
    for (const e of list) {
      const other = owner.get(e);
      if (other === undefined) owner.set(e, i);
      else parent[root(i)] = root(other);
    }
  });
  const systems = new Map<number, number[]>();
  rings.forEach((_, i) => {
    const list = systems.get(root(i));
    if (list) list.push(i);
    else systems.set(root(i), [i]);
  });
  return [...systems.values()].filter((list) => list.length > 1);
}
