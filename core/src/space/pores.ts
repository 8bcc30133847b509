/**
 * Empty space in a crystal: the largest sphere that fits between the atoms, and the widest one that can pass through, with the
 * directions it can go. From the network of free ways: its ways are joined from the widest on (as maximum spanning trees are made),
 * loops that end in another cell telling where they lead.
 */
import { metricTensor } from '../crystal/cell.ts';
import { vanDerWaalsRadius } from '../crystal/elements.ts';
import { symmetryTable } from '../crystal/atom-ref.ts';
import { operatorsNear } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import type { Vec3 } from '../math/matrix3.ts';
import type { PoreSphere } from './empty-space.ts';
import { coprime, Joined, joinThrough } from './joined.ts';
import { networkSpace, networkWithin, type VoidNetwork } from './network.ts';

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
  const space = networkSpace(s, radiusOf);
  const network = networkWithin(s, space, LEAST_RADIUS);
  if (!network.chambers.length) return undefined;
  const largest = network.chambers.reduce((p, q) => (q.diameter > p.diameter + 1e-9 ? q : p));
  const free = space.distances.reduce((count, d) => count + (d > 0 ? 1 : 0), 0);
  return {
    largest: { ...largest, at: nearMiddle(s, largest.at) },
    windows: waysThrough(network)
      .filter(isWidest)
      .map((w) => ({ ...w, at: nearMiddle(s, w.at) })),
    empty: free / space.distances.length,
  };
}

/** The copy of a place that stands nearest to the middle of the cell, where it is seen best. */
function nearMiddle(s: Structure, at: Vec3): Vec3 {
  return operatorsNear(symmetryTable(s.spaceGroup).operators, metricTensor(s.cell), at, [0.5, 0.5, 0.5]).moved;
}

/** Of ways of one width, only what they make together. */
const isWidest = (w: PoreWindow, i: number, all: readonly PoreWindow[]): boolean => {
  const next = all[i + 1];
  return !next || w.diameter - next.diameter > 1e-3;
};

/** From the widest way on: where a loop of ways first leads to another cell, a sphere of that size can pass. */
function waysThrough({ chambers, ways }: VoidNetwork): PoreWindow[] {
  const joined = new Joined(chambers.length);
  for (const i of chambers.keys()) joined.open(i);
  const lattices = new Map<number, IntegerLattice>();
  const windows: PoreWindow[] = [];
  for (const { from, to, over, at, diameter } of [...ways].sort((p, q) => q.diameter - p.diameter)) {
    const rank = joinThrough(joined, lattices, from, to, over);
    if (rank <= (windows.at(-1)?.dimension ?? 0)) continue;
    const lattice = lattices.get(joined.rootOf(from))!;
    windows.push({ at, diameter, dimension: rank as 1 | 2 | 3, directions: lattice.basis.map(coprime) });
  }
  return windows;
}
