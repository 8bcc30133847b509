import { describe, expect, it } from 'vitest';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { hydrogenBonds } from './hydrogen-bonds.ts';

const at = (x: number, y: number, z: number): [number, number, number] => [x / 10, y / 10, z / 10];
const site = (
  label: string,
  element: string,
  position: [number, number, number],
  more: Partial<Structure['sites'][number]> = {},
): Structure['sites'][number] => ({
  id: label,
  label,
  element,
  position,
  positionSu: [1e-4, 1e-4, 1e-4],
  occupancy: 1,
  displacement: { kind: 'iso', u: 0.03 },
  ...more,
});
const box = (sites: Structure['sites'], group = 'P 1'): Structure => ({
  cell: { a: 10, b: 10, c: 10, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol(group),
  sites,
});

describe('hydrogen bonds', () => {
  it('are told by distance and angle, with s.u.', () => {
    const straight = hydrogenBonds(
      box([site('O1', 'O', at(2, 2, 2)), site('H1', 'H', at(2.84, 2, 2)), site('O2', 'O', at(4.7, 2, 2))]),
    );
    expect(straight).toHaveLength(1);
    expect(straight[0]!.ha.value).toBeCloseTo(1.86, 6);
    expect(straight[0]!.da.value).toBeCloseTo(2.7, 6);
    expect(straight[0]!.angle.value).toBeCloseTo(180, 3);
    // Two coordinates of 0.001 Å each along the line.
    expect(straight[0]!.da.su).toBeCloseTo(Math.SQRT2 * 1e-3, 6);
    // At a right angle, too far, or from carbon there is none.
    expect(
      hydrogenBonds(
        box([site('O1', 'O', at(2, 2, 2)), site('H1', 'H', at(2.84, 2, 2)), site('O2', 'O', at(2.84, 4.1, 2))]),
      ),
    ).toEqual([]);
    expect(
      hydrogenBonds(
        box([site('O1', 'O', at(2, 2, 2)), site('H1', 'H', at(2.84, 2, 2)), site('O2', 'O', at(5.9, 2, 2))]),
      ),
    ).toEqual([]);
    expect(
      hydrogenBonds(box([site('C1', 'C', at(2, 2, 2)), site('H1', 'H', at(2.95, 2, 2)), site('O2', 'O', at(5, 2, 2))])),
    ).toEqual([]);
  });
  it('reach copies by symmetry and keep apart what is never there together', () => {
    const s = box([site('O1', 'O', at(0.5, 5, 5)), site('H1', 'H', at(-0.34, 5, 5)), site('N1', 'N', at(7.7, 5, 5))]);
    const [b] = hydrogenBonds(s);
    expect(b!.acceptor.shift).toEqual([-1, 0, 0]);
    const disordered = {
      ...s,
      sites: s.sites.map((x) =>
        x.label === 'N1'
          ? { ...x, disorder: { assembly: 'A', group: '2' } }
          : { ...x, disorder: { assembly: 'A', group: '1' } },
      ),
    };
    expect(hydrogenBonds(disordered)).toEqual([]);
  });
});
