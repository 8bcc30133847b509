/** Texts that no instrument wrote: taken in linear time, and no nonsense taken for data. */
import { describe, expect, it } from 'vitest';
import { asideText } from './asides.ts';
import { FileProblem } from './cif-parser.ts';
import { recognise, type Recognised } from './recognise.ts';
import { decodeText } from './text.ts';

const CELL = `_cell_length_a 7.1
_cell_length_b 8.2
_cell_length_c 9.3
_cell_angle_alpha 90
_cell_angle_beta 90
_cell_angle_gamma 90
`;
const GROUP = `loop_
_space_group_symop_operation_xyz
x,y,z
-x,-y,-z
`;

const only = (text: string): Recognised => recognise(text, 'probe.cif')[0]!;
const told = (r: Recognised): string[] => (r.asides ?? []).map(asideText);

function refusal(text: string): FileProblem {
  try {
    recognise(text, 'probe.cif');
  } catch (e) {
    expect(e).toBeInstanceOf(FileProblem);
    return e as FileProblem;
  }
  throw new Error('This was taken.');
}

const structureFile = (sites: string, more = '', group = GROUP): string =>
  `data_probe\n${CELL}${group}loop_\n_atom_site_label\n_atom_site_type_symbol\n_atom_site_fract_x\n_atom_site_fract_y\n_atom_site_fract_z\n_atom_site_U_iso_or_equiv\n_atom_site_occupancy\n${sites}\n${more}`;

const listFile = (rows: string, more = ''): string =>
  `data_probe\n${CELL}${more}loop_\n_diffrn_refln_index_h\n_diffrn_refln_index_k\n_diffrn_refln_index_l\n_diffrn_refln_intensity_net\n_diffrn_refln_intensity_sigma\n${rows}\n`;

describe('numbers that are none', () => {
  it('refuses a position beyond all numbers, with its line', () => {
    const problem = refusal(structureFile('C1 C 1e999 0.1 0.2 0.03 1'));
    expect(problem.message).toMatch(/coordinates of C1.*x is "1e999"/);
    expect(problem.line).toBe(20);
  });

  it('says what it took for a displacement and an occupancy that cannot be read', () => {
    const r = only(structureFile('C1 C 0.1 0.1 0.2 abc 1\nN1 N 0.3 0.1 0.2 0.03 xyz'));
    const [c, n] = r.structure!.sites;
    expect(c!.displacement).toMatchObject({ kind: 'iso', assumed: true });
    expect(n!.occupancy).toBe(1);
    expect(told(r)).toEqual([
      'Line 20: U of C1 is "abc", which is no displacement in Å²; 0.04 Å² is assumed for it.',
      'Line 21: the occupancy of N1 is "xyz", which is not a number from 0 to 1; it was taken as 1.',
    ]);
  });

  it('keeps the tensors of two sites of one name apart', () => {
    const aniso = `loop_
_atom_site_aniso_label
_atom_site_aniso_U_11
_atom_site_aniso_U_22
_atom_site_aniso_U_33
_atom_site_aniso_U_12
_atom_site_aniso_U_13
_atom_site_aniso_U_23
C1 0.01 0.02 0.03 0 0 0
C1 0.04 0.05 0.06 0 0 0
`;
    const r = only(structureFile('C1 C 0.1 0.1 0.2 0.02 1\nC1 C 0.3 0.1 0.2 0.05 1', aniso));
    expect(r.structure!.sites.map((s) => s.displacement.kind === 'aniso' && s.displacement.u[0])).toEqual([0.01, 0.04]);
    expect(told(r)).toEqual([expect.stringMatching(/^Line 21: a site named C1 stood on line 20 already/)]);
  });

  it('leaves out what an experiment cannot have been', () => {
    const r = only(
      `data_probe\n${CELL}_cell_formula_units_Z -4\n_diffrn_ambient_temperature -5\n_diffrn_radiation_wavelength 70\n`,
    );
    expect(r.experiment).toEqual({ kept: {} });
    expect(told(r)).toHaveLength(3);
    expect(told(r)[1]).toMatch(/^Line 9: the temperature is "-5"/);
  });

  it('reads no s.u. beyond all numbers', () => {
    expect(refusal(`data_probe\n${CELL.replace('7.1\n', `7.1(${'9'.repeat(400)})\n`)}`).message).toMatch(
      /not a number/,
    );
  });

  it.each([
    ['x+1/0,y,z', /divides by zero/],
    ['x+0.123456,y,z', /no simple fraction/],
    ['1/2*x,y,z', /by a fraction/],
    ['x+y+z,y,x', /neither a rotation nor a reflection/],
  ])('refuses the operator %s with its line', (operator, says) => {
    const problem = refusal(structureFile('C1 C 0.1 0.1 0.2 0.02 1', '', GROUP.replace('-x,-y,-z', `'${operator}'`)));
    expect(problem.message).toMatch(says);
    expect(problem.line).toBe(11);
  });

  it('takes thirds that were cut short for thirds', () => {
    const group = GROUP.replace('-x,-y,-z', "'-y,x-y,z+0.333'\n'-x+y,-x,z+0.667'");
    expect(only(structureFile('C1 C 0.1 0.1 0.2 0.02 1', '', group)).spaceGroup!.representatives).toHaveLength(3);
  });
});

describe('reflections that cannot be', () => {
  const rows = Array.from({ length: 30 }, (_, i) => `${i % 7} ${i % 5} ${1 + (i % 6)} ${100 + i} 2.5`);

  it('sets aside indices that do not fit sixteen bits', () => {
    const r = only(listFile([...rows, '65541 1 1 55 2'].join('\n')));
    expect(r.raw!.count).toBe(30);
    expect(told(r)).toEqual(['One reflection with an index beyond ±1000 was set aside (line 44).']);
  });

  it('sets aside what the wavelength cannot reach', () => {
    const r = only(listFile([...rows, '99 1 1 55 2'].join('\n'), '_diffrn_radiation_wavelength 0.71073\n'));
    expect(r.raw!.count).toBe(30);
    expect(told(r)[0]).toMatch(
      /^One reflection beyond what the cell and the wavelength allow .* set aside \(line 45\)\./,
    );
  });

  it('keeps them where they are many, and says that cell or wavelength is wrong', () => {
    const r = only(listFile(rows.join('\n'), '_diffrn_radiation_wavelength 4.1\n'));
    expect(r.raw!.count).toBe(30);
    expect(told(r)).toHaveLength(1);
    expect(told(r)[0]).toMatch(
      /^\d\d of 30 reflections lie beyond .* all were kept\. Check the cell and the wavelength\.$/,
    );
  });

  it('sets aside values and s.u. that are no positive numbers', () => {
    const r = recognise(
      [...rows, '1 2 3 55 0', '1 2 4 55 -3', '1 2 5 1e999 3', '1 2 6 55 1e999'].join('\n'),
      'probe.hkl',
    )[0]!;
    expect(r.raw!.count).toBe(30);
    expect(told(r)).toEqual([
      '3 reflections whose s.u. is not a positive number were set aside (lines 31, 32 and 34).',
      'One reflection whose intensity is not a number within ±10¹⁵ was set aside (line 33).',
    ]);
  });

  it('refuses a list without one usable reflection', () => {
    expect(refusal(rows.map((r) => r.replace(/2\.5$/, '0')).join('\n')).message).toMatch(/positive σ/);
  });

  it('gives the same answer with any line end, mark and encoding', () => {
    const text = [...rows, '1 2 3 12.5 3.5'].join('\n');
    const plain = recognise(text, 'a.hkl')[0]!.raw;
    const comma = text.replace(/\./g, ',');
    const wide = (s: string): Uint8Array => new Uint8Array(Uint16Array.from(s, (c) => c.charCodeAt(0)).buffer);
    for (const same of [
      text.replace(/\n/g, '\r\n'),
      text.replace(/\n/g, '\r'),
      `\ufeff${text}`,
      comma,
      decodeText(wide(`\ufeff${text}`)),
      decodeText(wide(text)),
      decodeText(new TextEncoder().encode(text)),
    ])
      expect(recognise(same, 'a.hkl')[0]!.raw).toEqual(plain);
  });

  it('reads letters of one byte as they were meant', () => {
    expect(decodeText(Uint8Array.of(0x4e, 0xe4, 0x68, 0x65))).toBe('Nähe');
  });
});

describe('patterns that cannot be', () => {
  const points = (n: number, from = 10): string[] =>
    Array.from({ length: n }, (_, i) => `${(from + 0.02 * i).toFixed(3)} ${100 + (i % 9)}`);

  it('takes more points than a call has arguments', () => {
    const many = Array.from({ length: 150_000 }, (_, i) => `${(5 + 0.001 * i).toFixed(3)} ${100 + (i % 9)}`);
    expect(recognise(many.join('\n'), 'a.xy')[0]!.powder!.pattern.twoTheta).toHaveLength(150_000);
  });

  it('sets aside what lies beyond the circle and says so', () => {
    const r = recognise(points(120, 178.5).join('\n'), 'a.xy')[0]!;
    expect(r.powder!.pattern.twoTheta.at(-1)).toBe(180);
    expect(told(r)[0]).toMatch(/44 points whose 2θ belongs to no 2θ between 0 and 180° were set aside/);
  });

  it('refuses a pattern of zeros and one 2θ given twice', () => {
    expect(
      refusal(
        points(50)
          .map((p) => `${p.split(' ')[0]} 0`)
          .join('\n'),
      ).message,
    ).toMatch(/every intensity is zero/);
    const twice = points(50).map((p, i) => p.replace(' ', i === 30 ? ' ' : ' '));
    const cif = `data_p\nloop_\n_pd_meas_2theta_scan\n_pd_meas_counts_total\n${[...twice, twice[30]!].join('\n')}\n`;
    const problem = refusal(cif);
    expect(problem.message).toMatch(/at two points/);
    expect(problem.line).toBe(55);
  });

  it('gives points without a positive s.u. the smallest of the file', () => {
    const r = recognise(
      points(50)
        .map((p, i) => `${p} ${i === 7 ? 0 : 3 + (i % 4)}`)
        .join('\n'),
      'a.xye',
    )[0]!;
    expect(r.powder!.pattern.sigma[7]).toBe(3);
    expect(told(r)).toHaveLength(1);
  });
});

describe('long texts', () => {
  const cases: Record<string, (n: number) => string> = {
    'a number of digits': (n) => structureFile(`C1 C ${'1'.repeat(40 * n)}x 0.1 0.2 0.03 1`),
    'a comment and blanks': (n) => `#${' '.repeat(100 * n)}\n${' \n'.repeat(50 * n)}x`,
    'data blocks': (n) => Array.from({ length: 20 * n }, (_, i) => `data_b${i}`).join('\n'),
    'names of a loop': (n) =>
      `data_a\nloop_\n${Array.from({ length: 50 * n }, (_, i) => `_n${i}`).join('\n')}\n${'1 '.repeat(50 * n)}`,
    operators: (n) =>
      structureFile(
        'C1 C 0.1 0.1 0.2 0.03 1',
        '',
        `loop_\n_space_group_symop_operation_xyz\n${'x,y,z\n'.repeat(300 * n)}`,
      ),
    'a line of words': (n) => 'word '.repeat(100 * n),
    'a formula': (n) => `data_a\n${CELL}_chemical_formula_sum '${'C1'.repeat(100 * n)}'\n`,
    'an open bracket': (n) => `3\nLattice="[[[${'[]'.repeat(100 * n)}"\nC 0 0 0\nC 0 0 1\nC 0 1 0`,
  };
  it.each(Object.keys(cases))('reads %s or refuses it before long', (name) => {
    // Sizes at which the quadratic readers of before took minutes; the runner's own limit ends the test where one comes back.
    const text = cases[name]!(1000);
    let outcome: string;
    try {
      outcome = `read ${recognise(text, 'long.txt').length}`;
    } catch (e) {
      expect(e).toBeInstanceOf(FileProblem);
      outcome = (e as Error).message;
    }
    // A sentence, however long the text was.
    expect(outcome.length).toBeLessThan(600);
  });
});
