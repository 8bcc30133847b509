/** Labels in an order people choose: as they walked over the atoms, along the chains, or by neighbours. Hydrogens take their parent's number. */
import { NO_CONTROLS } from '../crystal/controls.ts';
import { isHydrogen } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, fragments } from '../geometry/bonds.ts';
import { meets } from '../geometry/parents.ts';

const heavyLinks = (s: Structure): Map<number, number[]> => {
  const out = new Map<number, number[]>();
  for (const b of bonds(s))
    if (!isHydrogen(s.sites[b.from]!.element) && !isHydrogen(s.sites[b.to]!.element) && b.from !== b.to)
      out.set(b.from, [...(out.get(b.from) ?? []), b.to]);
  return out;
};

/** Farthest site from a start along bonds, and how far. */
function farthest(links: ReadonlyMap<number, number[]>, start: number): { site: number; steps: number } {
  const seen = new Map([[start, 0]]);
  const queue = [start];
  for (const at of queue)
    for (const n of links.get(at) ?? [])
      if (!seen.has(n)) {
        seen.set(n, seen.get(at)! + 1);
        queue.push(n);
      }
  return queue.reduce((best, site) => (seen.get(site)! > best.steps ? { site, steps: seen.get(site)! } : best), {
    site: start,
    steps: 0,
  });
}

/** Order of the non-hydrogen sites along the longest chain of each fragment, branches as they come. */
export function chainOrder(s: Structure): number[] {
  const links = heavyLinks(s);
  const out: number[] = [];
  const seen = new Set<number>();
  for (const fragment of fragments(s)) {
    const heavy = fragment.filter((i) => !isHydrogen(s.sites[i]!.element));
    if (!heavy.length) continue;
    const end = farthest(links, farthest(links, heavy[0]!).site).site;
    const walk = (at: number): void => {
      seen.add(at);
      out.push(at);
      // Short branches first keeps the main chain in one run.
      const next = (links.get(at) ?? []).filter((n) => !seen.has(n)).sort((p, q) => reach(p) - reach(q));
      for (const n of next) if (!seen.has(n)) walk(n);
    };
    const reach = (from: number): number => {
      const been = new Set([...seen, from]);
      const queue = [from];
      for (const at of queue)
        for (const n of links.get(at) ?? [])
          if (!been.has(n)) {
            been.add(n);
            queue.push(n);
          }
      return queue.length;
    };
    walk(end);
  }
  return out;
}

/** The given atoms in their order, then everything bonded outwards from them shell by shell. */
export function neighbourOrder(s: Structure, first: readonly number[]): number[] {
  const links = heavyLinks(s);
  const queue = first.filter((i) => !isHydrogen(s.sites[i]!.element));
  const seen = new Set(queue);
  for (const at of queue)
    for (const n of links.get(at) ?? [])
      if (!seen.has(n)) {
        seen.add(n);
        queue.push(n);
      }
  return queue;
}

/**
 * Names the sites of `order` by element and running number, from `start`; sites not listed keep their labels where these stay free.
 * With `sort`, the named sites also come first in the list, each with its hydrogens behind it.
 */
export function renameInOrder(s: Structure, order: readonly number[], start = 1, sort = false): Structure {
  const chosen = order.filter((i) => !isHydrogen(s.sites[i]!.element));
  const set = new Set(chosen);
  const controls = s.controls ?? NO_CONTROLS;
  const byId = new Map(s.sites.map((x, i) => [x.id, i]));
  const childrenOf = new Map<number, number[]>();
  for (const g of controls.hydrogens) {
    const parent = byId.get(g.parent);
    if (parent !== undefined)
      childrenOf.set(parent, [...(childrenOf.get(parent) ?? []), ...g.hydrogens.flatMap((h) => byId.get(h) ?? [])]);
  }
  const grouped = new Set([...childrenOf.values()].flat());
  for (const b of bonds(s))
    if (
      isHydrogen(s.sites[b.to]!.element) &&
      !grouped.has(b.to) &&
      set.has(b.from) &&
      meets(s.sites[b.from]!.disorder, s.sites[b.to]!.disorder)
    ) {
      childrenOf.set(b.from, [...(childrenOf.get(b.from) ?? []), b.to]);
      grouped.add(b.to);
    }
  const labels = new Map<number, string>();
  const counters: Record<string, number> = {};
  const children = new Set<number>(chosen.flatMap((i) => childrenOf.get(i) ?? []));
  const taken = new Set(s.sites.filter((_, i) => !set.has(i) && !children.has(i)).map((x) => x.label));
  const free = (base: string, number: number): { label: string; number: number } => {
    let n = number;
    while (taken.has(`${base}${n}`)) n++;
    return { label: `${base}${n}`, number: n };
  };
  for (const i of chosen) {
    const e = s.sites[i]!.element;
    const suffix =
      s.sites[i]!.disorder && s.sites[i]!.disorder!.group !== '1'
        ? ('ABCDEFGH'[Math.abs(Number(s.sites[i]!.disorder!.group)) - 1] ?? '')
        : '';
    const { label, number } = free(e, (counters[e] ?? start - 1) + 1);
    counters[e] = number;
    taken.add(`${label}${suffix}`);
    labels.set(i, `${label}${suffix}`);
    const mine = childrenOf.get(i) ?? [];
    mine.forEach((h, k) => {
      const base = `H${number}${e === 'C' ? '' : e}${suffix}${mine.length > 1 ? 'ABCDEFGHIJ'[k] : ''}`;
      let name = base;
      for (let n = 2; taken.has(name); n++) name = `${base}_${n}`;
      taken.add(name);
      labels.set(h, name);
    });
  }
  const sites = s.sites.map((x, i) => (labels.has(i) ? { ...x, label: labels.get(i)! } : x));
  if (!sort) return { ...s, sites };
  const front = chosen.flatMap((i) => [i, ...(childrenOf.get(i) ?? [])]);
  const placed = new Set(front);
  return { ...s, sites: [...front, ...sites.map((_, i) => i).filter((i) => !placed.has(i))].map((i) => sites[i]!) };
}
