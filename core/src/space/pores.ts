/**
 * Empty space in a crystal: the largest sphere that fits between the atoms, and the widest one that can pass through, with the
 * directions it can go. On a grid of distances; the largest path by joining points from the emptiest on (as minimum spanning
 * trees are made), loops that end in another cell telling where it leads. Both spheres are then made exact.
 */
import { metricTensor } from '../crystal/cell.ts';
import { vanDerWaalsRadius } from '../crystal/elements.ts';
import { symmetryTable } from '../crystal/atom-ref.ts';
import { operatorsNear } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { EmptySpace, STEP, wrap, type PoreSphere } from './empty-space.ts';
import { coprime, Joined, joinThrough } from './joined.ts';

export interface PoreWindow extends PoreSphere {
  /** 1 channels, 2 layers of them, 3 everywhere. */
  readonly dimension: 1 | 2 | 3;
  /** Lattice vectors a sphere of this diameter can go along, as many as the dimension. */
  readonly directions: readonly Vec3[];
}

export interface Pores {
  readonly largest: PoreSphere;
  /** The widest way through, and the widest ways that open further directions; empty where everything is closed. */
  readonly windows: readonly PoreWindow[];
  /** Part of the volume further from every atom than its surface, 0 … 1. */
  readonly empty: number;
}

/** Å: a sphere of a smaller radius passes everywhere and means nothing. */
const LEAST_RADIUS = 0.25;

/** Spheres in the empty space of a crystal; undefined where no sphere of 0.5 Å fits. `radiusOf` gives Å by element. */
export function findPores(s: Structure, radiusOf: (element: string) => number = vanDerWaalsRadius): Pores | undefined {
  const space = new EmptySpace(s, radiusOf);
  const { grid, distances } = space;
  let best = 0,
    free = 0;
  distances.forEach((d, i) => {
    if (d > distances[best]!) best = i;
    if (d > 0) free++;
  });
  if (!(distances[best]! > LEAST_RADIUS)) return undefined;
  const largest = emptiest(distances, distances[best]!)
    .map((i) => space.largestNear(grid.pointAt(i)))
    .reduce((p, q) => (q.diameter > p.diameter + 1e-9 ? q : p));
  return {
    largest: { ...largest, at: nearMiddle(s, largest.at) },
    windows: waysThrough(space)
      .filter(isWidest)
      .map((w) => ({ ...w, at: nearMiddle(s, w.at) })),
    empty: free / distances.length,
  };
}

/** The copy of a place that stands nearest to the middle of the cell, where it is seen best. */
function nearMiddle(s: Structure, at: Vec3): Vec3 {
  return operatorsNear(symmetryTable(s.spaceGroup).operators, metricTensor(s.cell), at, [0.5, 0.5, 0.5]).moved;
}

/** Starts of the search for the largest sphere. */
const STARTS = 12;

/** The emptiest points of the grid: any of them may stand where the largest sphere is, since the grid misses all places a little. */
function emptiest(distances: Float64Array, most: number): number[] {
  const near: number[] = [];
  distances.forEach((d, i) => {
    if (d > most - STEP) near.push(i);
  });
  return near.sort((i, j) => distances[j]! - distances[i]!).slice(0, STARTS);
}

/** Of ways of one width, only what they make together. */
const isWidest = (w: PoreWindow, i: number, all: readonly PoreWindow[]): boolean => {
  const next = all[i + 1];
  return !next || w.diameter - next.diameter > 1e-3;
};

/** From the emptiest point on: where a loop of joined points first leads to another cell, a way is open. */
function waysThrough(space: EmptySpace): PoreWindow[] {
  const { grid, distances } = space;
  const [p, q, r] = grid.n;
  const order = Array.from(distances.keys()).filter((i) => distances[i]! > LEAST_RADIUS);
  order.sort((i, j) => distances[j]! - distances[i]!);
  const joined = new Joined(grid.size);
  const lattices = new Map<number, IntegerLattice>();
  const windows: PoreWindow[] = [];
  for (const i of order) {
    joined.open(i);
    const x = Math.floor(i / (q * r)),
      y = Math.floor(i / r) % q,
      z = i % r;
    for (const [dx, dy, dz] of STEPS) {
      const [a, b, c] = [x + dx, y + dy, z + dz];
      const j = (wrap(a, p) * q + wrap(b, q)) * r + wrap(c, r);
      if (!joined.isOpen(j)) continue;
      const over: Vec3 = [Math.floor(a / p), Math.floor(b / q), Math.floor(c / r)];
      const rank = joinThrough(joined, lattices, i, j, over);
      if (rank <= (windows.at(-1)?.dimension ?? 0)) continue;
      const narrow = space.windowNear(grid.pointAt(i), distances[i]!);
      const lattice = lattices.get(joined.rootOf(i))!;
      windows.push({ ...narrow, dimension: rank as 1 | 2 | 3, directions: lattice.basis.map(coprime) });
      if (rank === 3) return windows;
    }
  }
  return windows;
}

const STEPS: readonly Vec3[] = [-1, 0, 1].flatMap((i) =>
  [-1, 0, 1].flatMap((j) => [-1, 0, 1].flatMap((k): Vec3[] => (i || j || k ? [[i, j, k]] : []))),
);
