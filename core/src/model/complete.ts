/** Growing what is drawn across symmetry, and moving fragments of the model to equivalent places. */
import { isHydrogen, isMetal } from '../crystal/elements.ts';
import { applyOperator, IDENTITY, type Operator } from '../crystal/operator.ts';
import { neighbours, type Neighbour } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, composeExact, fragments, moveSite, type PlacedSite } from '../geometry/bonds.ts';

/** Along which links a molecule is completed. */
export type Through = 'bonds' | 'metals' | 'hydrogen bonds';

const keyOf = (s: Structure, p: PlacedSite): string =>
  `${p.site}|${applyOperator(p.operator, s.sites[p.site]!.position)
    .map((x) => Math.round(x * 1000))
    .join()}`;

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
    (i, j) => {
      const h = isHydrogen(s.sites[i]!.element) ? i : isHydrogen(s.sites[j]!.element) ? j : -1;
      if (h < 0) return 0;
      const other = h === i ? j : i;
      const p = parent.get(h);
      if (p === undefined || !['O', 'N', 'S'].includes(s.sites[p]!.element)) return 0;
      return limit[s.sites[other]!.element] ?? 0;
    },
  ).filter((n) => n.distance > 1.3);
}

/** What is drawn after one more step along the links: the connected pieces that touch what is there. */
export function growStep(s: Structure, drawn: readonly PlacedSite[], through: Through, most = 3000): PlacedSite[] {
  const all = bonds(s);
  const links =
    through === 'bonds'
      ? all
      : through === 'metals'
        ? all.filter((b) => isMetal(s.sites[b.from]!.element) || isMetal(s.sites[b.to]!.element))
        : hydrogenBondLinks(s);
  const by = new Map<number, Neighbour[]>();
  for (const b of links) by.set(b.from, [...(by.get(b.from) ?? []), b]);
  const covalent = new Map<number, Neighbour[]>();
  for (const b of all)
    if (!isMetal(s.sites[b.from]!.element) && !isMetal(s.sites[b.to]!.element))
      covalent.set(b.from, [...(covalent.get(b.from) ?? []), b]);
  const out = new Map(drawn.map((p) => [keyOf(s, p), p]));
  const added: PlacedSite[] = [];
  for (const p of drawn)
    for (const b of by.get(p.site) ?? []) {
      const q: PlacedSite = { site: b.to, operator: composeExact(p.operator, b.operator) };
      const k = keyOf(s, q);
      if (!out.has(k)) {
        out.set(k, q);
        added.push(q);
      }
    }
  // A ligand or partner reached by a link comes whole, not atom by atom.
  if (through !== 'bonds')
    for (const p of added)
      for (const b of covalent.get(p.site) ?? []) {
        if (out.size > most) break;
        const q: PlacedSite = { site: b.to, operator: composeExact(p.operator, b.operator) };
        const k = keyOf(s, q);
        if (!out.has(k)) {
          out.set(k, q);
          added.push(q);
        }
      }
  return [...out.values()].slice(0, most);
}

/** Grows until nothing is missing (or the limit shows a network without end). */
export function growAll(
  s: Structure,
  drawn: readonly PlacedSite[],
  through: Through,
  most = 1500,
): { placed: PlacedSite[]; endless: boolean } {
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
  readonly through: Through | { readonly operation: Operator };
  /** Until nothing is missing, rather than one step. */
  readonly all: boolean;
}

/** What is drawn after the acts of growing, worked out anew for this model. */
export function followGrowth(s: Structure, acts: readonly Growth[]): { placed: PlacedSite[]; endless: boolean } {
  let placed = uniquePart(s),
    endless = false;
  for (const act of acts) {
    if (typeof act.through === 'object') placed = growBy(s, placed, act.through.operation);
    else if (act.all) ({ placed, endless } = growAll(s, placed, act.through));
    else placed = growStep(s, placed, act.through);
  }
  return { placed, endless };
}

/** What is drawn and its image by one symmetry operation. */
function growBy(s: Structure, drawn: readonly PlacedSite[], operation: Operator): PlacedSite[] {
  const out = new Map(drawn.map((p) => [keyOf(s, p), p]));
  for (const p of drawn) {
    const q: PlacedSite = { site: p.site, operator: composeExact(operation, p.operator) };
    if (!out.has(keyOf(s, q))) out.set(keyOf(s, q), q);
  }
  return [...out.values()];
}

export const uniquePart = (s: Structure): PlacedSite[] => s.sites.map((_, site) => ({ site, operator: IDENTITY }));

/** The fragment of a site carried by an operator, so that the copy that was picked becomes the one in the model. */
export function moveFragment(s: Structure, site: number, operator: Operator): Structure {
  const home = fragments(s).find((f) => f.includes(site)) ?? [site];
  const set = new Set(home);
  return { ...s, sites: s.sites.map((x, i) => (set.has(i) ? moveSite(s, x, operator) : x)) };
}
