import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { invertPlacement, moveRef, originalRef, type AtomRef } from '../crystal/atom-ref.ts';
import { INAPPLICABLE, parseCif } from '../formats/cif-parser.ts';
import { bondAngles, bonds, listedBonds, neighbourRef } from '../geometry/bonds.ts';
import { structureCif } from './structure-cif.ts';

const { structure: S } = testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', 3);
const rowsOf = (pinned: readonly (readonly AtomRef[])[], loop: string): string[][] => {
  const text = structureCif({ name: 'x', structure: S, experiment: { kept: {} }, date: '2026-11-26', pinned });
  const block = parseCif(text)[0]!;
  const found = block.loops.find((l) => l.tags.some((t) => t === loop));
  if (!found) return [];
  const flag = found.tags.findIndex((t) => t.endsWith('publ_flag'));
  const width = found.tags.length;
  const rows = Array.from({ length: found.values.length / width }, (_, i) =>
    Array.from({ length: width }, (_x, k) => String(found.values[i * width + k])),
  );
  return rows.filter((r) => r[flag] === 'yes');
};
const elsewhere = (atoms: readonly AtomRef[]): AtomRef[] =>
  atoms.map((a) => moveRef(S.spaceGroup, { operator: 1, shift: [1, 0, 2] }, a)).reverse();

describe('pinned measures in the CIF', () => {
  it('are flagged in the loops that list them, from whichever copy they were taken', () => {
    const bond = listedBonds(S)[3]!;
    const pair = [originalRef(S.sites[bond.from]!.id), neighbourRef(S, bond)];
    const [angle] = bondAngles(S);
    expect(rowsOf([elsewhere(pair)], '_geom_bond_distance')).toHaveLength(1);
    expect(rowsOf([elsewhere(angle!.atoms)], '_geom_angle')).toHaveLength(1);
    expect(rowsOf([elsewhere(pair)], '_geom_contact_distance')).toEqual([]);
  });

  it('are listed by themselves where nothing else lists them', () => {
    const near = new Set(
      bonds(S)
        .filter((b) => b.from === 0)
        .map((b) => b.to),
    );
    const far = S.sites.findIndex((_, i) => i > 0 && !near.has(i));
    const pair = [originalRef(S.sites[0]!.id), { site: S.sites[far]!.id, operator: 1, shift: [0, 1, 0] } as AtomRef];
    const [row] = rowsOf([pair], '_geom_contact_distance');
    expect(row).toEqual([
      S.sites[0]!.label,
      S.sites[far]!.label,
      INAPPLICABLE,
      '2_565',
      expect.stringMatching(/^\d+\.\d{3}/),
      'yes',
    ]);
    const three = [pair[0]!, pair[1]!, originalRef(S.sites[far]!.id)];
    // The apex stands where the model holds it.
    const [angle] = rowsOf([three], '_geom_angle');
    expect(angle!.slice(0, 3)).toEqual([S.sites[0]!.label, S.sites[far]!.label, S.sites[far]!.label]);
    expect(invertPlacement(S.spaceGroup, three[1]!).operator).toBe(1);
  });

  it('of atoms that are gone are left out', () => {
    expect(rowsOf([[originalRef('gone'), originalRef(S.sites[0]!.id)]], '_geom_contact_distance')).toEqual([]);
  });
});
