/** What bonds make of a crystal: molecules, chains, layers and frameworks, by the lattice translations they lead back to. */
import { canonicalRef, originalRef, siteIndices, symmetryTable, type AtomRef } from '../crystal/atom-ref.ts';
import { metricTensor } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import { add, apply3, dot, subtract, type Vec3 } from '../math/matrix3.ts';
import { bonds, bondsBySite, neighbourRef } from './bonds.ts';

export type Dimension = 0 | 1 | 2 | 3;

export interface Net {
  /** One repeat: every place once, joined by bonds as they stand. */
  readonly atoms: readonly AtomRef[];
  /** 0 molecule, 1 chain, 2 layer, 3 framework. */
  readonly dimension: Dimension;
  /** Lattice translations that lead from the net to itself: as many as its dimension, short ones. */
  readonly translations: readonly Vec3[];
}

export const NET_WORDS: Readonly<Record<Dimension, string>> = {
  0: 'molecule',
  1: 'chain',
  2: 'layer',
  3: 'framework',
};

/** The nets of a crystal, one of each place of the lattice, and who belongs where. */
export class Nets {
  readonly list: readonly Net[];
  private readonly lattices: readonly IntegerLattice[];
  /** Net and shift in it of every place modulo whole cells, by site and canonical operator. */
  private readonly home = new Map<number, { readonly net: number; readonly shift: Vec3 }>();

  constructor(private readonly s: Structure) {
    const bySite = bondsBySite(s, bonds(s));
    const index = siteIndices(s);
    const lattices: IntegerLattice[] = [];
    const atoms: AtomRef[][] = [];
    for (const start of this.places()) {
      if (this.home.has(this.keyOf(start))) continue;
      const net = lattices.length;
      const lattice = new IntegerLattice();
      const here = [start];
      this.home.set(this.keyOf(start), { net, shift: start.shift });
      for (let i = 0; i < here.length; i++)
        for (const b of bySite[index.get(here[i]!.site)!]!) {
          const next = canonicalRef(s, neighbourRef(s, b, here[i]));
          const key = this.keyOf(next);
          const known = this.home.get(key);
          if (known) lattice.add(subtract(next.shift, known.shift));
          else {
            this.home.set(key, { net, shift: next.shift });
            here.push(next);
          }
        }
      lattices.push(lattice);
      atoms.push(here);
    }
    this.lattices = lattices;
    this.list = lattices.map((l, i) => ({
      atoms: atoms[i]!,
      dimension: l.rank as Dimension,
      translations: shortBasis(s, l.basis),
    }));
  }

  /** Every place of one cell, those of the model first, so that the nets it stands in come first. */
  private *places(): Generator<AtomRef> {
    const { s } = this;
    for (const x of s.sites) yield canonicalRef(s, originalRef(x.id));
    const n = symmetryTable(s.spaceGroup).operators.length;
    for (const x of s.sites)
      for (let operator = 0; operator < n; operator++)
        yield canonicalRef(s, { site: x.id, operator, shift: [0, 0, 0] });
  }

  private keyOf(canonical: AtomRef): number {
    return (
      siteIndices(this.s).get(canonical.site)! * symmetryTable(this.s.spaceGroup).operators.length + canonical.operator
    );
  }

  /** Which net of the list an atom is a copy of, by whole cells. */
  netOf(atom: AtomRef): number {
    return this.home.get(this.keyOf(canonicalRef(this.s, atom)))!.net;
  }

  /** The net of the list that an atom's own one is a copy of, and whole cells from there to it; of a molecule exact. */
  copyOf(atom: AtomRef): { net: number; shift: Vec3 } {
    const canonical = canonicalRef(this.s, atom);
    const { net, shift } = this.home.get(this.keyOf(canonical))!;
    return { net, shift: subtract(canonical.shift, shift) };
  }

  /** Every atom of the very molecule an atom is part of. */
  unitOf(atom: AtomRef): AtomRef[] {
    const { net, shift } = this.copyOf(atom);
    return this.list[net]!.atoms.map((a) => ({ ...a, shift: add(a.shift, shift) }));
  }

  /** A name for the very net an atom is part of: the same for two atoms exactly when bonds lead from one to the other. */
  nameOf(atom: AtomRef): string {
    const canonical = canonicalRef(this.s, atom);
    const { net, shift } = this.home.get(this.keyOf(canonical))!;
    return `${net}|${this.lattices[net]!.reduce(subtract(canonical.shift, shift)).join()}`;
  }
}

const known = new WeakMap<Structure, Nets>();

/** Nets of a structure, worked out once. */
export function netsOf(s: Structure): Nets {
  let nets = known.get(s);
  if (!nets) known.set(s, (nets = new Nets(s)));
  return nets;
}

/** What a crystal is on the whole: the highest dimension of its nets. */
export const dimensionOf = (s: Structure): Dimension =>
  netsOf(s).list.reduce<Dimension>((most, n) => (n.dimension > most ? n.dimension : most), 0);

/** Pairwise reduction (Gauss; a few rounds of it in three dimensions): short enough for a picture. */
function shortBasis(s: Structure, basis: readonly Vec3[]): Vec3[] {
  const g = metricTensor(s.cell);
  const product = (p: Vec3, q: Vec3): number => dot(p, apply3(g, q));
  const out = [...basis];
  for (let round = 0; round < 20; round++) {
    let changed = false;
    for (let i = 0; i < out.length; i++)
      for (let j = 0; j < out.length; j++) {
        if (i === j) continue;
        const times = Math.round(product(out[i]!, out[j]!) / product(out[j]!, out[j]!) - 1e-9);
        if (!times) continue;
        const next: Vec3 = [0, 1, 2].map((k) => out[i]![k]! - times * out[j]![k]!) as never;
        if (product(next, next) >= product(out[i]!, out[i]!) - 1e-9) continue;
        out[i] = next;
        changed = true;
      }
    if (!changed) break;
  }
  return out;
}

/** One atom in every molecule, chain, layer or framework that symmetry does not make of another. */
export function distinctNets(s: Structure): Net[] {
  const nets = netsOf(s);
  const seen = new Set<string>();
  const sites = (n: Net): string => [...new Set(n.atoms.map((a) => a.site))].sort().join(' ');
  return nets.list.filter((n) => {
    const key = sites(n);
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}
