import { siteOf } from '../crystal/atom-ref.ts';
import { describe, expect, it } from 'vitest';
import { bonds } from '../geometry/bonds.ts';
import { hydrogenBonds } from '../geometry/hydrogen-bonds.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import {
  cifProblems,
  checkItem,
  dictionaryItem,
  experimentValue,
  formItems,
  missingItems,
  SUBJECTS,
} from '../formats/dictionary.ts';
import { DICTIONARY_ITEMS } from '../formats/dictionary-items.ts';
import { parseCif } from '../formats/cif-parser.ts';
import { recognise } from '../formats/recognise.ts';
import { experimentalSentence } from './sentence.ts';
import { reportHtml } from './report.ts';
import { structureCif, type CifInput } from './structure-cif.ts';
import { makeTable, TABLE_KINDS, tableCsv, tableHtml, tableText } from './tables.ts';
import { torsionAtoms } from './torsions.ts';

const site = (
  label: string,
  element: string,
  position: readonly [number, number, number],
  more: Partial<Site> = {},
): Site => ({
  id: label,
  label,
  element,
  position,
  positionSu: [2e-4, 3e-4, 2e-4],
  occupancy: 1,
  displacement: { kind: 'iso', u: 0.03, su: 0.001 },
  ...more,
});

/** A made-up bent chain O–C–C–O with its hydroxyl hydrogens in a box of 8 × 7 × 9 Å, P-1. */
function chain(): Structure {
  const at = (x: number, y: number, z: number): [number, number, number] => [x / 8, y / 7, z / 9];
  return {
    cell: { a: 8, b: 7, c: 9, alpha: 90, beta: 90, gamma: 90, su: [0.001, 0.001, 0.001, 0, 0, 0] },
    spaceGroup: spaceGroupFromSymbol('P -1'),
    sites: [
      site('O1', 'O', at(1.2, 1.6, 2), {
        displacement: {
          kind: 'aniso',
          u: [0.03, 0.04, 0.05, 0.001, 0.002, -0.003],
          su: [1e-3, 1e-3, 1e-3, 1e-3, 1e-3, 1e-3],
        },
      }),
      site('C1', 'C', at(2.4, 1, 2)),
      site('C2', 'C', at(3.6, 1.95, 2)),
      site('O2', 'O', at(4.8, 1.3, 2)),
      site('H1', 'H', at(0.45, 1.1, 2)),
      site('H2', 'H', at(5.5, 1.9, 2)),
      site('O3', 'O', at(7.1, 2.9, 2)),
    ],
  };
}
const input = (more: Partial<CifInput> = {}): CifInput => ({
  name: 'Made up',
  structure: chain(),
  experiment: {
    formula: { C: 2, H: 2, O: 3 },
    z: 2,
    temperature: 150,
    colour: 'red',
    habit: 'block',
    size: [0.3, 0.2, 0.1],
    kept: { _chemical_name_common: 'Made up' },
  },
  wavelength: 0.71073,
  date: '2026-11-23',
  ...more,
});
const readings = {
  r1: 0.0312,
  r1All: 0.04,
  wr2: 0.081,
  s: 1.03,
  parameters: 30,
  restraints: 0,
  reflections: 900,
  observed: 800,
  maxShiftOverSu: 0.001,
  meanShiftOverSu: 0,
  weights: { a: 0.04, b: 0.1 },
  scale: 1,
};

describe('tables', () => {
  it('hold distances worked out by hand, with s.u. and symmetry codes', () => {
    const t = makeTable('bonds', input());
    const row = (name: string): string[] => [...t.rows.find((r) => r[0] === name)!];
    // O1–C1: (1.2, −0.6, 0) is 1.3416 Å long.
    expect(row('O1–C1')[1]).toMatch(/^1\.342\(\d\)$/);
    expect(t.rows.some((r) => r[0]!.includes('H'))).toBe(false);
    expect(
      makeTable('bonds', input(), { hydrogens: false, scaled: false, order: 'by label', picometres: true }).rows.find(
        (r) => r[0] === 'O1–C1',
      )![1],
    ).toMatch(/^134\.\d\(\d\)$/);
    expect(makeTable('bonds', input(), { hydrogens: true, scaled: false, order: 'by value' }).rows.length).toBe(
      t.rows.length + 2,
    );
    const angle = makeTable('angles', input()).rows.find((r) => r[0] === 'O1–C1–C2')![1]!;
    // cos = (−1.2·1.2 + 0.6·0.95)/(1.3416·1.5305)
    expect(parseFloat(angle)).toBeCloseTo((Math.acos((-1.44 + 0.57) / (1.3416 * 1.5305)) * 180) / Math.PI, 0);
    const torsion = makeTable('torsions', input()).rows;
    expect(torsion).toHaveLength(1);
    expect(Math.abs(parseFloat(torsion[0]![1]!.replace('−', '-')))).toBeCloseTo(180, 3);
    const h = makeTable('hydrogen bonds', input());
    expect(h.rows[0]![0]).toBe('O2–H2⋯O3');
    expect(h.rows.length).toBe(hydrogenBonds(chain()).length);
  });
  it('claim no s.u. for a model that was never refined', () => {
    const { structure } = input();
    const bare = { ...structure, sites: structure.sites.map(({ positionSu: _p, ...x }) => x) };
    expect(makeTable('bonds', input({ structure: bare })).rows.map((r) => r[1])).toContain('1.342');
  });
  it('order, scale and go out in every form', () => {
    const by = (order: 'by label' | 'by value' | 'as in the model') =>
      makeTable('sites', input(), { hydrogens: true, scaled: true, order }).rows.map((r) => r[0]);
    expect(by('as in the model')).toEqual(['O1', 'C1', 'C2', 'O2', 'H1', 'H2', 'O3']);
    expect(by('by label')).toEqual(['C1', 'C2', 'H1', 'H2', 'O1', 'O2', 'O3']);
    expect(makeTable('sites', input(), { hydrogens: false, scaled: true, order: 'by label' }).rows[0]![1]).toBe(
      '3000(2)',
    );
    const t = makeTable('displacements', input(), { hydrogens: false, scaled: true, order: 'by label' });
    expect(t.rows).toEqual([['O1', '30.0(10)', '40.0(10)', '50.0(10)', '1.0(10)', '2.0(10)', '-3.0(10)']]);
    expect(tableCsv({ ...t, rows: [['a,b', 'c"d']], notes: [] })).toContain('"a,b","c""d"');
    expect(tableHtml({ ...t, title: 'a<b' })).toContain('a&lt;b');
    expect(tableText(t).split('\n')[1]!.split('\t')).toHaveLength(7);
    const data = makeTable('crystal data', input({ readings }));
    expect(Object.fromEntries(data.rows as [string, string][])).toMatchObject({
      'Crystal system, space group': 'triclinic, P −1',
      Z: '2',
      'V, Å³': '504.00(11)',
    });
    for (const kind of TABLE_KINDS) expect(makeTable(kind, input()).title.length).toBeGreaterThan(3);
  });
  it('list every torsion about a middle bond once', () => {
    expect(
      torsionAtoms(chain())
        .map((p) => p.map((x) => siteOf(chain(), x)!.label).join('-'))
        .sort(),
    ).toEqual(['C1-C2-O2-H2', 'H1-O1-C1-C2', 'O1-C1-C2-O2']);
    expect(bonds(chain()).length).toBe(10);
  });
});

describe('the dictionary', () => {
  it('knows each item once, with a meaning, and groups what it asks', () => {
    expect(new Set(DICTIONARY_ITEMS.map((d) => d.tag.toLowerCase())).size).toBe(DICTIONARY_ITEMS.length);
    for (const d of DICTIONARY_ITEMS) expect(d.definition.length).toBeGreaterThan(10);
    for (const s of SUBJECTS) expect(formItems(s).length).toBeGreaterThan(0);
    expect(dictionaryItem('_CELL_LENGTH_A')!.tag).toBe('_cell_length_a');
    expect(missingItems({ kept: {} }).length).toBeGreaterThan(15);
    expect(missingItems(input().experiment).some((d) => d.tag === '_exptl_crystal_colour')).toBe(false);
    expect(experimentValue(input().experiment, '_exptl_crystal_size_mid')).toBe('0.2');
  });
  it('says what is wrong with a value', () => {
    expect(checkItem('_cell_length_a', '12.345(6)')).toBeUndefined();
    expect(checkItem('_cell_length_a', 'twelve')).toContain('not a number');
    expect(checkItem('_cell_angle_alpha', '200')).toContain('above 175');
    expect(checkItem('_space_group_IT_number', '14.5')).toContain('not a whole number');
    expect(checkItem('_refine_ls_matrix_type', 'half')).toContain('none of full');
    expect(checkItem('_audit_creation_date', 'yesterday')).toContain('not a date');
    expect(checkItem('_chemical_formula_sum', 'C2 Xx3')).toBeTruthy();
    expect(checkItem('_cell_length_a', '?')).toBeUndefined();
    expect(checkItem('_some_item_of_others', 'anything')).toBeUndefined();
  });
  it('finds problems in a file by line', () => {
    const text = structureCif(input({ readings, residual: { peak: 0.2, hole: -0.2, sigma: 0.04 } }));
    const of = (t: string): string[] =>
      cifProblems(t)
        .filter((p) => p.line > 1)
        .map((p) => `${p.tag} ${p.says}`);
    expect(of(text)).toEqual([]);
    const lines = text.split('\n'),
      at = lines.findIndex((l) => l.startsWith('_cell_length_b'));
    const broken = text.replace(/_cell_length_b\s+\S+/, '_cell_length_b  wide').replace(/\nO2 O /, '\nO1 O ');
    const found = cifProblems(broken);
    expect(found.find((p) => p.tag === '_cell_length_b')).toMatchObject({ line: at + 1 });
    expect(found.some((p) => p.says.includes('O1 is given twice'))).toBe(true);
    expect(found.some((p) => p.says.includes('O2 is not among the sites'))).toBe(true);
    expect(cifProblems('loop_\n_a 1')[0]!.line).toBe(1);
  });
});

describe('the CIF', () => {
  it('carries the form, explanations and the experimental section, and they come back', () => {
    const text = structureCif(
      input({
        readings,
        explanations: [{ family: 'data', title: 'R_int is 14 %', text: 'The crystal was split.' }],
        experiment: {
          ...input().experiment,
          kept: { _diffrn_source: 'sealed tube', _publ_contact_author_name: 'The Kiln' },
        },
      }),
    );
    const block = parseCif(text)[0]!;
    expect(block.items.get('_diffrn_special_details')!.value).toContain('The crystal was split.');
    expect(block.items.get('_publ_section_exptl_refinement')!.value).toContain('full-matrix least squares');
    const back = recognise(text, 'x.cif')[0]!;
    expect(back.experiment.kept).toMatchObject({
      _diffrn_source: 'sealed tube',
      _publ_contact_author_name: 'The Kiln',
    });
    expect(back.items!['_refine_ls_matrix_type']).toBe('full');
  });
  it('carries the faces of the crystal, and what is no face is told and left out', () => {
    const faces = [
      { hkl: [1, 0, -1] as const, distance: 0.0625 },
      { hkl: [0, 2, 1] as const, distance: 0.14 },
    ];
    const one = input();
    const text = structureCif({ ...one, experiment: { ...one.experiment, faces } });
    expect(recognise(text, 'x.cif')[0]!.experiment.faces).toEqual(faces);
    const broken = text.replace(/^0 2 1 0\.14/m, '0 0 0 0.14\n0 1.5 1 0.2\n1 1 1 -0.3\n0 2 1 0.14');
    const [back] = recognise(broken, 'x.cif');
    expect(back!.experiment.faces).toEqual(faces);
    expect(back!.asides!.filter((a) => a.text.includes('face of the crystal'))).toHaveLength(3);
    const other = text.replace('_exptl_crystal_face_perp_dist', '_exptl_crystal_face_other');
    expect(recognise(other, 'x.cif')[0]!.experiment.faces).toBeUndefined();
  });

  it('keeps every digit when asked to', () => {
    const s = chain();
    const odd = {
      ...s,
      sites: s.sites.map((x) => ({
        ...x,
        position: x.position.map((v) => v + 1.2345e-7) as unknown as Site['position'],
      })),
    };
    const back = recognise(structureCif(input({ structure: odd, exact: true })), 'x.cif')[0]!.structure!;
    back.sites.forEach((x, i) =>
      x.position.forEach((v, k) => expect(Math.abs(v - odd.sites[i]!.position[k]!)).toBeLessThan(1e-8)),
    );
  });
});

describe('sentence and report', () => {
  it('tell what was done and nothing else', () => {
    const text = experimentalSentence(
      input({
        readings,
        treatment: {
          dMin: 0.9,
          twins: [{ law: [-1, 0, 0, 0, 1, 0, 0, 0, -1], fraction: 0.21, su: 0.004, name: 'two-fold about b' }],
        },
      }),
    );
    expect(text).toContain('A red block crystal of 0.3 × 0.2 × 0.1 mm was measured at 150 K');
    expect(text).toContain('P −1');
    expect(text).toContain('two-fold about b with a fraction of 0.210(4)');
    expect(text).toContain('R1 0.0312');
    expect(experimentalSentence(input())).not.toContain('R1');
    expect(
      experimentalSentence({
        ...input(),
        structure: {
          ...chain(),
          sites: chain().sites.map((x) =>
            x.label === 'O3' ? { ...x, occupancy: 0.6, disorder: { assembly: 'A', group: '1' } } : x,
          ),
        },
      }),
    ).toContain('disordered over two places');
  });
  it('is one file that needs nothing from elsewhere', () => {
    const html = reportHtml({
      ...input({ readings }),
      name: 'A <made-up> sample',
      experiment: { ...input().experiment, kept: {} },
      findings: [{ severity: 'must be explained', title: 'A void', detail: 'of 60 Å³', explanation: 'It is empty.' }],
    });
    expect(html.startsWith('<!doctype html>')).toBe(true);
    expect(html).not.toMatch(/(src|href)="(?!#)/);
    expect(html).toContain('A &lt;made-up&gt; sample');
    expect(html).toContain('It is empty.');
    expect(html.match(/<table>/g)!.length).toBeGreaterThanOrEqual(5);
    expect(html).toContain('<svg');
  });
});
