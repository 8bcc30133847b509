/** Which atoms of a crystal share a wavefunction: molecules or parts of large ones, with what hydrogen bonds bind to them where asked. */
import {
  composePlacements,
  invertPlacement,
  moveRef,
  originalRef,
  placeKey,
  positionOf,
  siteOf,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { elementOf } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import { crystalCharges } from '../contacts/molecule-charges.ts';
import { MolecularCrystal } from '../contacts/molecules.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { bonds, connectedUnit } from '../geometry/bonds.ts';
import { hydrogenBonds } from '../geometry/hydrogen-bonds.ts';
import { apply3, type Vec3 } from '../math/matrix3.ts';
import { BOHR } from '../math/units.ts';
import type { Centre } from '../quantum/gaussian.ts';
import { ImpossibleMolecule } from '../quantum/wavefunction.ts';
import { moleculeGraph, partsOfMolecule, surrounded, type MoleculeGraph } from './fragments.ts';

export type Neighbourhood = 'none' | 'hydrogen-bonded' | 'field';
export const NEIGHBOURHOODS: readonly Neighbourhood[] = ['none', 'hydrogen-bonded', 'field'];

/** Atoms that share one wavefunction. */
export interface Cluster {
  /** Atoms of the model, those whose shares are wanted first. */
  readonly atoms: readonly AtomRef[];
  /** Number of these; those beyond are the rest of a large molecule nearby, and neighbours. */
  readonly own: number;
  /** Of each atom, then of the hydrogens in the place of what was cut away; bohr. */
  readonly centres: readonly Centre[];
  /** Atoms that those hydrogens stand for. */
  readonly replaced: readonly AtomRef[];
  /** Where it is a part of a molecule: which one, and of how many. */
  readonly part?: { readonly number: number; readonly of: number };
  /** Of its atoms: what was said of sites, by valence otherwise. */
  readonly charge: number;
}

/** More atoms than this in one wavefunction are refused: it would take days. */
const MOST_ATOMS = 150;
/** A unit of more atoms has no end. */
const ENDLESS = 1200;
/** Molecules of more atoms are taken in parts. */
export const WHOLE = 45;
/** Bonds around the atoms of a part, and around what a hydrogen bond ends at, that are in its wavefunction too. */
const AROUND_PART = 3,
  AROUND_CONTACT = 2;

/** The structure's alternatives: what is ordered with the main group of every assembly, then with each further group. */
export function alternatives(s: Structure): readonly Structure[] {
  const groups = new Map<string, Map<string, number>>();
  for (const { disorder, occupancy } of s.sites) {
    if (!disorder) continue;
    const own = groups.get(disorder.assembly) ?? new Map<string, number>();
    own.set(disorder.group, Math.max(own.get(disorder.group) ?? 0, occupancy));
    groups.set(disorder.assembly, own);
  }
  const ordered = [...groups].map(
    ([assembly, own]) => [assembly, [...own].sort((p, q) => q[1] - p[1]).map(([g]) => g)] as const,
  );
  const most = Math.max(1, ...ordered.map(([, list]) => list.length));
  return Array.from({ length: most }, (_, n) => {
    const chosen = new Map(ordered.map(([assembly, list]) => [assembly, list[Math.min(n, list.length - 1)]]));
    const sites = s.sites.filter((x) => !x.disorder || chosen.get(x.disorder.assembly) === x.disorder.group);
    return sites.length === s.sites.length ? s : { ...s, sites };
  });
}

/**
 * One cluster for every molecule, or part of a large one, that holds sites no cluster before it holds. `whole`: large molecules are
 * not taken in parts. Throws ImpossibleMolecule for endless ones.
 */
export function clustersOf(given: Structure, neighbourhood: Neighbourhood, whole = false): readonly Cluster[] {
  // Ions are no molecule, however near they are.
  const s = bonded(given);
  const list = bonds(s);
  const { bySite } = crystalCharges(new MolecularCrystal(s));
  const chargeOf = (a: AtomRef): number => bySite.get(a.site) ?? 0;
  const seen = new Set<string>();
  const out: Cluster[] = [];
  for (const site of s.sites) {
    if (seen.has(site.id)) continue;
    const unit = connectedUnit(s, list, originalRef(site.id), ENDLESS + 1);
    if (unit.length > ENDLESS)
      throw new ImpossibleMolecule(
        `The molecule of ${site.label} has no end. Wavefunctions are made of molecules and ions only.`,
      );
    for (const a of unit) seen.add(a.site);
    const graph = moleculeGraph(s, unit);
    const parts = whole || unit.length <= WHOLE ? [unit.map((_, i) => i)] : partsOfMolecule(graph);
    parts.forEach((part, n) => {
      const pieces = [pieceOf(graph, part, parts.length > 1 ? AROUND_PART : 0)];
      const own = part.map((i) => unit[i]!);
      if (neighbourhood === 'hydrogen-bonded') pieces.push(...boundTo(s, own, unit));
      out.push(
        clusterOf(s, pieces, own.length, chargeOf, parts.length > 1 ? { number: n + 1, of: parts.length } : undefined),
      );
    });
  }
  return out.filter((c, n) => isNew(c, out.slice(0, n)));
}

/** Whether a cluster's own atoms are of sites that those before do not have: parts of a molecule on a special position are copies. */
function isNew(c: Cluster, before: readonly Cluster[]): boolean {
  const had = new Set(before.flatMap((x) => x.atoms.slice(0, x.own).map((a) => a.site)));
  return c.atoms.slice(0, c.own).some((a) => !had.has(a.site));
}

/** All sites as they stand, as one cluster. */
export function togetherOf(s: Structure): Cluster {
  const atoms = s.sites.map((x) => originalRef(x.id));
  return clusterOf(s, [{ atoms, caps: [], replaced: [] }], atoms.length, (a) => siteOf(s, a)!.charge ?? 0);
}

/** Atoms of one molecule with the hydrogens that end them. */
interface Piece {
  readonly atoms: readonly AtomRef[];
  /** Cartesian, Å. */
  readonly caps: readonly Vec3[];
  readonly replaced: readonly AtomRef[];
}

function pieceOf(graph: MoleculeGraph, seeds: readonly number[], depth: number): Piece {
  const { atoms, caps } = surrounded(graph, seeds, depth);
  return {
    atoms: atoms.map((i) => graph.atoms[i]!),
    caps: caps.map((c) => c.at),
    replaced: caps.map((c) => graph.atoms[c.instead]!),
  };
}

/** What shares a hydrogen bond with some atoms of a molecule: of each other molecule the part about the bond. */
function boundTo(s: Structure, own: readonly AtomRef[], molecule: readonly AtomRef[]): Piece[] {
  const list = bonds(s);
  const held = new Set(molecule.map((a) => placeKey(s, a)));
  const found: { readonly graph: MoleculeGraph; readonly keys: readonly string[]; readonly seeds: Set<number> }[] = [];
  const take = (start: AtomRef): void => {
    const key = placeKey(s, start);
    if (held.has(key)) return;
    let other = found.find((x) => x.keys.includes(key));
    if (!other) {
      const graph = moleculeGraph(s, connectedUnit(s, list, start, ENDLESS));
      found.push((other = { graph, keys: graph.atoms.map((a) => placeKey(s, a)), seeds: new Set() }));
    }
    other.seeds.add(other.keys.indexOf(key));
  };
  const all = hydrogenBonds(s);
  for (const a of own)
    for (const { hydrogen, acceptor } of all) {
      // As donor: the acceptor's copy beside this atom. As acceptor: the hydrogen's copy that points here.
      if (hydrogen.site === a.site) take(moveRef(s.spaceGroup, placementBetween(s, hydrogen, a), acceptor));
      if (acceptor.site === a.site) take(moveRef(s.spaceGroup, placementBetween(s, acceptor, a), hydrogen));
    }
  return found.map(({ graph, seeds }) => pieceOf(graph, [...seeds], AROUND_CONTACT));
}

/** The operation that carries one copy of a site to another. */
const placementBetween = (s: Structure, from: AtomRef, to: AtomRef): Placement =>
  composePlacements(s.spaceGroup, to, invertPlacement(s.spaceGroup, from));

function clusterOf(
  s: Structure,
  pieces: readonly Piece[],
  own: number,
  chargeOf: (a: AtomRef) => number,
  part?: Cluster['part'],
): Cluster {
  const atoms = pieces.flatMap((p) => p.atoms),
    caps = pieces.flatMap((p) => p.caps);
  if (atoms.length + caps.length > MOST_ATOMS)
    throw new ImpossibleMolecule(
      `A wavefunction of ${atoms.length + caps.length} atoms is asked for; at most ${MOST_ATOMS} are taken. Take large molecules in parts, leave the neighbours out or stand them in by a field.`,
    );
  const toCartesian = orthogonalization(s.cell);
  const centres = [
    ...atoms.map((a) => centreOf(siteOf(s, a)!.element, apply3(toCartesian, positionOf(s, a)))),
    ...caps.map((x) => centreOf('H', x)),
  ];
  return {
    atoms,
    own,
    centres,
    replaced: pieces.flatMap((p) => p.replaced),
    ...(part ? { part } : {}),
    charge: Math.round(atoms.reduce((sum, a) => sum + chargeOf(a), 0)),
  };
}

/** A nucleus at a Cartesian place, Å. */
function centreOf(element: string, [x, y, z]: Vec3): Centre {
  const symbol = element === 'D' ? 'H' : element;
  return { element: symbol, charge: elementOf(symbol).z, position: [x / BOHR, y / BOHR, z / BOHR] };
}
