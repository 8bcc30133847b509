import { describe, expect, it } from 'vitest';
import type { Void, VoidCurve } from '@nagare/core/space/voids';
import type { VoidFigures } from '@nagare/core/tasks/voids-task';
import { alike, kindWords, voidState, voidTable } from './void-words.ts';

const hole: Void = { kind: 'closed', directions: [], reached: 1, touched: 30, centre: [0, 0, 0.5], sphere: 3.1 };
const tunnel: Void = {
  kind: 'channel',
  directions: [[0, 0, 1]],
  reached: 10,
  touched: 80,
  centre: [0.5, 0.5, 0],
  sphere: 4,
  window: 3,
};
const figures = (voids: readonly Void[]): VoidFigures => ({
  probe: 1.2,
  cell: 1000,
  reached: voids.reduce((n, v) => n + v.reached, 0),
  touched: voids.reduce((n, v) => n + v.touched, 0),
  voids,
  packing: 0.7,
});
const curve = (largest: number): VoidCurve => ({
  points: [0, 0.4, 0.8, 1.2].map((radius) => ({ radius, reached: 40 - 30 * radius, touched: 100 - 70 * radius })),
  largest,
});

describe('empty space in words', () => {
  it('tells how much there is, and how it hangs together', () => {
    expect(voidState(figures([tunnel]), curve(1.6))).toBe(
      '8.0 % of the cell, 80 Å³, for a probe of 1.20 Å: channel along [0 0 1].',
    );
    expect(voidState(figures([tunnel, hole]), curve(1.6))).toContain('2 voids');
    expect(kindWords({ kind: 'layer', directions: [[1, 0, 0], [0, 1, 0]] })).toBe('layer with [1 0 0] and [0 1 0]'); // prettier-ignore
  });

  it('where there is nothing, from where on there is something', () => {
    expect(voidState(figures([]), curve(0.83))).toBe(
      'Nothing for a probe of 1.20 Å. The largest that fits has 0.83 Å; one of 0.40 Å touches 7.2 %.',
    );
  });

  it('counts what is alike, and lists all in the table', () => {
    expect(alike([hole, tunnel, hole]).map((x) => x.count)).toEqual([2, 1]);
    const { rows } = voidTable(figures([tunnel, hole]));
    expect(rows[0]!.slice(0, 3)).toEqual(['channel along [0 0 1]', '80.0', '8.00']);
    expect(rows[1]!.at(-1)).toBe('–');
  });
});
