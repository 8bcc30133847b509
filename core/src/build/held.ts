/** Atoms of a slab that are held still: its lowest planes. */
import { reciprocalLengths } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { intoCell } from './whole-cell.ts';

/** Å: atoms whose heights differ by less stand in one plane. */
const ONE_PLANE = 0.15;

/** Sites by their planes along c, from the lowest above the widest gap on. For structures in P 1. */
export function planesAlongC(s: Structure): string[][] {
  const tall = 1 / reciprocalLengths(s.cell)[2];
  const list = s.sites.map((x) => ({ id: x.id, z: intoCell(x.position[2]) * tall })).sort((p, q) => p.z - q.z);
  const gaps = list.map((x, i) => (i ? x.z - list[i - 1]!.z : x.z + tall - list.at(-1)!.z));
  const first = gaps.indexOf(Math.max(...gaps));
  const ordered = [...list.slice(first), ...list.slice(0, first).map((x) => ({ ...x, z: x.z + tall }))];
  const planes: string[][] = [];
  ordered.forEach((x, i) => {
    const before = ordered[i - 1];
    if (!before || x.z - before.z > ONE_PLANE) planes.push([]);
    planes.at(-1)!.push(x.id);
  });
  return planes;
}
