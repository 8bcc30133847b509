/** Tables and sentences of Relate: what they say is what was worked out, and files read back. */
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { recognise } from '@nagare/core/formats/recognise';
import { expectedPattern } from '@nagare/core/powder/expected';
import { tableCsv } from '@nagare/core/publish/tables';
import { seededRandom } from '@nagare/core/math/random';
import { describe, expect, it } from 'vitest';
import { directSum } from '../../../../demo/src/direct-sum.ts';
import { randomCell } from '../../../../demo/src/random-structure.ts';
import { factorTable, layerName, lineTable, spotSize } from './expected-words.ts';
import { faceLoop, formTable } from './shape-words.ts';

const salt: Structure = {
  cell: { a: 5.6402, b: 5.6402, c: 5.6402, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('F m -3 m'),
  sites: [
    { id: 'a', label: 'Na1', element: 'Na', position: [0, 0, 0], occupancy: 1, displacement: { kind: 'iso', u: 0.02 } },
    {
      id: 'b',
      label: 'Cl1',
      element: 'Cl',
      position: [0.5, 0.5, 0.5],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.02 },
    },
  ],
};
const WAVELENGTH = 1.54056;

describe('the table of a calculated pattern', () => {
  const table = lineTable(expectedPattern(salt, { wavelength: WAVELENGTH, from: 10, to: 80, width: 0.1 }), WAVELENGTH);
  const column = (name: string): string[] => table.rows.map((r) => r[table.columns.indexOf(name)]!);

  it('has spacings, angles and multiplicities that belong together', () => {
    expect(table.rows.length).toBeGreaterThan(5);
    table.rows.forEach((row, i) => {
      const [h, k, l] = row.slice(0, 3).map(Number) as [number, number, number];
      const d = salt.cell.a / Math.hypot(h, k, l);
      expect(Number(column('d, Å')[i])).toBeCloseTo(d, 4);
      expect(Number(column('2θ, °')[i])).toBeCloseTo((360 / Math.PI) * Math.asin(WAVELENGTH / (2 * d)), 3);
      const [a, b] = directSum(salt, h, k, l, WAVELENGTH);
      expect(Number(column('|F|²')[i]) / (a * a + b * b)).toBeCloseTo(1, 4);
    });
    expect(column('I, %').map(Number)).toContain(100);
    expect(column('multiplicity').slice(0, 4)).toEqual(['8', '6', '12', '24']);
  });

  it('is written with one comma less than columns in each line', () => {
    const lines = tableCsv(table)
      .trim()
      .split('\n')
      .filter((l) => /^-?\d/.test(l));
    expect(lines).toHaveLength(table.rows.length);
    for (const line of lines) expect(line.split(',')).toHaveLength(table.columns.length);
  });
});

describe('layers and spots', () => {
  it('are named by the index that stands still, with a true minus', () => {
    expect([layerName(0, 0), layerName(1, -2), layerName(2, 3)]).toEqual(['0 k l', 'h −2 l', 'h k 3']);
  });
  it('spots have areas that go with |F|', () => {
    expect(spotSize(25, 100)).toBe(0.5);
    expect(spotSize(100, 100)).toBe(1);
    expect(spotSize(3, 0)).toBe(0);
  });
  it('structure factors keep their phases', () => {
    const rows = factorTable([{ h: 1, k: -1, l: 2, d: 1.23456789, f: 12.34567, phase: -179.999 }]).rows;
    expect(rows).toEqual([['1', '-1', '2', '1.23457', '12.346', '-180.00']]);
  });
});

describe('faces of a crystal', () => {
  it('are written as a loop that is read again', () => {
    const random = seededRandom(5);
    const { a, b, c, alpha, beta, gamma } = randomCell(spaceGroupFromSymbol('P -1'), random);
    const faces = [
      [1, 0, 0],
      [-1, 0, 0],
      [0, 1, 2],
      [0, -1, -2],
      [1, 1, -3],
    ].map((hkl) => ({
      hkl: hkl as unknown as readonly [number, number, number],
      distance: 0.05 + 0.1 * random.next(),
    }));
    const text = [
      'data_x',
      ...[a, b, c].map((x, i) => `_cell_length_${'abc'[i]} ${x}`),
      ...[alpha, beta, gamma].map((x, i) => `_cell_angle_${['alpha', 'beta', 'gamma'][i]} ${x}`),
      faceLoop(faces as never),
    ].join('\n');
    const back = recognise(text, 'x.cif')[0]!.experiment.faces!;
    expect(back.map((f) => f.hkl)).toEqual(faces.map((f) => f.hkl));
    back.forEach((f, i) => expect(f.distance).toBeCloseTo(faces[i]!.distance, 4));
  });

  it('a table of forms says where it comes from, with attachment energies where there are some', () => {
    const forms = [
      { hkl: [1, 0, 0], faces: [{}, {}], area: 0.6, distance: 1.25 },
      { hkl: [0, 1, 1], faces: [{}, {}, {}, {}], area: 0.4, distance: 2 },
    ] as never;
    const plain = formTable(forms, 'a plate', 'spacings');
    expect(plain.rows).toEqual([
      ['{1 0 0}', '2', '60.00', '1.2500'],
      ['{0 1 1}', '4', '40.00', '2.0000'],
    ]);
    expect(plain.notes[0]).toMatch(/^Habit: a plate\. From the spacings/);
    const gained = formTable(forms, 'a plate', 'energies', new Map([['1,0,0', -31.26]]));
    expect(gained.columns.at(-1)).toBe('attachment, kJ/mol');
    expect(gained.rows.map((r) => r.at(-1))).toEqual(['-31.3', '']);
  });
});
