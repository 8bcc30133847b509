import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { recognise } from '../formats/recognise.ts';
import { chosenRows, comparedRows, knownOf, knownTable, searchedRows, type KnownRow } from './known.ts';
import type { CifInput } from './structure-cif.ts';

const file = readFileSync(new URL('../../../demo/data/kurumi-5.cif', import.meta.url), 'utf8');

function knownFrom(text: string): KnownRow[] {
  const found = recognise(text, 'kurumi-5.cif').find((r) => r.structure)!;
  const input: CifInput = {
    name: found.name,
    structure: found.structure!,
    experiment: found.experiment,
    ...(found.experiment.wavelength ? { wavelength: found.experiment.wavelength } : {}),
    date: '2026-11-27T00:00:00Z',
  };
  return knownOf(input, found.items);
}

const extra = `
_exptl_crystal_colour_lustre 'metallic'
_workshop_shelf_number 41
_publ_section_comment
;
Grown beside the window.
;
_pd_prep_pressure 101
loop_
_publ_author_name
'Ohashi, K.'
'Mizuno, R.'
`;

describe('everything known', () => {
  const rows = knownFrom(file + extra);
  const row = (key: string): KnownRow => rows.find((r) => r.key === key)!;

  it('is told in groups, with units and meanings', () => {
    expect(row('_cell_volume')).toMatchObject({ group: 'Crystal', unit: 'Å³' });
    expect(row('_cell_length_a').meaning).toBeTruthy();
    expect(row('_chemical_formula_sum').group).toBe('Identity');
    const order = rows.map((r) => r.group);
    expect(order).toEqual([...order].sort((p, q) => rank(p) - rank(q)));
    const geometry = rows.filter((r) => r.group === 'Geometry' && r.key.startsWith('geometry'));
    expect(geometry.length).toBeGreaterThan(2);
    expect(new Set(rows.map((r) => r.key)).size).toBe(rows.length);
  });

  it('holds every item of the file, also what no dictionary knows', () => {
    expect(row('_workshop_shelf_number')).toMatchObject({ value: '41', name: 'Workshop shelf number' });
    expect(row('_publ_section_comment').group).toBe('Remarks');
    expect(row('_publ_section_comment').value).toContain('beside the window');
    expect(row('_publ_author_name')).toMatchObject({ value: 'Ohashi, K.; Mizuno, R.', group: 'Source' });
    expect(row('_cell_measurement_temperature').group).toBe('Conditions');
    expect(row('_pd_prep_pressure')).toMatchObject({ group: 'Conditions', value: '101' });
    expect(row('_exptl_crystal_colour_lustre')).toMatchObject({ group: 'Crystal', value: 'metallic' });
    // Tables of atoms are no items.
    expect(rows.some((r) => r.key.startsWith('_atom_site_'))).toBe(false);
  });

  it('says where the file says something else', () => {
    const odd = knownFrom(file.replace(/(_exptl_crystal_density_diffrn\s+)\S+/, '$19.999'));
    const density = odd.find((r) => r.key === '_exptl_crystal_density_diffrn')!;
    expect(density.recorded).toBe('9.999');
    expect(Number(density.value)).toBeCloseTo(1.673, 2);
    // To the digits that were written it is the same.
    expect(row('_exptl_crystal_density_diffrn').recorded).toBeUndefined();
    expect(row('_cell_length_a').recorded).toBeUndefined();
  });

  it('is searched by names, values and meanings', () => {
    const all = comparedRows([rows]);
    expect(searchedRows(all, 'window').map((r) => r.key)).toEqual(['_publ_section_comment']);
    expect(searchedRows(all, 'METALLIC').map((r) => r.key)).toEqual(['_exptl_crystal_colour_lustre']);
    expect(searchedRows(all, 'workshop 41')).toHaveLength(1);
    expect(searchedRows(all, 'nothing has this')).toEqual([]);
    expect(searchedRows(all, ' ')).toHaveLength(all.length);
  });
});

const rank = (g: string): number =>
  ['Identity', 'Crystal', 'Conditions', 'Measurement', 'Refinement', 'Geometry', 'Source', 'Remarks', 'Other items of the file'].indexOf(g); // prettier-ignore

describe('several structures side by side', () => {
  const a: KnownRow[] = [
    { key: '_a', group: 'Identity', name: 'A', value: '1.500(2)' },
    { key: '_b', group: 'Crystal', name: 'B', value: 'red', unit: 'K' },
  ];
  const b: KnownRow[] = [
    { key: '_a', group: 'Identity', name: 'A', value: '1.50' },
    { key: '_b', group: 'Crystal', name: 'B', value: 'blue' },
    { key: '_c', group: 'Identity', name: 'C', value: 'x' },
  ];
  const rows = comparedRows([a, b]);

  it('marks what differs, numbers by the digits they have', () => {
    expect(rows.map((r) => [r.key, r.differs])).toEqual([
      ['_a', false],
      ['_c', true],
      ['_b', true],
    ]);
    expect(rows[1]!.values).toEqual([undefined, 'x']);
    expect(comparedRows([a]).some((r) => r.differs)).toBe(false);
  });

  it('shows what was chosen, in the order it was put into', () => {
    expect(chosenRows(rows, { hidden: ['_b'], order: ['_c', '_a'] }).map((r) => r.key)).toEqual(['_c', '_a']);
    expect(knownTable(rows, ['one', 'two']).rows[2]).toEqual(['Crystal', 'B, K', '_b', 'red', 'blue']);
  });
});
