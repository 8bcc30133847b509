/** A crystal without its symmetry: every atom of one cell as a site of its own. */
import { operatorOf, symmetryTable } from '../crystal/atom-ref.ts';
import { metricTensor } from '../crystal/cell.ts';
import { applyOperator } from '../crystal/operator.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { newId, rotateU, type Site, type Structure } from '../crystal/structure.ts';
import { toVec3, type Vec3 } from '../math/matrix3.ts';
import { atomsOfExtent } from '../draw/extent.ts';

/** Into [0, 1), what lies on an upper face up to rounding onto the lower one. */
export const intoCell = (x: number): number => {
  const y = x - Math.floor(x);
  return y > 1 - 1e-9 ? 0 : y;
};

/** Sites with names of their own: those of one name get numbers, "O1", "O1_2"; numbers given before are given anew. */
export function withOwnLabels(sites: readonly Site[]): Site[] {
  const counts = new Map<string, number>();
  for (const x of sites) counts.set(x.label, (counts.get(x.label) ?? 0) + 1);
  if (counts.size === sites.length) return [...sites];
  const next = new Map<string, number>();
  return sites.map((x) => {
    const base = x.label.replace(/_\d+$/, '');
    const n = (next.get(base) ?? 0) + 1;
    next.set(base, n);
    return { ...x, label: n === 1 ? base : `${base}_${n}` };
  });
}

/** Controls speak of sites that are gone then, and so does a bonding. */
export function withoutRules(s: Structure): Structure {
  const { cell, spaceGroup, sites } = s;
  return { cell, spaceGroup, sites };
}

/** The same crystal in P 1: one site for every place of the cell, displacements turned with their operators. */
export function wholeCell(s: Structure): Structure {
  const { operators } = symmetryTable(s.spaceGroup);
  if (operators.length === 1) return withoutRules(s);
  const bySite = new Map(s.sites.map((x) => [x.id, x]));
  const sites = atomsOfExtent(s, { kind: 'cell' }).map((ref): Site => {
    const site = bySite.get(ref.site)!;
    const o = operatorOf(s.spaceGroup, ref);
    const position = toVec3(applyOperator(o, site.position).map(intoCell));
    const { positionSu: _, ...rest } = site;
    const displacement =
      site.displacement.kind === 'iso'
        ? site.displacement
        : { kind: 'aniso' as const, u: rotateU(s.cell, o.r, site.displacement.u) };
    return { ...rest, id: newId(), position, displacement };
  });
  return { cell: s.cell, spaceGroup: spaceGroupFromSymbol('P 1'), sites: withOwnLabels(sites) };
}

/** How many places share each place of a structure in P 1: pairs of sites nearer than `tolerance` Å, occupancies aside. */
export function coincident(s: Structure, tolerance = 0.05): [number, number][] {
  const g = metricTensor(s.cell);
  // Boxes wider than the tolerance, not many more than there are sites.
  const most = Math.max(1, Math.ceil(Math.cbrt(s.sites.length)));
  const [p, q, r] = [s.cell.a, s.cell.b, s.cell.c].map((l) => Math.max(1, Math.min(most, Math.floor(l / 1.5)))) as [
    number,
    number,
    number,
  ];
  const step = (v: number, n: number): number => Math.min(n - 1, Math.floor(intoCell(v) * n));
  const boxes: number[][] = Array.from({ length: p * q * r }, () => []);
  const at = s.sites.map(({ position: [x, y, z] }) => [step(x, p), step(y, q), step(z, r)] as const);
  at.forEach(([i, j, k], site) => boxes[(i * q + j) * r + k]!.push(site));
  const out: [number, number][] = [];
  s.sites.forEach((x, site) => {
    const [u, v, w] = at[site]!;
    for (const i of around(u, p))
      for (const j of around(v, q))
        for (const k of around(w, r))
          for (const other of boxes[(i * q + j) * r + k]!)
            if (other > site && separation(g, x.position, s.sites[other]!.position) < tolerance)
              out.push([site, other]);
  });
  return out;
}

/** A box and its neighbours along one axis, each once. */
const around = (k: number, n: number): readonly number[] =>
  n === 1 ? [0] : n === 2 ? [0, 1] : [(k + n - 1) % n, k, (k + 1) % n];

/** What is left of a difference without whole cells. */
const off = (d: number): number => d - Math.round(d);

/** Å between two places modulo whole cells (the nearest by rounding; exact for short distances). */
export function separation(g: readonly number[], x: Vec3, y: Vec3): number {
  const u = off(x[0] - y[0]),
    v = off(x[1] - y[1]),
    w = off(x[2] - y[2]);
  const square = u * u * g[0]! + v * v * g[4]! + w * w * g[8]! + 2 * (u * v * g[1]! + u * w * g[2]! + v * w * g[5]!);
  return Math.sqrt(Math.max(0, square));
}
