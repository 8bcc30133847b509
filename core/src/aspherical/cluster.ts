/** Which atoms of a crystal share a wavefunction: whole molecules, with what is bound to them by hydrogen bonds where asked. */
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
import { bonds, connectedUnit } from '../geometry/bonds.ts';
import { hydrogenBonds } from '../geometry/hydrogen-bonds.ts';
import { apply3, type Vec3 } from '../math/matrix3.ts';
import { BOHR, type Centre } from '../quantum/gaussian.ts';
import { ImpossibleMolecule } from '../quantum/wavefunction.ts';

export type Neighbourhood = 'none' | 'hydrogen-bonded' | 'field';
export const NEIGHBOURHOODS: readonly Neighbourhood[] = ['none', 'hydrogen-bonded', 'field'];

/** Atoms that share one wavefunction. */
export interface Cluster {
  /** Every atom, those of the molecule first. */
  readonly atoms: readonly AtomRef[];
  /** Number of atoms of the molecule itself; those beyond are its neighbours. */
  readonly own: number;
  /** Of each atom, bohr. */
  readonly centres: readonly Centre[];
  /** Sum of the formal charges of its atoms. */
  readonly charge: number;
}

/** More atoms than this in one molecule are refused: a wavefunction of them would take days. */
const MOST_ATOMS = 150;

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

/** One cluster for every molecule that holds sites no cluster before it holds. Throws ImpossibleMolecule for endless ones. */
export function clustersOf(s: Structure, neighbourhood: Neighbourhood): readonly Cluster[] {
  const list = bonds(s);
  const seen = new Set<string>();
  const molecules: AtomRef[][] = [];
  for (const site of s.sites) {
    if (seen.has(site.id)) continue;
    const unit = connectedUnit(s, list, originalRef(site.id), MOST_ATOMS + 1);
    if (unit.length > MOST_ATOMS)
      throw new ImpossibleMolecule(
        `The molecule of ${site.label} has more than ${MOST_ATOMS} atoms or no end. Wavefunctions are made of molecules and ions only.`,
      );
    for (const a of unit) seen.add(a.site);
    molecules.push(unit);
  }
  return molecules.map((own) => clusterOf(s, own, neighbourhood === 'hydrogen-bonded' ? boundTo(s, own) : []));
}

/** All sites as they stand, as one cluster. */
export const togetherOf = (s: Structure): Cluster =>
  clusterOf(
    s,
    s.sites.map((x) => originalRef(x.id)),
    [],
  );

/** Molecules that share a hydrogen bond with one, whole. */
function boundTo(s: Structure, own: readonly AtomRef[]): AtomRef[] {
  const list = bonds(s);
  const held = new Set(own.map((a) => placeKey(s, a)));
  const out: AtomRef[] = [];
  const take = (start: AtomRef): void => {
    if (held.has(placeKey(s, start))) return;
    for (const a of connectedUnit(s, list, start, MOST_ATOMS)) {
      const key = placeKey(s, a);
      if (held.has(key)) continue;
      held.add(key);
      out.push(a);
    }
  };
  const found = hydrogenBonds(s);
  for (const a of own)
    for (const { hydrogen, acceptor } of found) {
      // As donor: the acceptor's copy beside this atom. As acceptor: the hydrogen's copy that points here.
      if (hydrogen.site === a.site) take(moveRef(s.spaceGroup, placementBetween(s, hydrogen, a), acceptor));
      if (acceptor.site === a.site) take(moveRef(s.spaceGroup, placementBetween(s, acceptor, a), hydrogen));
    }
  return out;
}

/** The operation that carries one copy of a site to another. */
const placementBetween = (s: Structure, from: AtomRef, to: AtomRef): Placement =>
  composePlacements(s.spaceGroup, to, invertPlacement(s.spaceGroup, from));

function clusterOf(s: Structure, own: readonly AtomRef[], neighbours: readonly AtomRef[]): Cluster {
  const atoms = [...own, ...neighbours];
  if (atoms.length > MOST_ATOMS)
    throw new ImpossibleMolecule(
      `With its neighbours the molecule has ${atoms.length} atoms; at most ${MOST_ATOMS} are taken. Leave the neighbours out or stand them in by a field.`,
    );
  const toCartesian = orthogonalization(s.cell);
  const centres = atoms.map((a): Centre => {
    const { element } = siteOf(s, a)!;
    const symbol = element === 'D' ? 'H' : element;
    const position = apply3(toCartesian, positionOf(s, a)).map((x) => x / BOHR) as unknown as Vec3;
    return { element: symbol, charge: elementOf(symbol).z, position };
  });
  const charge = atoms.reduce((sum, a) => sum + (siteOf(s, a)!.charge ?? 0), 0);
  return { atoms, own: own.length, centres, charge };
}
