/** Points joined across the faces of a cell: against graphs laid out over many cells and walked. */
import { describe, expect, it } from 'vitest';
import type { IntegerLattice } from '../math/integer-lattice.ts';
import { toVec3, type Vec3 } from '../math/matrix3.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { coprime, Joined, joinThrough } from './joined.ts';

interface Edge {
  readonly i: number;
  readonly j: number;
  readonly over: Vec3;
}

function joinAll(size: number, edges: readonly Edge[]): { joined: Joined; lattices: Map<number, IntegerLattice> } {
  const joined = new Joined(size);
  const lattices = new Map<number, IntegerLattice>();
  for (let i = 0; i < size; i++) joined.open(i);
  for (const { i, j, over } of edges) joinThrough(joined, lattices, i, j, over);
  return { joined, lattices };
}

/** The copies of a point that are reached from it in a block of cells about it, and the points met: walked, edge by edge. */
function walked(
  size: number,
  edges: readonly Edge[],
  from: number,
  reach: number,
): { met: Set<number>; shifts: Vec3[] } {
  const out = Array.from({ length: size }, () => [] as { to: number; over: Vec3 }[]);
  for (const { i, j, over } of edges) {
    out[i]!.push({ to: j, over });
    out[j]!.push({ to: i, over: toVec3(over.map((x) => -x)) });
  }
  const seen = new Set([`${from} 0 0 0`]);
  const met = new Set([from]);
  const shifts: Vec3[] = [];
  const queue: { at: number; cell: Vec3 }[] = [{ at: from, cell: [0, 0, 0] }];
  for (const { at, cell } of queue)
    for (const { to, over } of out[at]!) {
      const next = toVec3(cell.map((x, k) => x + over[k]!));
      const key = `${to} ${next.join(' ')}`;
      if (next.some((x) => Math.abs(x) > reach) || seen.has(key)) continue;
      seen.add(key);
      met.add(to);
      if (to === from) shifts.push(next);
      queue.push({ at: to, cell: next });
    }
  return { met, shifts };
}

function rankOf(vectors: readonly Vec3[]): number {
  const rows = vectors.map((v) => [...v]);
  let rank = 0;
  for (let column = 0; column < 3; column++) {
    const pivot = rows.findIndex((r, i) => i >= rank && Math.abs(r[column]!) > 1e-9);
    if (pivot < 0) continue;
    [rows[rank], rows[pivot]] = [rows[pivot]!, rows[rank]!];
    for (let i = rank + 1; i < rows.length; i++) {
      const f = rows[i]![column]! / rows[rank]![column]!;
      rows[i] = rows[i]!.map((x, k) => x - f * rows[rank]![k]!);
    }
    rank++;
  }
  return rank;
}

const graph = (random: Random, size: number, count: number): Edge[] =>
  Array.from({ length: count }, () => ({
    i: random.below(size),
    j: random.below(size),
    over: [random.below(3) - 1, random.below(3) - 1, random.below(3) - 1] as const,
  }));

describe('points joined across cells', () => {
  it.each([
    ['a point with nothing is an island', 1, [], 0],
    ['a step to its own copy is a chain', 1, [[0, 0, [1, 0, 0]]], 1],
    [
      'a step that closes in the cell is an island',
      3,
      [
        [0, 1, [0, 0, 0]],
        [1, 2, [0, 0, 0]],
        [2, 0, [0, 0, 0]],
      ],
      0,
    ],
    [
      'out by one face and back by it is an island',
      2,
      [
        [0, 1, [1, 0, 0]],
        [0, 1, [1, 0, 0]],
      ],
      0,
    ],
    [
      'out by one face and back by another is a chain',
      2,
      [
        [0, 1, [0, 0, 0]],
        [0, 1, [0, 1, 0]],
      ],
      1,
    ],
    [
      'two directions are a layer',
      1,
      [
        [0, 0, [1, 0, 0]],
        [0, 0, [1, 1, 0]],
      ],
      2,
    ],
    [
      'three that lie in a plane are a layer',
      1,
      [
        [0, 0, [1, 0, 0]],
        [0, 0, [0, 1, 0]],
        [0, 0, [1, 1, 0]],
      ],
      2,
    ],
    [
      'three are a network',
      1,
      [
        [0, 0, [1, 0, 0]],
        [0, 0, [1, 1, 0]],
        [0, 0, [0, 1, 1]],
      ],
      3,
    ],
  ] as const)('%s', (_, size, edges, rank) => {
    const { joined, lattices } = joinAll(
      size,
      edges.map(([i, j, over]) => ({ i, j, over: over as Vec3 })),
    );
    expect(lattices.get(joined.rootOf(0))?.rank ?? 0).toBe(rank);
  });

  it('hang together as a walk over many cells finds, in as many directions, whatever the order of the steps', () => {
    for (let seed = 1; seed <= 60; seed++) {
      const random = seededRandom(seed);
      const size = 2 + random.below(5);
      const edges = graph(random, size, 1 + random.below(2 * size));
      const shuffled = [...edges].sort(() => random.next() - 0.5);
      for (const order of [edges, shuffled]) {
        const { joined, lattices } = joinAll(size, order);
        for (let i = 0; i < size; i++) {
          const { met, shifts } = walked(size, edges, i, 4);
          const root = joined.rootOf(i);
          const together = Array.from({ length: size }, (_, j) => j).filter((j) => joined.rootOf(j) === root);
          expect(together).toEqual([...met].sort((p, q) => p - q));
          expect(lattices.get(root)?.rank ?? 0).toBe(rankOf(shifts));
        }
      }
    }
  });

  it('knows the cell of each point against its root', () => {
    for (let seed = 100; seed <= 130; seed++) {
      const random = seededRandom(seed);
      const edges = graph(random, 6, 5);
      const { joined, lattices } = joinAll(6, edges);
      for (const { i, j, over } of edges) {
        const root = joined.rootOf(i);
        const [x, y, z] = [joined.sx, joined.sy, joined.sz];
        expect(joined.rootOf(j)).toBe(root);
        const way = [over[0] + x - joined.sx, over[1] + y - joined.sy, over[2] + z - joined.sz];
        // Both ways to the root differ by a translation that the whole has.
        const basis = lattices.get(root)?.basis ?? [];
        expect(rankOf([...basis, toVec3(way)])).toBe(rankOf(basis));
      }
    }
  });

  it('directions are named by their shortest vector', () => {
    expect(coprime([4, -2, 6])).toEqual([2, -1, 3]);
    expect(coprime([0, 0, -5])).toEqual([0, 0, -1]);
    expect(coprime([0, 0, 0])).toEqual([0, 0, 0]);
  });
});
