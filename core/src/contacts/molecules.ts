/** Molecules of a crystal as things of their own: those that symmetry does not make of another, and who lies around them. */
import {
  composePlacements,
  invertPlacement,
  moveRef,
  refKey,
  siteIndices,
  siteOf,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { formulaText } from '../crystal/formula.ts';
import { neighbours } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, bondsBySite, neighbourRef } from '../geometry/bonds.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { distinctNets, netsOf, type Dimension } from '../geometry/nets.ts';
import { middle } from '../math/superpose.ts';
import { add, apply3, inverse3, norm, scale, subtract, type Vec3 } from '../math/matrix3.ts';

export interface Molecule {
  readonly atoms: readonly AtomRef[];
  readonly elements: readonly string[];
  /** Cartesian, Å. */
  readonly at: readonly Vec3[];
  /** Cartesian, Å: the mean of its atoms but hydrogens. */
  readonly centroid: Vec3;
  readonly formula: string;
}

/** A copy of one of the distinct molecules beside another. */
export interface NeighbourMolecule {
  /** Which distinct molecule it is a copy of, and by what. */
  readonly of: number;
  readonly placement: Placement;
  readonly molecule: Molecule;
  /** Å, of the centroids and of the nearest atoms. */
  readonly distance: number;
  readonly nearest: number;
}

/** A structure of which disordered parts lie one way only: the group of each assembly that is there most. */
export function mostOccupied(s: Structure): Structure {
  const share = new Map<string, Map<string, number>>();
  for (const { disorder, occupancy } of s.sites) {
    if (!disorder) continue;
    const groups = share.get(disorder.assembly) ?? new Map<string, number>();
    groups.set(disorder.group, Math.max(groups.get(disorder.group) ?? 0, occupancy));
    share.set(disorder.assembly, groups);
  }
  if (!share.size) return s;
  const kept = new Map([...share].map(([a, groups]) => [a, [...groups].sort((p, q) => q[1] - p[1])[0]![0]]));
  return { ...s, sites: s.sites.filter((x) => !x.disorder || kept.get(x.disorder.assembly) === x.disorder.group) };
}

/** Mean lengths of bonds to hydrogen from neutrons, Å (Allen & Bruno 2010, Acta Cryst. B66, 380). */
export const NEUTRON_LENGTHS: Readonly<Record<string, number>> = { C: 1.089, N: 1.015, O: 0.993, B: 1.185 };

/** The same with hydrogens moved along their bonds to where neutrons see them: X-rays see the electrons, nearer to the parent. */
export const withNeutronHydrogens = (s: Structure): Structure => withHydrogensAt(s, NEUTRON_LENGTHS);

/** Hydrogens moved along their bonds to given lengths, Å by the parent's element; those of other parents stay. */
export function withHydrogensAt(s: Structure, lengths: Readonly<Record<string, number>>): Structure {
  const bySite = bondsBySite(s, bonds(s));
  const m = orthogonalization(s.cell);
  const back = inverse3(m);
  const sites = s.sites.map((x, i) => {
    const parent = isHydrogen(x.element) ? bySite[i]![0] : undefined;
    const length = parent && lengths[s.sites[parent.to]!.element];
    if (!parent || !length) return x;
    const along = apply3(m, subtract(x.position, parent.position));
    return { ...x, position: add(parent.position, apply3(back, scale(along, length / norm(along)))) };
  });
  return { ...s, sites };
}

function moleculeOf(s: Structure, atoms: readonly AtomRef[]): Molecule {
  const elements = atoms.map((a) => siteOf(s, a)!.element);
  const at = cartesianOf(s, atoms);
  const heavy = at.filter((_, i) => !isHydrogen(elements[i]!));
  const counts: Record<string, number> = {};
  for (const e of elements) counts[e] = (counts[e] ?? 0) + 1;
  return { atoms, elements, at, centroid: middle(heavy.length ? heavy : at), formula: formulaText(counts) };
}

/** The molecules of a structure, and the neighbours of each. */
export class MolecularCrystal {
  /** One of each kind that symmetry does not make of another. */
  readonly molecules: readonly Molecule[];
  /** Copies of each in one cell. */
  readonly copies: readonly number[];
  /** What bonds make of it: molecules where this is 0. */
  readonly dimension: Dimension;
  private readonly home: ReadonlyMap<string, number>;

  constructor(readonly s: Structure) {
    const nets = netsOf(s);
    const distinct = distinctNets(s);
    this.dimension = Math.max(...distinct.map((n) => n.dimension), 0) as Dimension;
    this.molecules = distinct.filter((n) => n.dimension === 0).map((n) => moleculeOf(s, n.atoms));
    const siteHome = new Map<string, number>();
    this.molecules.forEach((mol, k) => mol.atoms.forEach((a) => siteHome.set(a.site, k)));
    this.home = siteHome;
    const copies = this.molecules.map(() => 0);
    for (const n of nets.list) {
      const k = siteHome.get(n.atoms[0]!.site);
      if (k !== undefined && n.dimension === 0) copies[k]!++;
    }
    this.copies = copies;
  }

  /** The distinct molecule an atom is a copy of; undefined in a chain, layer or framework. */
  kindOf(atom: AtomRef): number | undefined {
    return this.home.get(atom.site);
  }

  /** The very molecule an atom is part of. */
  moleculeAt(atom: AtomRef): Molecule {
    return moleculeOf(this.s, netsOf(this.s).unitOf(atom));
  }

  /** What makes the molecule with an atom of the distinct one it is a copy of: of several on a symmetry element the first. */
  placementAt(atom: AtomRef): Placement {
    const group = this.s.spaceGroup;
    const own = this.molecules[this.home.get(atom.site)!]!.atoms.filter((a) => a.site === atom.site);
    const found = own.map((a) => composePlacements(group, atom, invertPlacement(group, a)));
    return found.sort((p, q) => p.operator - q.operator)[0]!;
  }

  /** Every molecule with an atom within `reach` Å of one of a distinct molecule, nearest first. */
  around(index: number, reach: number): NeighbourMolecule[] {
    const { s } = this;
    const own = this.molecules[index]!;
    const nets = netsOf(s);
    const self = nets.nameOf(own.atoms[0]!);
    const sites = siteIndices(s);
    const wanted = new Set(own.atoms.map((a) => sites.get(a.site)!));
    const positions = s.sites.map((x) => x.position);
    const of = (i: number): number => (wanted.has(i) ? reach : 0);
    const list = neighbours(s.cell, s.spaceGroup, positions, { widest: reach, of });
    const bySite = new Map<number, typeof list>();
    for (const n of list) {
      const here = bySite.get(n.from);
      if (here) here.push(n);
      else bySite.set(n.from, [n]);
    }
    const found = new Map<string, { atom: AtomRef; nearest: number }>();
    for (const a of own.atoms)
      for (const n of bySite.get(sites.get(a.site)!) ?? []) {
        const atom = neighbourRef(s, n, a);
        if (this.home.get(atom.site) === undefined) continue;
        const name = nets.nameOf(atom);
        if (name === self) continue;
        const known = found.get(name);
        if (!known || n.distance < known.nearest) found.set(name, { atom, nearest: n.distance });
      }
    return [...found.values()]
      .map(({ atom, nearest }): NeighbourMolecule => {
        const of = this.home.get(atom.site)!;
        const placement = this.placementAt(atom);
        // In the order of the distinct molecule's atoms, so that what is known of them fits.
        const molecule = moleculeOf(
          s,
          this.molecules[of]!.atoms.map((a) => moveRef(s.spaceGroup, placement, a)),
        );
        return { of, placement, molecule, distance: norm(subtract(molecule.centroid, own.centroid)), nearest };
      })
      .sort(
        (p, q) => p.distance - q.distance || refKey(p.molecule.atoms[0]!).localeCompare(refKey(q.molecule.atoms[0]!)),
      );
  }
}
