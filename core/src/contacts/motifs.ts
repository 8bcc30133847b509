/**
 * What contacts between molecules come to: motifs of one or two kinds of contact with their graph sets (Etter, MacDonald &
 * Bernstein 1990, Acta Cryst. B 46, 256), and the network of all of them.
 */
import {
  canonicalRef,
  composePlacements,
  HOME,
  invertPlacement,
  moveRef,
  refKey,
  symmetryTable,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { distinctNets, netsOf } from '../geometry/nets.ts';
import { greatestCommonDivisor } from '../math/integer.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import { add, apply3, norm, subtract, toVec3, type Vec3 } from '../math/matrix3.ts';
import type { Contact, ContactSearch } from './find-contacts.ts';

export type MotifKind = 'inside' | 'ring' | 'chain' | 'discrete';

export interface Motif {
  readonly kind: MotifKind;
  /** "S(6)", "R2,2(8)", "C(4)", "D": acceptors and donors before the size, as R a,d (n). */
  readonly graphSet: string;
  /** Of a chain: lattice direction, whole numbers, and Å from a molecule to its next copy by a lattice translation. */
  readonly direction?: Vec3;
  readonly period?: number;
  /** Indices of the contacts that make it, one or two. */
  readonly contacts: readonly number[];
}

/** A step along a contact from one molecule to another, in the frame of the first. */
interface Step {
  readonly contact: number;
  readonly from: number;
  readonly to: number;
  readonly by: Placement;
  /** The atom left by and the one arrived at, each in the frame of its own molecule. */
  readonly exit: AtomRef;
  readonly entry: AtomRef;
  readonly forward: boolean;
}

/** Molecules that symmetry does not make of one another, and where an atom stands in its own. */
class Units {
  readonly atoms: readonly (readonly AtomRef[])[];

  constructor(readonly s: Structure) {
    this.atoms = distinctNets(s)
      .filter((n) => n.dimension === 0)
      .map((n) => n.atoms);
  }

  /** Every way to see an atom as one of a unit, moved. */
  places(atom: AtomRef): { unit: number; frame: Placement; own: AtomRef }[] {
    return this.atoms.flatMap((list, unit) =>
      list
        .filter((a) => a.site === atom.site)
        .map((own) => {
          const frame = composePlacements(this.s.spaceGroup, atom, invertPlacement(this.s.spaceGroup, own));
          return { unit, frame, own };
        })
        .filter(({ frame }) => this.isWhole(unit, frame, atom)),
    );
  }

  /** The molecule of the atom is the moved unit, not another one that shares the site. */
  private isWhole(unit: number, frame: Placement, atom: AtomRef): boolean {
    const nets = netsOf(this.s);
    return nets.nameOf(moveRef(this.s.spaceGroup, frame, this.atoms[unit]![0]!)) === nets.nameOf(atom);
  }
}

/** Powers of an operation looked at: a crystal has no more than sixfold ones. */
const MOST_POWERS = 6;

export class Motifs {
  private readonly units: Units;
  private readonly steps: readonly Step[];

  constructor(
    private readonly search: ContactSearch,
    private readonly contacts: readonly Contact[],
    /** Contacts beyond which pairs of them are not looked at. */
    private readonly mostPaired = 40,
  ) {
    this.units = new Units(search.s);
    this.steps = contacts.flatMap((c, i) => (c.inside || c.takerRing ? [] : this.stepsOf(c, i)));
  }

  private get group() {
    return this.search.s.spaceGroup;
  }

  private stepsOf(c: Contact, contact: number): Step[] {
    const out: Step[] = [];
    // The bond from the giver counts: a hydrogen stands in the path.
    const leaving = c.hydrogen ?? c.giver;
    const [from] = this.units.places(c.giver);
    if (!from) return out;
    const back = invertPlacement(this.group, from.frame);
    const exit = canonicalRef(this.search.s, moveRef(this.group, back, leaving));
    for (const to of this.units.places(c.taker)) {
      const by = composePlacements(this.group, back, to.frame);
      const entry = canonicalRef(this.search.s, to.own);
      out.push({ contact, from: from.unit, to: to.unit, by, exit, entry, forward: true });
      const reverse = invertPlacement(this.group, by);
      out.push({ contact, from: to.unit, to: from.unit, by: reverse, exit: entry, entry: exit, forward: false });
    }
    return out;
  }

  /** Motifs of every single contact that is wanted, then of every two of them. */
  all(wanted: (c: Contact) => boolean = () => true): Motif[] {
    const indices = this.contacts.flatMap((c, i) => (wanted(c) ? [i] : []));
    const single = indices.flatMap((i) => this.single(i) ?? []);
    if (indices.length > this.mostPaired) return single;
    const double = indices.flatMap((i, k) => indices.slice(k + 1).flatMap((j) => this.pair(i, j)));
    return [...single, ...double];
  }

  private single(i: number): Motif | undefined {
    const c = this.contacts[i]!;
    if (c.takerRing) return undefined;
    if (c.inside) {
      const size = this.pathAtoms(c.hydrogen ?? c.giver, c.taker);
      return size ? { kind: 'inside', graphSet: `S(${size + this.unlocated(i)})`, contacts: [i] } : undefined;
    }
    const words = this.steps.filter((s) => s.contact === i && s.forward).map((s) => [s]);
    return best(words.flatMap((w) => this.closed(w) ?? [])) ?? { kind: 'discrete', graphSet: 'D', contacts: [i] };
  }

  /** A hydrogen that nobody located stands in the path all the same. */
  private unlocated(contact: number): number {
    return this.contacts[contact]!.likely ? 1 : 0;
  }

  private pair(i: number, j: number): Motif[] {
    const words: Step[][] = [];
    for (const p of this.steps)
      for (const q of this.steps) if (p.contact === i && q.contact === j && p.forward) words.push([p, q]);
    const found = words.flatMap((w) => this.closed(w) ?? []);
    const of = (kind: MotifKind): Motif[] => {
      const one = best(found.filter((m) => m.kind === kind));
      return one ? [one] : [];
    };
    return [...of('ring'), ...of('chain')];
  }

  /** The ring or chain that a word of steps makes when it is repeated; undefined where it does not lead back to its molecule. */
  private closed(word: readonly Step[]): (Motif & { size: number }) | undefined {
    const first = word[0]!;
    for (const [k, step] of word.entries()) if (step.to !== word[(k + 1) % word.length]!.from) return undefined;
    let size = 0;
    for (const [k, step] of word.entries()) {
      const path = this.pathAtoms(step.entry, word[(k + 1) % word.length]!.exit);
      if (!path) return undefined;
      size += path + this.unlocated(step.contact);
    }
    const hop = word.reduce<Placement>((p, step) => composePlacements(this.group, p, step.by), HOME);
    // There and back again along one contact is no motif.
    if (word.length > 1 && this.isSameMolecule(first.from, hop) && word[0]!.contact === word[1]!.contact)
      return undefined;
    const contacts = [...new Set(word.map((s) => s.contact))];
    let power: Placement = hop;
    for (let times = 1; times <= MOST_POWERS; times++) {
      if (this.isSameMolecule(first.from, power)) {
        if (times * word.length < 2) return undefined;
        const donors = times * distinctEnds(word, true),
          acceptors = times * distinctEnds(word, false);
        const total = times * size;
        return { kind: 'ring', graphSet: `R${acceptors},${donors}(${total})`, contacts, size: total };
      }
      if (power.operator === 0) {
        const along = apply3(orthogonalization(this.search.s.cell), power.shift);
        const degree = word.length === 1 ? '' : `${distinctEnds(word, false)},${distinctEnds(word, true)}`;
        return {
          kind: 'chain',
          graphSet: `C${degree}(${size})`,
          direction: coprime(power.shift),
          period: norm(along),
          contacts,
          size,
        };
      }
      power = composePlacements(this.group, power, hop);
    }
    return undefined;
  }

  /** A molecule on a symmetry element is itself under more than the identity. */
  private isSameMolecule(unit: number, by: Placement): boolean {
    const nets = netsOf(this.search.s);
    const atom = this.units.atoms[unit]![0]!;
    return nets.nameOf(moveRef(this.group, by, atom)) === nets.nameOf(atom);
  }

  /** Atoms on the shortest way from one to another of a molecule, both counted; 0 where none is found. */
  private pathAtoms(from: AtomRef, to: AtomRef): number {
    const bonds = this.search.bondsBetween(from, to);
    return bonds === undefined ? 0 : bonds + 1;
  }
}

/** Different giving (or taking) atoms of one round. */
function distinctEnds(word: readonly Step[], giving: boolean): number {
  const ends = word.map((s) => (s.forward === giving ? `${s.from} ${refKey(s.exit)}` : `${s.to} ${refKey(s.entry)}`));
  return new Set(ends).size;
}

/** Rings before chains, small before large. */
function best(list: readonly (Motif & { size: number })[]): (Motif & { size: number }) | undefined {
  return [...list].sort((p, q) => Number(q.kind === 'ring') - Number(p.kind === 'ring') || p.size - q.size)[0];
}

const coprime = (v: Vec3): Vec3 => {
  const d = v.reduce((n, x) => greatestCommonDivisor(n, Math.abs(x)), 0) || 1;
  const sign = (v.find((x) => x) ?? 1) < 0 ? -1 : 1;
  return toVec3(v.map((x) => (sign * x) / d + 0));
};

export type NetworkShape = 'finite' | 'ring' | 'chain' | 'ladder' | 'layer' | 'framework';

export interface ContactNetwork {
  readonly dimension: 0 | 1 | 2 | 3;
  readonly shape: NetworkShape;
  /** Lattice directions the network runs along, as many as its dimension. */
  readonly directions: readonly Vec3[];
  /** Molecules that one molecule is joined to, the most of all. */
  readonly coordination: number;
}

/** The network that contacts between molecules make of a crystal: its largest one. */
export function networkOf(s: Structure, contacts: readonly Contact[]): ContactNetwork {
  const nets = netsOf(s);
  const edges = new Map<string, { from: number; to: number; shift: Vec3 }>();
  const n = symmetryTable(s.spaceGroup).operators.length;
  for (const c of contacts) {
    if (c.inside) continue;
    for (let operator = 0; operator < n; operator++) {
      const by: Placement = { operator, shift: [0, 0, 0] };
      const [a, b] = [c.giver, c.taker].map((r) => nets.copyOf(moveRef(s.spaceGroup, by, r)));
      const shift = subtract(b!.shift, a!.shift);
      edges.set(`${a!.net} ${b!.net} ${shift.join()}`, { from: a!.net, to: b!.net, shift });
    }
  }
  return shapeOf(nets.list.length, [...edges.values()]);
}

interface Edge {
  readonly from: number;
  readonly to: number;
  readonly shift: Vec3;
}

function shapeOf(count: number, edges: readonly Edge[]): ContactNetwork {
  const around: { to: number; shift: Vec3 }[][] = Array.from({ length: count }, () => []);
  for (const { from, to, shift } of edges) {
    around[from]!.push({ to, shift });
    around[to]!.push({ to: from, shift: toVec3(shift.map((x) => -x + 0)) });
  }
  const at = new Map<number, Vec3>();
  let best: ContactNetwork = { dimension: 0, shape: 'finite', directions: [], coordination: 0 };
  for (let start = 0; start < count; start++) {
    if (at.has(start) || !around[start]!.length) continue;
    const lattice = new IntegerLattice();
    const members = [start];
    at.set(start, [0, 0, 0]);
    for (let i = 0; i < members.length; i++)
      for (const { to, shift } of around[members[i]!]!) {
        const reached = add(at.get(members[i]!)!, shift);
        const known = at.get(to);
        if (known) lattice.add(subtract(reached, known));
        else {
          at.set(to, reached);
          members.push(to);
        }
      }
    const distinct = members.map((m) => new Set(around[m]!.map((e) => `${e.to} ${e.shift.join()}`)).size);
    const loops = distinct.reduce((p, q) => p + q, 0) / 2 - members.length + 1;
    const found = { dimension: lattice.rank as 0 | 1 | 2 | 3, directions: lattice.basis.map(coprime) };
    if (best.coordination && found.dimension <= best.dimension) continue;
    best = { ...found, shape: shapeWord(found.dimension, loops), coordination: Math.max(...distinct) };
  }
  return best;
}

const shapeWord = (dimension: number, loops: number): NetworkShape => {
  if (dimension === 3) return 'framework';
  if (dimension === 2) return 'layer';
  if (dimension === 1) return loops > 1 ? 'ladder' : 'chain';
  return loops > 0 ? 'ring' : 'finite';
};
