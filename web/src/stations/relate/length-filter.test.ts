import { describe, expect, it } from 'vitest';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { angleTable, bondTable } from '@nagare/core/geometry/length-table';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { filteredRows } from './length-filter.ts';

const S = bonded(shippedShelf().find((e) => e.id === 'forsterite')!.structure);
const bonds = bondTable(S),
  angles = angleTable(S);
const kinds = (words: string, rows = bonds): Set<string> =>
  new Set(filteredRows(S, rows, words, []).map((r) => r.kind));

describe('rows that are meant', () => {
  it('are all where nothing is asked', () => {
    expect(filteredRows(S, bonds, '  ', [])).toBe(bonds);
  });

  it.each([
    ['Si–O', ['Si–O']],
    ['si-o', ['Si–O']],
    ['O−Mg−O', []],
  ])('by kind, however the dash is written: %s', (words, expected) => {
    expect([...kinds(words)]).toEqual(expected);
  });

  it('by kind of angle', () => {
    expect([...kinds('O-Si-O', angles)]).toEqual(['O–Si–O']);
  });

  it('by label', () => {
    const label = S.sites.find((x) => x.element === 'Si')!.label;
    const rows = filteredRows(S, bonds, label, []);
    expect(rows.length).toBeGreaterThan(0);
    expect(rows.every((r) => r.name.includes(label))).toBe(true);
  });

  it('by words that select atoms', () => {
    expect(kinds('all silicon')).toEqual(new Set(['Si–O']));
    expect(filteredRows(S, bonds, 'what is this', [])).toEqual([]);
  });

  it('of the selection', () => {
    const si = S.sites.find((x) => x.element === 'Si')!;
    const rows = filteredRows(S, bonds, '', [originalRef(si.id)]);
    expect(new Set(rows.map((r) => r.kind))).toEqual(new Set(['Si–O']));
    expect(filteredRows(S, bonds, 'Mg–O', [originalRef(si.id)])).toEqual([]);
  });
});
