import { describe, expect, it } from 'vitest';
import { porousFramework } from '../../../demo/src/structures.ts';
import { textbook } from '../../../demo/src/textbook.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import { vanDerWaalsRadius } from '../crystal/elements.ts';
import { toVec3, type Vec3 } from '../math/matrix3.ts';
import { EmptySpace } from './empty-space.ts';
import { CORNERS } from './grid-steps.ts';
import { voidNetwork, type VoidNetwork } from './network.ts';
import { findPores } from './pores.ts';

const radii = { O: 1.5 };

/** In how many directions a network leads on: the rank of its loops (a tree's places, and what every other way adds). */
function rankOf({ chambers, ways }: VoidNetwork): number {
  const lattice = new IntegerLattice();
  const cell = new Map<number, Vec3>();
  for (const start of chambers.keys()) {
    if (cell.has(start)) continue;
    cell.set(start, [0, 0, 0]);
    for (let changed = true; changed;) {
      changed = false;
      for (const { from, to, over } of ways)
        for (const [p, q, sign] of [[from, to, 1], [to, from, -1]] as const) {
          const here = cell.get(p);
          if (!here || cell.has(q)) continue;
          cell.set(q, toVec3(here.map((x, k) => x + sign * over[k]!)));
          changed = true;
        } // prettier-ignore
    }
  }
  for (const { from, to, over } of ways)
    lattice.add(toVec3(over.map((x, k) => cell.get(from)![k]! + x - cell.get(to)![k]!)));
  return lattice.rank;
}

describe('the network of free ways', () => {
  it('of a primitive cubic array is one chamber and three ways, as wide as geometry has them', () => {
    const { chambers, ways } = voidNetwork(textbook('P m -3 m', 8, 8, [['O', 0, 0, 0]]), { probe: 1, radii });
    expect(chambers).toHaveLength(1);
    expect(chambers[0]!.diameter).toBeCloseTo(8 * Math.sqrt(3) - 3, 3);
    for (const x of chambers[0]!.at) expect(x).toBeCloseTo(0.5, 3);
    expect(ways).toHaveLength(3);
    for (const w of ways) {
      expect(w.diameter).toBeCloseTo(8 * Math.SQRT2 - 3, 3);
      expect(w.over.map(Math.abs).sort()).toEqual([0, 0, 1]);
    }
  });

  it('of a close packing: octahedral holes meet tetrahedral ones through triangles', () => {
    const a = 10;
    const { chambers, ways } = voidNetwork(textbook('F m -3 m', a, a, [['O', 0, 0, 0]]), { probe: 0.6, radii });
    const [large, small] = [a - 3, (a * Math.sqrt(3)) / 2 - 3];
    expect(chambers.filter((c) => Math.abs(c.diameter - large) < 0.01)).toHaveLength(4);
    expect(chambers.filter((c) => Math.abs(c.diameter - small) < 0.01)).toHaveLength(8);
    expect(chambers).toHaveLength(12);
    // Every tetrahedral hole has four faces.
    expect(ways).toHaveLength(32);
    for (const w of ways) {
      expect(w.diameter).toBeCloseTo((2 * a) / Math.sqrt(6) - 3, 2);
      const kinds = [w.from, w.to].map((i) => Math.round(chambers[i]!.diameter));
      expect(kinds.sort()).toEqual([Math.round(small), Math.round(large)].sort());
    }
  });

  it('of a framework of cages: two kinds, each with six windows', () => {
    const { chambers, ways } = voidNetwork(porousFramework(), { probe: 1.2 });
    expect(chambers).toHaveLength(8);
    expect(ways).toHaveLength(24);
    for (const i of chambers.keys()) expect(ways.filter((w) => w.from === i || w.to === i)).toHaveLength(6);
    expect(new Set(ways.map((w) => w.diameter.toFixed(2))).size).toBe(1);
  });

  it(
    'leads on in as many directions as a ball of the probe’s size can go, in crystals of no kind',
    { tags: 'long' },
    () => {
      const ranks = new Set<number>();
      for (const seed of [1, 2, 3]) {
        const s = testCrystal('CC(=O)Nc1ccccc1', seed % 2 ? 'P -1' : 'P 21/c', seed).structure;
        const wide = { ...s, cell: { ...s.cell, a: 1.18 * s.cell.a, b: 1.12 * s.cell.b } };
        const space = new EmptySpace(wide, vanDerWaalsRadius, GRID, 2e6);
        const { windows, largest } = findPores(wide)!;
        for (const probe of [0.35, 0.5, 0.8]) {
          // The grid sees every way too narrow, by its step at the most.
          const [least, most] = [floodedRank(space, probe), floodedRank(space, probe - GRID)];
          const network = voidNetwork(wide, { probe });
          const byWindows = Math.max(0, ...windows.filter((w) => w.diameter > 2 * probe).map((w) => w.dimension));
          for (const rank of [rankOf(network), byWindows]) {
            expect(rank, `${seed} ${probe}`).toBeGreaterThanOrEqual(least);
            expect(rank, `${seed} ${probe}`).toBeLessThanOrEqual(most);
          }
          expect(Math.max(...network.chambers.map((c) => c.diameter))).toBeCloseTo(largest.diameter, 3);
          ranks.add(rankOf(network));
        }
      }
      expect(ranks.size).toBeGreaterThan(2);
    },
  );
});

/** Å between points of the grid that is flooded. */
const GRID = 0.15;

/** In how many directions water goes on from any point with a clearance of `probe` Å: filled point by point, cell after cell. */
function floodedRank({ grid, distances }: EmptySpace, probe: number): number {
  const [p, q, r] = grid.n;
  // Cell that each point was come to in, and whether it was.
  const cells = new Int8Array(3 * distances.length);
  const isWet = new Uint8Array(distances.length);
  let most = 0;
  for (let start = 0; start < distances.length; start++) {
    if (distances[start]! < probe || isWet[start]) continue;
    const lattice = new IntegerLattice();
    isWet[start] = 1;
    const wet = [start];
    for (let at = wet.pop(); at !== undefined; at = wet.pop())
      for (const [dx, dy, dz] of CORNERS) {
        const [x, y, z] = [Math.floor(at / (q * r)) + dx, (Math.floor(at / r) % q) + dy, (at % r) + dz];
        const over = [Math.floor(x / p), Math.floor(y / q), Math.floor(z / r)] as const;
        const next = ((x - over[0] * p) * q + y - over[1] * q) * r + z - over[2] * r;
        if (distances[next]! < probe) continue;
        if (!isWet[next]) {
          isWet[next] = 1;
          for (const k of [0, 1, 2] as const) cells[3 * next + k] = cells[3 * at + k]! + over[k];
          wet.push(next);
          continue;
        }
        const off = ([0, 1, 2] as const).map((k) => cells[3 * at + k]! + over[k] - cells[3 * next + k]!);
        if (off.some((c) => c !== 0)) lattice.add(toVec3(off));
      }
    most = Math.max(most, lattice.rank);
  }
  return most;
}
