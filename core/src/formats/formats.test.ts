import { describe, expect, it } from 'vitest';
import { CifWriter, cifValue } from '../publish/cif-writer.ts';
import { FileProblem, INAPPLICABLE, itemText, parseCif, UNKNOWN } from './cif-parser.ts';
import { readReflections } from './cif-reflections.ts';
import { readStructure } from './cif-sites.ts';
import { recognise } from './recognise.ts';
import { Asides } from './asides.ts';
import { groupOrder } from '../crystal/space-group.ts';
import { detectLayout, parseReflectionList } from './reflection-list.ts';

const SYNTAX = `#\\#CIF_1.1
data_one # a comment
_cell.length_a 7.21(3)
_Cell_Length_B   '8.1 # not a comment'
_a_quote 'it''s O'Neil' _b "say 'x' now"
_text
;first
 second ; not the end
;
_folded
;\\
a long line that is \\
continued
;
_unknown ? _none . _quoted_mark '?'
loop_
_x _y.z
1 'two words' # row one
3 .
data_two
_only 1
`;

describe('CIF syntax', () => {
  const [one, two] = parseCif(SYNTAX);
  it('keeps blocks, items, quotes, text fields and folding apart', () => {
    expect([one!.name, two!.name]).toEqual(['one', 'two']);
    expect(itemText(one!, '_cell_length_a')).toBe('7.21(3)');
    expect(itemText(one!, '_cell_length_b')).toBe('8.1 # not a comment');
    expect(itemText(one!, '_a_quote')).toBe("it''s O'Neil");
    expect(itemText(one!, '_b')).toBe("say 'x' now");
    expect(itemText(one!, '_text')).toBe('first\n second ; not the end');
    expect(itemText(one!, '_folded')).toBe('a long line that is continued');
    expect(one!.items.get('_unknown')!.value).toBe(UNKNOWN);
    expect(one!.items.get('_none')!.value).toBe(INAPPLICABLE);
    expect(one!.items.get('_quoted_mark')!.value).toBe('?');
    expect(one!.loops[0]).toMatchObject({ tags: ['_x', '_y_z'], values: ['1', 'two words', '3', INAPPLICABLE] });
  });

  it('reads every kind of line end', () => {
    for (const end of ['\n', '\r\n', '\r'])
      expect(itemText(parseCif(SYNTAX.replace(/\n/g, end))[0]!, '_text')!.split(/\r\n|\n|\r/)).toEqual([
        'first',
        ' second ; not the end',
      ]);
  });

  it.each([
    ['data_a\n_x 1\n_y\n;never closed\n', 4, /never closed/],
    ["data_a\n_x 'open\n", 2, /not closed on its line/],
    ['data_a\nloop_\n_p _q\n1 2 3\n', 2, /2 columns but 3 values/],
    ['_x 1\n', 1, /begin with a data block/],
    ['data_a\n_x 1\n_x 2\n', 3, /given twice/],
    ['data_a\n_x\n_y 2\n', 2, /has no value/],
    ['data_a\n_x 1 2\n', 2, /Text with blanks needs quotes/],
    ['data_a\ndata_a\n', 2, /already opened on line 1/],
    ['data_a\nloop_\n_p _p\n1 2\n', 3, /twice/],
  ])('says where %j breaks', (text, line, message) => {
    try {
      parseCif(text);
      expect.unreachable();
    } catch (e) {
      expect(e).toBeInstanceOf(FileProblem);
      expect((e as FileProblem).line).toBe(line);
      expect((e as Error).message).toMatch(message);
    }
  });

  it('comes back from the writer unchanged', () => {
    const odd = [
      'plain',
      'two words',
      "it's",
      'say "so"',
      `both ' and " here`,
      'line\nbreak',
      '_tag',
      'data_x',
      '#hash',
      ';semi',
      '\\folded\nlook',
      "ends'",
      'a;b',
      '$x',
      '[y]',
      'loop_',
    ];
    const w = new CifWriter('round trip');
    odd.forEach((v, i) => w.item(`_v_${i}`, v));
    w.loop(
      ['_l_a', '_l_b'],
      [
        ['x y', 1],
        ['', 2.5],
      ],
    );
    const [block] = parseCif(w.toString());
    odd.forEach((v, i) => expect(itemText(block!, `_v_${i}`)!.trim()).toBe(v.trim()));
    expect(block!.loops[0]!.values).toEqual(['x y', '1', UNKNOWN, '2.5']);
    expect(cifValue(NaN)).toBe('?');
  });
});

const CELL =
  '_cell_length_a 7\n_cell_length_b 8\n_cell_length_c 9\n_cell_angle_alpha 90\n_cell_angle_beta 100\n_cell_angle_gamma 90\n';

describe('single-crystal data in CIF', () => {
  it('come from unmerged, merged F², merged F and embedded lists', () => {
    const from = (body: string) => readReflections(parseCif(`data_d\n${CELL}${body}`)[0]!)!;
    const a = from(
      'loop_\n_diffrn_refln.index_h\n_diffrn_refln.index_k\n_diffrn_refln.index_l\n_diffrn_refln.intensity_net\n_diffrn_refln.intensity_net_su\n1 2 -3 45.6 1.2\n0 0 2 -1.5 0.9\n',
    );
    expect([a.raw.count, a.raw.merged, a.raw.l[0], a.raw.intensity[1], a.raw.sigma[1]]).toEqual([
      2,
      false,
      -3,
      -1.5,
      0.9,
    ]);
    const b = from(
      'loop_\n_refln_index_h\n_refln_index_k\n_refln_index_l\n_refln_F_squared_meas\n_refln_F_squared_sigma\n_refln_observed_status\n1 2 -3 45.6 1.2 o\n1 0 0 ? ? x\n',
    );
    expect([b.raw.count, b.raw.merged]).toEqual([1, true]);
    const c = from(
      'loop_\n_refln_index_h\n_refln_index_k\n_refln_index_l\n_refln_F_meas\n_refln_F_sigma\n1 2 -3 10 0.1\n',
    );
    expect([c.raw.intensity[0], c.raw.sigma[0]]).toEqual([100, 2]);
    const list = Array.from({ length: 12 }, (_, i) => `   1   2  ${String(i).padStart(2)}  123.45    6.78`).join('\n');
    const d = from(`_some_list\n;\n${list}\n   0   0   0    0.00    0.00\n;\n`);
    expect([d.raw.count, d.raw.l[11], d.raw.intensity[0]]).toEqual([12, 11, 123.45]);
  });

  it('are refused with the row that is wrong', () => {
    expect(() =>
      readReflections(
        parseCif(
          `data_d\n${CELL}loop_\n_diffrn_refln_index_h\n_diffrn_refln_index_k\n_diffrn_refln_index_l\n_diffrn_refln_intensity_net\n1 2 3 4\n1 x 3 4\n`,
        )[0]!,
      ),
    ).toThrow(/row 2 .*1 x 3 4/);
    expect(() =>
      recognise(`data_d\n${CELL.replace('_cell_angle_beta 100', '_cell_angle_beta oblique')}`, 'x.cif'),
    ).toThrow(/Line 6: _cell_angle_beta is "oblique"/);
    expect(() => recognise(`data_d\n${CELL.replace('_cell_length_b 8\n', '')}`, 'x.cif')).toThrow(
      /_cell_length_b is missing/,
    );
  });

  it('name their group by a symbol, or by its number; the cell tells the axes of a rhombohedral lattice', () => {
    const block = (group: string, [a, alpha, c, gamma]: readonly number[]): string =>
      `data_x\n_cell_length_a ${a}\n_cell_length_b ${a}\n_cell_length_c ${c}\n_cell_angle_alpha ${alpha}\n_cell_angle_beta ${alpha}\n_cell_angle_gamma ${gamma}\n${group}\nloop_\n_atom_site_label\n_atom_site_fract_x\n_atom_site_fract_y\n_atom_site_fract_z\nC1 0.1 0.2 0.3\n`;
    const SYMBOL = "_space_group_name_H-M_alt 'R -3 c'",
      NUMBER = '_space_group_IT_number 167';
    const HEXAGONAL = [5, 90, 17, 120],
      RHOMBOHEDRAL = [6.4, 46.1, 6.4, 46.1];
    const found = (group: string, cell: readonly number[]) => recognise(block(group, cell), 'x.cif')[0]!;
    for (const group of [SYMBOL, NUMBER]) {
      expect(groupOrder(found(group, HEXAGONAL).spaceGroup!)).toBe(36);
      expect(groupOrder(found(group, RHOMBOHEDRAL).spaceGroup!)).toBe(12);
    }
    expect(found(SYMBOL, HEXAGONAL).asides).toBeUndefined();
    expect(found(NUMBER, HEXAGONAL).asides![0]!.text).toMatch(/told by its number 167 only: R −3 c was taken/);
  });

  it('may have one operator and one site as items of their own; Cartesian coordinates are told of', () => {
    const cell = ['a 5', 'b 6', 'c 7'].map((x) => `_cell_length_${x}\n`).join('');
    const head = `data_x\n${cell}${['alpha', 'beta', 'gamma'].map((x) => `_cell_angle_${x} 90\n`).join('')}`;
    const operator = "_symmetry_equiv_pos_as_xyz 'x,y,z'\n";
    const site = '_atom_site_label Fe1\n_atom_site_fract_x 0.1(2)\n_atom_site_fract_y 0.2\n_atom_site_fract_z 0.3\n';
    const { structure } = recognise(head + operator + site, 'x.cif')[0]!;
    expect(structure!.spaceGroup.symbol).toBe('P 1');
    expect(structure!.sites.map((x) => [x.element, ...x.position])).toEqual([['Fe', 0.1, 0.2, 0.3]]);
    const [found] = recognise(head + operator + site.replaceAll('fract', 'Cartn'), 'x.cif');
    expect(found!.structure).toBeUndefined();
    expect(found!.asides![0]!.text).toContain('Cartesian coordinates only');
  });

  it('with sites give a structure in the names of either dictionary', () => {
    const body = `${CELL}_space_group_name_H-M_alt 'P 21/c'\nloop_\n_atom_site.label\n_atom_site.type_symbol\n_atom_site.fract_x\n_atom_site.fract_y\n_atom_site.fract_z\n_atom_site.U_iso_or_equiv\nCL1 CL 0.1(2) 0.2 0.3 0.04(1)\nC1 C 0.4 0.5 0.6 0.05\nloop_\n_atom_site_aniso_label\n_atom_site_aniso_U_11\n_atom_site_aniso_U_22\n_atom_site_aniso_U_33\n_atom_site_aniso_U_12\n_atom_site_aniso_U_13\n_atom_site_aniso_U_23\nC1 .01 .02 .03 .001 .002 .003\n`;
    const s = readStructure(parseCif(`data_s\n${body}`)[0]!)!;
    expect(s.spaceGroup.number).toBe(14);
    expect(s.sites.map((x) => [x.element, x.displacement.kind])).toEqual([
      ['Cl', 'iso'],
      ['C', 'aniso'],
    ]);
    expect(s.sites[1]!.displacement.u).toEqual([0.01, 0.02, 0.03, 0.001, 0.002, 0.003]);
    expect(() =>
      readStructure(parseCif(`data_s\n${body.replace("_space_group_name_H-M_alt 'P 21/c'", '')}`)[0]!),
    ).toThrow(/neither symmetry operators nor/);
  });
});

describe('plain reflection lists', () => {
  it('are read in columns that run together', () => {
    const text =
      '   1   2   312345.67 1234.50   1\n -10 -12 -13-1234.56   12.30   2\n   0   0   4   10.00    1.00   1\n   0   0   0    0.00    0.00   0\nwhat follows is not read\n';
    const { raw, layout, terminated } = parseReflectionList(text);
    expect([layout, terminated, raw.count]).toEqual(['fixed columns', true, 3]);
    expect(Array.from(raw.h)).toEqual([1, -10, 0]);
    expect(Array.from(raw.intensity)).toEqual([12345.67, -1234.56, 10]);
    expect(Array.from(raw.batch!)).toEqual([1, 2, 1]);
  });

  it('are read with blanks, to the end of the file', () => {
    const { raw, layout, terminated } = parseReflectionList(
      '# h k l I s\n1 0 0 5.0 0.2\n-1 0 0 5.1 0.2\r\n2 0 0 1e3 12',
    );
    expect([layout, terminated, raw.count, raw.intensity[2], raw.batch]).toEqual([
      'blank-separated',
      false,
      3,
      1000,
      undefined,
    ]);
  });

  it('say on which line they break', () => {
    expect(() => parseReflectionList('1 0 0 5.0 0.2\n1 0 0 5.0 0.2\n2 0 x 5 1\n')).toThrow(
      /Line 3: expected h k l I σ but found "2 0 x 5 1"/,
    );
    expect(() => parseReflectionList('0 0 0 0 0\n')).toThrow(/no reflections/);
    expect(detectLayout('Dear reader,\nthis is a letter.\n')).toBeUndefined();
  });

  it('may have a heading that names their columns, but not amplitudes', () => {
    const rows = '1 0 0 5.0 0.2\n2 0 0 7.0 0.3\n';
    for (const heading of ['h k l I sigma', 'h,k,l,Fo^2,sig', '"H" "K" "L" "F2obs" "su"', 'h\tk\tl\tint\tsu\tbatch'])
      expect([...parseReflectionList(`${heading}\n${rows}`).raw.intensity], heading).toEqual([5, 7]);
    for (const heading of ['h k l Fobs sigma', 'h k l |Fo| s', 'h,k,l,F,sF'])
      expect(() => parseReflectionList(`${heading}\n${rows}`), heading).toThrow(/names amplitudes/);
    expect(() => parseReflectionList(`${rows}h k l I sigma\n${rows}`)).toThrow('Line 3: expected h k l I σ');
  });

  it('are read where numbers touch, and go on where one overflowed its columns', () => {
    const good = '   1   2   3 1234.50   10.10';
    const { raw } = parseReflectionList(['-112-112 103-10540.81   13.30', good, good].join('\n'));
    expect([raw.h[0], raw.k[0], raw.l[0], raw.intensity[0], raw.sigma[0]]).toEqual([-112, -112, 103, -10540.81, 13.3]);
    const asides = new Asides();
    const left = parseReflectionList(
      [good, '   1   2   4********   10.10', '   1   2   5    8.00    2.10'].join('\n'),
      {
        asides,
      },
    );
    expect([...left.raw.l]).toEqual([3, 5]);
    expect(asides.all().map((x) => x.text)).toEqual([
      'one reflection whose intensity is not a number within ±10¹⁵ was set aside (line 2).',
    ]);
  });

  it('of half a million rows lose nothing', () => {
    const rows = Array.from(
      { length: 500_000 },
      (_, i) => `${1 + (i % 40)} ${Math.floor(i / 40) % 50} ${i % 7} ${i}.5 1.25`,
    );
    const { raw } = parseReflectionList(rows.join('\n'));
    expect(raw.count).toBe(500_000);
    expect(raw.intensity[499_999]).toBe(499_999.5);
  });
});

describe('recognition', () => {
  it('is one sentence', () => {
    const [found] = recognise('1 0 0 5.0 0.2\n2 0 0 5.0 0.2\n', 'glaze.txt');
    expect(found!.sentence).toBe(
      '2 reflections in blank-separated columns; the cell and the wavelength are still to be given.',
    );
  });

  it.each([
    ['', /is empty/],
    ['PNG\u0000\u0001', /binary file/],
    ['Dear reader', /was not recognised.*Dear reader/],
    ['data_x\n_note hello\n', /neither a cell, reflections, atom sites nor a powder pattern/],
  ])('of %j says what to do', (text, message) => {
    expect(() => recognise(text, 'file.dat')).toThrow(message);
  });
});
