/** Points of a cell joined to one another across its faces: which hang together, and in how many directions without end. */
import { greatestCommonDivisor } from '../math/integer.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import { scale, toVec3, type Vec3 } from '../math/matrix3.ts';

/** Points joined so far, each with the cell its root lies in. */
export class Joined {
  private readonly parent: Int32Array;
  private readonly shifts: Int32Array;
  constructor(size: number) {
    this.parent = new Int32Array(size).fill(-1);
    this.shifts = new Int32Array(3 * size);
  }
  open(i: number): void {
    this.parent[i] = i;
  }
  isOpen(i: number): boolean {
    return this.parent[i]! >= 0;
  }
  /** Cells from the root to the point asked about last. */
  sx = 0;
  sy = 0;
  sz = 0;
  /** The root of a point; the cells from there to the point are in `sx`, `sy`, `sz`. */
  rootOf(i: number): number {
    const { parent, shifts } = this;
    let x = 0,
      y = 0,
      z = 0,
      at = i;
    while (parent[at] !== at) {
      x += shifts[3 * at]!;
      y += shifts[3 * at + 1]!;
      z += shifts[3 * at + 2]!;
      at = parent[at]!;
    }
    if (at !== i) {
      parent[i] = at;
      shifts[3 * i] = x;
      shifts[3 * i + 1] = y;
      shifts[3 * i + 2] = z;
    }
    this.sx = x;
    this.sy = y;
    this.sz = z;
    return at;
  }
  hang(root: number, under: number, shift: Vec3): void {
    this.parent[root] = under;
    this.shifts.set(shift, 3 * root);
  }
}

/** Joins two points; the dimension of what they are in, after that. `over` are the cells from the first to the second. */
export function joinThrough(
  joined: Joined,
  lattices: Map<number, IntegerLattice>,
  i: number,
  j: number,
  over: Vec3,
): number {
  // Cells by which the second root lies off the first one, if one goes by this step.
  const first = joined.rootOf(i);
  const [x, y, z] = [over[0] + joined.sx, over[1] + joined.sy, over[2] + joined.sz];
  const second = joined.rootOf(j);
  const loop: Vec3 = [x - joined.sx, y - joined.sy, z - joined.sz];
  if (first === second) {
    if (loop[0] || loop[1] || loop[2]) ensured(lattices, first).add(loop);
    return lattices.get(first)?.rank ?? 0;
  }
  for (const v of lattices.get(first)?.basis ?? []) ensured(lattices, second).add(v);
  lattices.delete(first);
  joined.hang(first, second, scale(loop, -1));
  return lattices.get(second)?.rank ?? 0;
}

function ensured(lattices: Map<number, IntegerLattice>, root: number): IntegerLattice {
  const lattice = lattices.get(root) ?? new IntegerLattice();
  lattices.set(root, lattice);
  return lattice;
}

/** The shortest lattice vector along one. */
export const coprime = (v: Vec3): Vec3 => {
  const d = v.reduce((n, x) => greatestCommonDivisor(n, Math.abs(x)), 0) || 1;
  return toVec3(v.map((x) => x / d + 0));
};
