import { describe, expect, it } from 'vitest';
import { beyondText, limitingSphere, withinReach } from './reach.ts';
import { parseReflectionList } from '../formats/reflection-list.ts';
import { lineOf, RawBuilder } from './reflections.ts';

const CELL = { a: 7, b: 8, c: 9, alpha: 90, beta: 90, gamma: 90 };

function list(rows: readonly (readonly [number, number, number])[]) {
  const out = new RawBuilder();
  rows.forEach(([h, k, l], i) => out.push(h, k, l, 100 + i, 2, 1 + (i % 2)));
  return out.build(false);
}
const plain = Array.from({ length: 40 }, (_, i) => [i % 7, i % 5, 1 + (i % 6)] as const);

describe('the limiting sphere', () => {
  it('ends at half the wavelength', () => {
    const inside = limitingSphere(CELL, 0.7);
    // Along a*, d = a/h: the last index is 2a/λ = 20.
    expect([inside(20, 0, 0), inside(21, 0, 0)]).toEqual([true, false]);
    expect([inside(0, 22, 0), inside(0, 24, 0)]).toEqual([true, false]);
  });

  it('leaves what lies beyond, tells it by place, and keeps what is known of the rest', () => {
    const { raw, beyond } = withinReach(list([...plain.slice(0, 9), [999, 0, 2], ...plain.slice(9)]), CELL, 0.7);
    expect(raw.count).toBe(40);
    expect(Array.from(raw.batch!).slice(8, 11)).toEqual([1, 1, 2]);
    expect(beyond).toEqual({ count: 1, named: [{ hkl: [999, 0, 2], place: 10 }] });
    expect(beyondText(beyond!)).toBe(
      'One reflection lies beyond what the cell and the wavelength allow (d < λ/2) and was set aside: 999 0 2 (row 10).',
    );
  });

  it('names lines of the file where the list knows them, over comments and rows that were set aside', () => {
    const rows = plain.map(([h, k, l], i) => `${h} ${k} ${l} ${100 + i}.0 2.0`);
    const text = ['# measured', ...rows.slice(0, 9), '1 1 1 5.0 -2.0', '', '999 0 2 4.0 1.0', ...rows.slice(9)].join(
      '\n',
    );
    const read = parseReflectionList(text, { firstLine: 5 }).raw;
    expect([0, 8, 9, 10, 40].map((i) => lineOf(read, i))).toEqual([6, 14, 17, 18, 48]);
    const { raw, beyond } = withinReach(read, CELL, 0.7);
    expect(beyondText(beyond!)).toContain('999 0 2 (line 17)');
    // What is left has other places: its lines are not told any more.
    expect(lineOf(raw, 0)).toBeUndefined();
  });

  it('leaves nothing where many lie beyond: then it is the cell or the wavelength that is wrong', () => {
    const many = list(plain.map(([h, k, l], i) => (i % 3 ? ([h, k, l] as const) : ([40, k, l] as const))));
    const { raw, beyond } = withinReach(many, CELL, 0.7);
    expect(raw).toBe(many);
    expect(beyond).toMatchObject({ count: 14, kept: true });
    expect(beyondText(beyond!)).toMatch(
      /^14 reflections .* the cell or the wavelength is wrong, and all 14 were kept: 40 .* and 6 more\.$/,
    );
    const none = list(plain);
    expect(withinReach(none, CELL, 0.7).raw).toBe(none);
  });
});
