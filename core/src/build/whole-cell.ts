/** A crystal without its symmetry: every atom of one cell as a site of its own. */
import { operatorOf, symmetryTable } from '../crystal/atom-ref.ts';
import { metricTensor } from '../crystal/cell.ts';
import { applyOperator } from '../crystal/operator.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { newId, rotateU, type Site, type Structure } from '../crystal/structure.ts';
import type { Vec3 } from '../math/matrix3.ts';
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
    const position = applyOperator(o, site.position).map(intoCell) as unknown as Vec3;
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
  const cells = new Map<string, number[]>();
  const size = [s.cell.a, s.cell.b, s.cell.c].map((l) => Math.max(1, Math.floor(l / 1.5)));
  const boxOf = (x: Vec3): number[] => x.map((v, k) => Math.min(size[k]! - 1, Math.floor(intoCell(v) * size[k]!)));
  s.sites.forEach((x, i) => {
    const key = boxOf(x.position).join();
    const list = cells.get(key);
    if (list) list.push(i);
    else cells.set(key, [i]);
  });
  const out: [number, number][] = [];
  const around = (k: number, n: number): number[] => [...new Set([-1, 0, 1].map((d) => (k + d + n) % n))];
  s.sites.forEach((x, i) => {
    const box = boxOf(x.position);
    for (const p of around(box[0]!, size[0]!))
      for (const q of around(box[1]!, size[1]!))
        for (const r of around(box[2]!, size[2]!))
          for (const j of cells.get([p, q, r].join()) ?? [])
            if (j > i && separation(g, x.position, s.sites[j]!.position) < tolerance) out.push([i, j]);
  });
  return out;
}

/** Å between two places modulo whole cells (the nearest by rounding; exact for short distances). */
export function separation(g: readonly number[], x: Vec3, y: Vec3): number {
  const d = x.map((v, k) => v - y[k]! - Math.round(v - y[k]!));
  let square = 0;
  for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) square += d[i]! * g[3 * i + j]! * d[j]!;
  return Math.sqrt(Math.max(0, square));
}
