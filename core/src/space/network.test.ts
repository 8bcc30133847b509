import { describe, expect, it } from 'vitest';
import { porousFramework } from '../../../demo/src/structures.ts';
import { textbook } from '../../../demo/src/textbook.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import { toVec3, type Vec3 } from '../math/matrix3.ts';
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

  it('leads on in as many directions as a ball of the probe’s size can go, in crystals of no kind', () => {
    const ranks = new Set<number>();
    for (const seed of [1, 2, 3, 4, 5, 6]) {
      const s = testCrystal('CC(=O)Nc1ccccc1', seed % 2 ? 'P -1' : 'P 21/c', seed).structure;
      const wide = { ...s, cell: { ...s.cell, a: 1.18 * s.cell.a, b: 1.12 * s.cell.b } };
      const { windows, largest } = findPores(wide)!;
      for (const probe of [0.35, 0.5, 0.8]) {
        // Those windows come from a coarser grid.
        if (windows.some((w) => Math.abs(w.diameter / (2 * probe) - 1) < 0.12)) continue;
        const rank = Math.max(0, ...windows.filter((w) => w.diameter > 2 * probe).map((w) => w.dimension));
        const network = voidNetwork(wide, { probe });
        expect([seed, probe, rankOf(network)]).toEqual([seed, probe, rank]);
        expect(Math.max(...network.chambers.map((c) => c.diameter))).toBeCloseTo(largest.diameter, 3);
        ranks.add(rank);
      }
    }
    expect(ranks.size).toBeGreaterThan(2);
  });
});
