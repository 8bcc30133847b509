import { describe, expect, it } from 'vitest';
import * as textbook from '../../../demo/src/textbook.ts';
import { bonded } from './bonding-proposal.ts';
import { angleTable, bondTable, countedRows, kindSummaries, type LengthRow } from './length-table.ts';

const row = (kind: string, value: number, su = 0): LengthRow => ({
  atoms: [],
  name: `${kind} ${value}`,
  kind,
  value,
  su,
});

describe('tables of lengths and angles', () => {
  it('hold each bond once and each angle of a site', () => {
    const s = bonded(textbook.rutile('Ti', 4.594, 2.959, 0.3053));
    const lengths = bondTable(s),
      angles = angleTable(s);
    // Six of titanium, each listed from the side it leaves, and the three of oxygen from theirs.
    expect(new Set(lengths.map((r) => r.kind))).toEqual(new Set(['Ti–O']));
    expect(angles.filter((r) => r.kind === 'O–Ti–O')).toHaveLength(15);
    expect(angles.filter((r) => r.kind === 'Ti–O–Ti')).toHaveLength(3);
    const right = angles.filter((r) => Math.abs(r.value - 90) < 1e-6).length;
    expect(right).toBe(8);
  });

  it('list a bond across symmetry from one of its ends', () => {
    const base = textbook.textbook('P 1 21/c 1', 7, 9, [
      ['C', 0.06, 0.02, 0.03],
      ['N', -0.06, 0.1, 0.02],
    ]);
    const s = { ...base, cell: { ...base.cell, b: 8, beta: 95 } };
    const names = bondTable(s).map((r) => r.name);
    const across = names.filter((n) => n.includes('(') && n.includes('C1') && n.includes('N2'));
    expect(new Set(names).size).toBe(names.length);
    expect(across.length).toBeLessThanOrEqual(1);
    expect(names.length).toBeGreaterThan(1);
  });

  it('are summed up by kind, with those that stand apart', () => {
    const rows = [1.39, 1.391, 1.389, 1.392, 1.388, 1.47].map((v) => row('C–C', v, 0.002));
    const [cc, co] = kindSummaries([...rows, row('C–O', 1.2), row('C–O', 1.4)]);
    expect(cc).toMatchObject({ kind: 'C–C', count: 6, outliers: ['C–C 1.47'] });
    expect(co!.mean).toBeCloseTo(1.3, 12);
    expect(co!.spread).toBeCloseTo(Math.SQRT2 / 10, 12);
    expect(co!.outliers).toEqual([]);
  });

  it('do not call outlying what is not known well enough', () => {
    const rows = [1.39, 1.391, 1.389, 1.392, 1.388, 1.43].map((v) => row('C–C', v, 0.02));
    expect(kindSummaries(rows)[0]!.outliers).toEqual([]);
  });
});

describe('bonds that symmetry makes equal', () => {
  it('are told once, with how many there are', () => {
    const rows = bondTable(bonded(textbook.rutile('Ti', 4.594, 2.959, 0.3053)));
    const counted = countedRows(rows);
    expect(counted.reduce((n, r) => n + r.times, 0)).toBe(rows.length);
    expect(counted.map((r) => r.times).sort()).toEqual([2, 4]);
  });
});
