import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { supercell } from '../build/supercell.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { seededRandom } from '../math/random.ts';
import { compareCrystals } from './compare-packing.ts';

const MOLECULE = 'CC(=O)Nc1ccc(O)cc1';
const made = (symbol: string, seed: number): Structure => testCrystal(MOLECULE, symbol, seed).structure;

/** The same crystal as somebody else may have measured and described it: another cell, a little warmer, inexact. */
function again(s: Structure, seed: number): Structure {
  const random = seededRandom(seed);
  const other = supercell(s, seed % 2 ? [1, 0, 0, 0, 1, 0, 1, 0, 1] : [2, 0, 0, 0, 1, 0, 0, 0, 1]).structure;
  const { a, b, c } = other.cell;
  const grown = { ...other.cell, a: a * 1.01, b: b * 0.995, c: c * 1.015 };
  const sites = other.sites.map((x) => ({
    ...x,
    position: x.position.map((v, k) => v + (0.03 * random.normal()) / [a, b, c][k]!) as never,
  }));
  return bonded({ ...other, cell: grown, sites });
}

describe('packings of one molecule', () => {
  it.each([1, 2, 3, 4, 5])('are the same in another cell, a little off (seed %i)', { tags: 'long' }, (seed) => {
    for (const symbol of ['P 21/c', 'P 21 21 21']) {
      const s = bonded(made(symbol, seed));
      const { molecules, packing } = compareCrystals(s, again(s, seed));
      expect(packing).toMatchObject({ matched: 15, of: 15 });
      expect(packing.rms).toBeLessThan(0.35);
      expect(molecules.rms).toBeLessThan(0.2);
    }
  });

  it('of the other hand are the same as mirror images', () => {
    const s = bonded(made('P 21 21 21', 4));
    const inverted: Structure = {
      ...s,
      sites: s.sites.map((x) => ({ ...x, position: x.position.map((v) => -v) as never })),
    };
    const { packing } = compareCrystals(s, bonded(inverted));
    expect(packing).toMatchObject({ matched: 15, mirrored: true });
    expect(packing.rms).toBeLessThan(1e-3);
  });

  it.each([1, 2, 3, 4, 5, 6, 7, 8, 9, 10])('of unlike crystals are not (seed %i)', (seed) => {
    const [one, two] = [made('P 21/c', seed), made(seed % 2 ? 'P -1' : 'P n a 21', seed + 40)];
    const { packing } = compareCrystals(bonded(one), bonded(two));
    expect(packing.matched).toBeLessThan(9);
  });

  it('need a molecule that they share', () => {
    const other = bonded(testCrystal('c1ccncc1C(=O)O', 'P 21/c', 2).structure);
    expect(() => compareCrystals(bonded(made('P 21/c', 1)), other)).toThrow(/share no molecule/);
  });
});
