import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { caged } from '../../../demo/src/structures.ts';
import { placeNumber } from '../crystal/atom-ref.ts';
import { atomsOfExtent } from '../draw/extent.ts';
import { bonded } from './bonding-proposal.ts';
import { ringKinds, ringsThrough } from './ring-copies.ts';

const molecule = bonded(testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', 3).structure);
const cages = bonded(caged());

describe('rings of a figure', () => {
  it('of a phenol in its cell: one kind, a copy for each molecule that is drawn whole', () => {
    const kinds = ringKinds(molecule, atomsOfExtent(molecule, { kind: 'packed cell' }));
    expect(kinds.map((k) => k.name)).toEqual(['6 atoms: 6 C']);
    expect(kinds[0]!.rings).toHaveLength(4);
  });

  it('are only told where all of their atoms are drawn', () => {
    const atoms = atomsOfExtent(molecule, { kind: 'molecules' });
    const [ring] = ringKinds(molecule, atoms)[0]!.rings;
    const without = atoms.filter((a) => placeNumber(molecule, a) !== placeNumber(molecule, ring![2]!));
    expect(ringKinds(molecule, without)).toHaveLength(0);
  });

  it('through two atoms are the smallest that hold both, copies of a framework too', () => {
    const drawn = atomsOfExtent(cages, { kind: 'block', from: [0, 0, 0], to: [1, 1, 1] });
    const kinds = ringKinds(cages, drawn);
    const [square] = kinds[0]!.rings;
    const through = ringsThrough(cages, [square![0]!, square![4]!]);
    expect(through.length).toBeGreaterThan(0);
    for (const r of through) {
      const places = new Set(r.map((a) => placeNumber(cages, a)));
      for (const a of [square![0]!, square![4]!]) expect(places.has(placeNumber(cages, a))).toBe(true);
    }
    expect(Math.max(...through.map((r) => r.length))).toBe(square!.length);
  });
});
