/** Growing what is drawn across symmetry, and moving fragments of the model to equivalent places. */
import { isHydrogen, isMetal } from '../crystal/elements.ts';
import {
  moveRef,
  operatorOf,
  originalRef,
  placementOf,
  placeKey,
  siteIndices,
  type AtomRef,
} from '../crystal/atom-ref.ts';
import type { Operator } from '../crystal/operator.ts';
import { neighbours, type Neighbour } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, bondsBySite, fragments, moveSite, neighbourRef } from '../geometry/bonds.ts';

/** Along which links a molecule is completed. */
export type Through = 'bonds' | 'metals' | 'hydrogen bonds';

/** Short contacts from hydrogen to O, N, F or halide, as links between the hydrogen and its acceptor. */
export function hydrogenBondLinks(s: Structure): Neighbour[] {
  const list = bonds(s);
  const parent = new Map<number, number>();
  for (const b of list) if (isHydrogen(s.sites[b.from]!.element)) parent.set(b.from, b.to);
  const limit: Record<string, number> = { O: 2.45, N: 2.5, F: 2.4, Cl: 2.8, Br: 2.95, S: 2.9 };
  return neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    {
      widest: 3,
      of: (i, j) => {
        const h = isHydrogen(s.sites[i]!.element) ? i : isHydrogen(s.sites[j]!.element) ? j : -1;
        if (h < 0) return 0;
        const other = h === i ? j : i;
        const p = parent.get(h);
        if (p === undefined || !['O', 'N', 'S'].includes(s.sites[p]!.element)) return 0;
        return limit[s.sites[other]!.element] ?? 0;
      },
    },
  ).filter((n) => n.distance > 1.3);
}

/** The links of each site that growing may follow. */
function linksThrough(s: Structure, through: Through): Neighbour[][] {
  const all = bonds(s);
  const metal = (i: number): boolean => isMetal(s.sites[i]!.element);
  if (through === 'bonds') return bondsBySite(s, all);
  if (through === 'metals')
    return bondsBySite(
      s,
      all.filter((b) => metal(b.from) || metal(b.to)),
    );
  return bondsBySite(s, hydrogenBondLinks(s));
}

/** Bonds within ligands and molecules: none to metals. */
function covalentLinks(s: Structure): Neighbour[][] {
  const metal = (i: number): boolean => isMetal(s.sites[i]!.element);
  return bondsBySite(
    s,
    bonds(s).filter((b) => !metal(b.from) && !metal(b.to)),
  );
}

/** Atoms in the order they came, each place once. */
class Drawn {
  readonly atoms: AtomRef[] = [];
  private readonly keys = new Set<string>();

  constructor(
    private readonly s: Structure,
    first: readonly AtomRef[],
  ) {
    for (const ref of first) this.add(ref);
  }

  /** Whether it was new. */
  add(ref: AtomRef): boolean {
    const key = placeKey(this.s, ref);
    if (this.keys.has(key)) return false;
    this.keys.add(key);
    this.atoms.push(ref);
    return true;
  }
}

/** What is drawn after one more step along the links: the connected pieces that touch what is there. */
export function growStep(s: Structure, drawn: readonly AtomRef[], through: Through, most = 3000): AtomRef[] {
  const links = linksThrough(s, through);
  const index = siteIndices(s);
  const out = new Drawn(s, drawn);
  const added: AtomRef[] = [];
  const take = (ref: AtomRef): void => {
    if (out.add(ref)) added.push(ref);
  };
  for (const p of drawn) for (const b of links[index.get(p.site) ?? -1] ?? []) take(neighbourRef(s, b, p));
  // A ligand or partner reached by a link comes whole, not atom by atom.
  if (through !== 'bonds') {
    const covalent = covalentLinks(s);
    for (const p of added)
      for (const b of covalent[index.get(p.site)!]!) {
        if (out.atoms.length > most) break;
        take(neighbourRef(s, b, p));
      }
  }
  return out.atoms.slice(0, most);
}

/** Grows until nothing is missing (or the limit shows a network without end). */
export function growAll(
  s: Structure,
  drawn: readonly AtomRef[],
  through: Through,
  most = 1500,
): { placed: AtomRef[]; endless: boolean } {
  let now = [...drawn];
  for (let i = 0; i < 200; i++) {
    const next = growStep(s, now, through, most + 1);
    if (next.length === now.length) return { placed: next, endless: false };
    if (next.length > most) return { placed: next.slice(0, most), endless: true };
    now = next;
  }
  return { placed: now, endless: true };
}

/** One act of growing by hand; a list of them can be followed again on a changed model. */
export interface Growth {
  readonly through: Through | { readonly operation: Operator } | { readonly atoms: readonly AtomRef[] };
  /** Until nothing is missing, rather than one step. */
  readonly all: boolean;
}

/** What is drawn after the acts of growing, worked out anew for this model. */
export function followGrowth(s: Structure, acts: readonly Growth[]): { placed: AtomRef[]; endless: boolean } {
  let placed = uniquePart(s),
    endless = false;
  for (const act of acts) {
    if (typeof act.through === 'object')
      placed = 'atoms' in act.through ? growTo(s, placed, act.through.atoms) : growBy(s, placed, act.through.operation);
    else if (act.all) ({ placed, endless } = growAll(s, placed, act.through));
    else placed = growStep(s, placed, act.through);
  }
  return { placed, endless };
}

/** What is drawn and its image by one symmetry operation. */
function growBy(s: Structure, drawn: readonly AtomRef[], operation: Operator): AtomRef[] {
  const out = new Drawn(s, drawn);
  const by = placementOf(s.spaceGroup, operation);
  for (const p of drawn) out.add(moveRef(s.spaceGroup, by, p));
  return out.atoms;
}

/** What is drawn and certain atoms more; those whose site is gone are left out. */
function growTo(s: Structure, drawn: readonly AtomRef[], atoms: readonly AtomRef[]): AtomRef[] {
  const index = siteIndices(s);
  const out = new Drawn(s, drawn);
  for (const a of atoms) if (index.has(a.site)) out.add(a);
  return out.atoms;
}

export const uniquePart = (s: Structure): AtomRef[] => s.sites.map((x) => originalRef(x.id));

/** The fragment of an atom carried by its placement, so that the copy that was picked becomes the one in the model. */
export function moveFragment(s: Structure, picked: AtomRef): Structure {
  const site = siteIndices(s).get(picked.site);
  if (site === undefined) throw new RangeError('That atom is not in this model any more.');
  const home = new Set(fragments(s).find((f) => f.includes(site)) ?? [site]);
  const operator = operatorOf(s.spaceGroup, picked);
  return { ...s, sites: s.sites.map((x, i) => (home.has(i) ? moveSite(s, x, operator) : x)) };
}
