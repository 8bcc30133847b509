/** The atoms of one cell, and the nearest of a kind to any place, found by boxes. */
import { metricTensor, type Cell } from '../crystal/cell.ts';
import { primitiveBasis } from '../crystal/lattice.ts';
import { applyOperator } from '../crystal/operator.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, inverse3, toVec3, type Mat3, type Vec3 } from '../math/matrix3.ts';

export interface CellAtom {
  /** Fractional. */
  readonly x: Vec3;
  /** Index of the site it comes from. */
  readonly site: number;
  readonly element: string;
  readonly occupancy: number;
}

export interface Nearest {
  /** Å. */
  readonly distance: number;
  readonly site: number;
  /** From the place asked for to the atom, fractional. */
  readonly delta: Vec3;
}

/** A place shared by two elements is another kind than one shared otherwise; refined occupancies scatter by less than this. */
const SAME_OCCUPANCY = 0.2;

const wrapped = (x: Vec3): Vec3 => toVec3(x.map((v) => v - Math.floor(v)));

/** Every atom that the sites make in one primitive cell of the structure's lattice, in the present axes. */
export function atomsOfPrimitiveCell(s: Structure, sites: readonly number[]): CellAtom[] {
  const into = inverse3(primitiveBasis(s.spaceGroup.centring));
  return sites.flatMap((site) => {
    const { element, position, occupancy } = s.sites[site]!;
    const seen: { x: Vec3; own: Vec3 }[] = [];
    for (const o of s.spaceGroup.representatives) {
      const x = applyOperator(o, position);
      const own = apply3(into, x);
      if (!seen.some((p) => p.own.every((v, i) => Math.abs(v - own[i]! - Math.round(v - own[i]!)) < 1e-4)))
        seen.push({ x, own });
    }
    return seen.map(({ x }) => ({ x, site, element, occupancy }));
  });
}

/** Finds the nearest atom of an element quickly: the cell's contents sorted into boxes of about 2 Å. */
export class CellLookup {
  readonly g: Mat3;
  private readonly n: Vec3;
  /** Atoms of each element, box by box. */
  private readonly boxes = new Map<string, CellAtom[][]>();
  readonly atoms: readonly CellAtom[];

  constructor(cell: Cell, atoms: readonly CellAtom[]) {
    this.g = metricTensor(cell);
    this.n = toVec3([cell.a, cell.b, cell.c].map((l) => Math.max(1, Math.floor(l / 2.2))));
    this.atoms = atoms.map((a) => ({ ...a, x: wrapped(a.x) }));
    for (const a of this.atoms) this.boxOf(a).push(a);
  }

  private boxOf({ element, x }: CellAtom): CellAtom[] {
    let boxes = this.boxes.get(element);
    if (!boxes) {
      boxes = Array.from({ length: this.n[0] * this.n[1] * this.n[2] }, () => []);
      this.boxes.set(element, boxes);
    }
    const [i, j, k] = x.map((v, d) => Math.min(this.n[d]! - 1, Math.floor(v * this.n[d]!))) as [number, number, number];
    return boxes[this.index(i, j, k)]!;
  }

  private index(i: number, j: number, k: number): number {
    return (i * this.n[1] + j) * this.n[2] + k;
  }

  /** The nearest atom of the element, as full as `occupancy`, within about 2 Å. */
  nearest(element: string, x: Vec3, occupancy = 1): Nearest | undefined {
    let best: Nearest | undefined;
    const { g, n } = this;
    const boxes = this.boxes.get(element);
    if (!boxes) return undefined;
    const base = x.map((v, i) => Math.floor((v - Math.floor(v)) * n[i]!));
    const reach = n.map((m) => (m < 3 ? Math.floor(m / 2) : 1));
    for (let i = -reach[0]!; i <= reach[0]!; i++)
      for (let j = -reach[1]!; j <= reach[1]!; j++)
        for (let k = -reach[2]!; k <= reach[2]!; k++) {
          const at = this.index(
            (base[0]! + i + n[0]) % n[0],
            (base[1]! + j + n[1]) % n[1],
            (base[2]! + k + n[2]) % n[2],
          );
          for (const a of boxes[at]!) {
            if (Math.abs(a.occupancy - occupancy) > SAME_OCCUPANCY) continue;
            const d = shortest([a.x[0] - x[0], a.x[1] - x[1], a.x[2] - x[2]]);
            const q = squaredLength(g, d);
            if (!best || q < best.distance) best = { distance: q, site: a.site, delta: d };
          }
        }
    return best && { ...best, distance: Math.sqrt(Math.max(0, best.distance)) };
  }
}

/** A difference without whole cells. */
export const shortest = (d: Vec3): Vec3 => [d[0] - Math.round(d[0]), d[1] - Math.round(d[1]), d[2] - Math.round(d[2])];

const squaredLength = (g: Mat3, d: Vec3): number =>
  d[0] * d[0] * g[0] +
  d[1] * d[1] * g[4] +
  d[2] * d[2] * g[8] +
  2 * (d[0] * d[1] * g[1] + d[0] * d[2] * g[2] + d[1] * d[2] * g[5]);

/** Å of a fractional vector. */
export const lengthOf = (g: Mat3, d: Vec3): number => Math.sqrt(Math.max(0, squaredLength(g, d)));
