/** The molecule a person expects, laid over the atoms and maxima that were found: a largest common connected part, tolerant of errors. */
import { isHydrogen, isMetal, elementOf } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import { neighbours } from '../crystal/neighbours.ts';
import type { ResidualPeak } from '../maps/residual.ts';

/** Non-hydrogen atoms of the expected molecule and the bonds between them. */
export interface MoleculeGraph {
  readonly atoms: readonly {
    readonly element: string;
    readonly hydrogens?: number;
    readonly x?: number;
    readonly y?: number;
  }[];
  readonly bonds: readonly (readonly [number, number])[];
}

export interface Match {
  /** For each expected atom: the site (index), the peak (name), or nothing. */
  readonly atoms: readonly (
    { readonly kind: 'site'; readonly site: number } | { readonly kind: 'peak'; readonly peak: string } | undefined
  )[];
  readonly matched: number;
  /** Sites of the same fragment that the molecule does not have. */
  readonly extra: readonly number[];
  /** Sites whose element is not the expected one. */
  readonly retype: readonly { readonly site: number; readonly to: string; readonly atom: number }[];
  readonly missing: readonly {
    readonly atom: number;
    readonly element: string;
    readonly nearPeak?: string;
    readonly beside?: number;
  }[];
  /** Extra sites that lie within 1 Å of a matched one: perhaps a second place. */
  readonly disordered: readonly { readonly site: number; readonly beside: number }[];
}

interface Node {
  element: string;
  site: number;
  peak: string | undefined;
  links: number[];
}

/** Matches up to `copies` molecules one after another, each on what the earlier left. */
export function matchMolecule(
  s: Structure,
  peaks: readonly ResidualPeak[],
  molecule: MoleculeGraph,
  copies = 1,
): Match[] {
  const nodes: Node[] = s.sites.map((x, site) => ({
    element: x.element,
    site,
    peak: undefined,
    links: [] as number[],
  }));
  const usable = peaks.filter(
    (p) => p.height > 0.6 && (p.near[0]?.distance ?? 0) > 1.0 && (p.near[0]?.distance ?? 9) < 2.0,
  );
  const first = nodes.length;
  for (const p of usable) nodes.push({ element: '?', site: -1, peak: p.name, links: [] });
  for (const b of bonds(s))
    if (!isHydrogen(s.sites[b.from]!.element) && !isHydrogen(s.sites[b.to]!.element)) nodes[b.from]!.links.push(b.to);
  const near = neighbours(
    s.cell,
    s.spaceGroup,
    [...s.sites.map((x) => x.position), ...usable.map((p) => p.position)],
    { widest: 1.8, of: (i, j) => (i >= first || j >= first ? 1.8 : 0) },
    usable.map((_, i) => first + i),
  ).filter((n) => n.distance > 0.95);
  for (const n of near)
    if (n.to >= first || !isHydrogen(s.sites[n.to]!.element)) {
      nodes[n.from]!.links.push(n.to);
      if (n.to < first) nodes[n.to]!.links.push(n.from);
    }
  const links: number[][] = molecule.atoms.map(() => []);
  for (const [a, b] of molecule.bonds) {
    links[a]!.push(b);
    links[b]!.push(a);
  }
  const used = new Set<number>();
  const out: Match[] = [];
  for (let copy = 0; copy < copies; copy++) {
    const best = bestMapping(nodes, molecule, links, used);
    if (!best || best.size < Math.min(3, molecule.atoms.length)) break;
    for (const n of best.values()) used.add(n);
    out.push(describe(s, nodes, molecule, links, best, usable, used));
  }
  return out;
}

const likeness = (expected: string, node: Node): number => {
  if (node.peak) return 0.55;
  if (node.element === expected) return 1;
  const dz = Math.abs(elementOf(node.element).z - elementOf(expected).z);
  return isMetal(node.element) !== isMetal(expected) ? 0.05 : dz <= 2 ? 0.7 : 0.3;
};

/** Seeds every plausible pair and extends by neighbours, keeping bonds; among equals the branching that agrees deeper wins. */
function bestMapping(
  nodes: readonly Node[],
  molecule: MoleculeGraph,
  links: readonly number[][],
  used: ReadonlySet<number>,
): Map<number, number> | undefined {
  // Agreement of surroundings, refined three times over (as Morgan's sums tell atoms apart).
  const n = molecule.atoms.length,
    m = nodes.length;
  let like = Array.from({ length: n }, (_, a) =>
    nodes.map((node, i) => (used.has(i) || isHydrogen(node.element) ? 0 : likeness(molecule.atoms[a]!.element, node))),
  );
  const base = like.map((r) => [...r]);
  for (let round = 0; round < 4; round++)
    like = like.map((row, a) =>
      row.map((_, i) => {
        if (!base[a]![i]) return 0;
        const free = [...nodes[i]!.links];
        let sum = 0;
        for (const b of links[a]!) {
          let bestAt = -1;
          free.forEach((j, k) => {
            if (bestAt < 0 || like[b]![j]! > like[b]![free[bestAt]!]!) bestAt = k;
          });
          if (bestAt >= 0) {
            sum += like[b]![free[bestAt]!]!;
            free.splice(bestAt, 1);
          }
        }
        const degree = Math.max(1, links[a]!.length, nodes[i]!.links.filter((j) => !nodes[j]!.peak).length);
        return base[a]![i]! * (0.35 + (0.65 * sum) / degree);
      }),
    );
  const seeds: { a: number; i: number; v: number }[] = [];
  for (let a = 0; a < n; a++)
    for (let i = 0; i < m; i++) if (like[a]![i]! > 0.05) seeds.push({ a, i, v: like[a]![i]! });
  seeds.sort((p, q) => q.v - p.v);
  let best: Map<number, number> | undefined,
    bestScore = 0;
  for (const seed of seeds.slice(0, 150)) {
    const map = new Map([[seed.a, seed.i]]),
      taken = new Set([seed.i]);
    const queue = [seed.a];
    for (const a of queue) {
      const options: { b: number; j: number; v: number }[] = [];
      for (const b of links[a]!)
        if (!map.has(b))
          for (const j of nodes[map.get(a)!]!.links)
            if (!taken.has(j) && base[b]![j]! > 0) {
              // Ring closures already mapped must be bonds here too.
              const closures = links[b]!.filter((c) => map.has(c)).reduce(
                (t, c) => t + (nodes[map.get(c)!]!.links.includes(j) ? 0.4 : -0.4),
                0,
              );
              options.push({ b, j, v: like[b]![j]! + closures });
            }
      for (const o of options.sort((p, q) => q.v - p.v)) {
        if (map.has(o.b) || taken.has(o.j)) continue;
        map.set(o.b, o.j);
        taken.add(o.j);
        queue.push(o.b);
      }
    }
    let score = 0;
    for (const [a, i] of map) score += 0.4 + 0.6 * base[a]![i]!;
    for (const [p, q] of molecule.bonds)
      if (map.has(p) && map.has(q)) score += nodes[map.get(p)!]!.links.includes(map.get(q)!) ? 0.5 : -0.3;
    if (score > bestScore + 1e-9) {
      bestScore = score;
      best = map;
    }
  }
  return best;
}

function describe(
  s: Structure,
  nodes: readonly Node[],
  molecule: MoleculeGraph,
  links: readonly number[][],
  map: ReadonlyMap<number, number>,
  peaks: readonly ResidualPeak[],
  used: ReadonlySet<number>,
): Match {
  const atoms = molecule.atoms.map((_, a): Match['atoms'][number] => {
    const i = map.get(a);
    if (i === undefined) return undefined;
    return nodes[i]!.peak ? { kind: 'peak', peak: nodes[i]!.peak! } : { kind: 'site', site: i };
  });
  const mine = new Set([...map.values()].filter((i) => !nodes[i]!.peak));
  const reachable = new Set(mine);
  const queue = [...mine];
  for (const i of queue)
    for (const j of nodes[i]!.links)
      if (!nodes[j]!.peak && !reachable.has(j) && !used.has(j)) {
        reachable.add(j);
        queue.push(j);
      }
  const extra = [...reachable].filter((i) => !mine.has(i)).sort((p, q) => p - q);
  const close = neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    {
      widest: 1.05,
      of: (i, j) =>
        mine.has(i) !== mine.has(j) && !isHydrogen(s.sites[i]!.element) && !isHydrogen(s.sites[j]!.element) ? 1.05 : 0,
    },
  );
  return {
    atoms,
    matched: atoms.filter(Boolean).length,
    extra,
    retype: [...map].flatMap(([atom, i]) =>
      !nodes[i]!.peak && nodes[i]!.element !== molecule.atoms[atom]!.element
        ? [{ site: i, to: molecule.atoms[atom]!.element, atom }]
        : [],
    ),
    missing: molecule.atoms.flatMap((x, atom) => {
      const at = atoms[atom];
      if (at?.kind === 'site') return [];
      const beside = links[atom]!.map((b) => atoms[b]).find((y) => y?.kind === 'site');
      const site = beside?.kind === 'site' ? beside.site : undefined;
      const peak =
        at?.kind === 'peak'
          ? at.peak
          : peaks.find((p) => p.near.some((q) => q.site === site && q.distance < 1.9))?.name;
      return [
        {
          atom,
          element: x.element,
          ...(peak ? { nearPeak: peak } : {}),
          ...(site !== undefined ? { beside: site } : {}),
        },
      ];
    }),
    disordered: close.filter((c) => mine.has(c.to) && !mine.has(c.from)).map((c) => ({ site: c.from, beside: c.to })),
  };
}
