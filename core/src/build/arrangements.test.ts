import { describe, expect, it } from 'vitest';
import { copper, halite, textbook } from '../../../demo/src/textbook.ts';
import { cellContents, type Site, type Structure } from '../crystal/structure.ts';
import type { Mat3 } from '../math/matrix3.ts';
import {
  countArrangements,
  distinctArrangements,
  distinctCells,
  orderedModels,
  orderedUpTo,
  sharedSets,
} from './arrangements.ts';
import { coincident } from './whole-cell.ts';
import { splitSite } from './edit-sites.ts';
import { multiples, namedCell } from './supercell.ts';

const ONE: Mat3 = multiples(1, 1, 1);
/** A crystal with more sites in places it has, or with less in them. */
const mixed = (s: Structure, change: (sites: readonly Site[]) => Site[]): Structure => ({
  ...s,
  sites: change(s.sites),
});

/** Two cations share the place of one, half and half. */
const solution = (share: number): Structure =>
  mixed(halite('Mg', 4.212), ([a, b]) => [
    { ...a!, occupancy: share },
    { ...a!, id: 'mn', label: 'Mn1', element: 'Mn', occupancy: 1 - share },
    b!,
  ]);
const perovskite = textbook('P m -3 m', 3.9, 3.9, [
  ['Sr', 0, 0, 0],
  ['Ti', 0.5, 0.5, 0.5],
  ['O', 0.5, 0.5, 0],
]);

describe('ordered models', () => {
  it.each<[string, Structure, Mat3, number, number]>([
    // Two of four places of a face-centred cell: any two are neighbours.
    ['half and half in the cell of halite', solution(0.5), ONE, 6, 1],
    ['a quarter in the cell of halite', solution(0.25), ONE, 4, 1],
    // Eight places on a simple cubic lattice in a doubled cell, two of them empty: neighbours, across a face, across the body.
    [
      'two empty places of eight',
      mixed(perovskite, ([a, b, c]) => [{ ...a!, occupancy: 0.75 }, b!, c!]),
      multiples(2, 2, 2),
      28,
      3,
    ],
  ])('%s', (_, s, p, total, distinct) => {
    expect(countArrangements(s, p)).toBe(total);
    const found = orderedModels(s, p);
    expect(found.total).toBe(total);
    expect(found.models).toHaveLength(distinct);
    expect(found.models.reduce((n, m) => n + m.multiplicity, 0)).toBe(total);
    const contents = cellContents(s);
    const times = p[0] * p[4] * p[8];
    for (const { structure } of found.models) {
      for (const [e, n] of Object.entries(cellContents(structure))) expect(n).toBeCloseTo(times * contents[e]!, 6);
      expect(coincident(structure)).toEqual([]);
      expect(structure.sites.every((x) => x.occupancy === 1)).toBe(true);
    }
  });

  it('are as many as counting by what each operation keeps says', () => {
    // Burnside: the mean number of arrangements that an operation leaves as they are.
    const orders = [
      [0, 1, 2, 3, 4, 5],
      [1, 2, 3, 4, 5, 0],
      [2, 3, 4, 5, 0, 1],
      [3, 4, 5, 0, 1, 2],
      [4, 5, 0, 1, 2, 3],
      [5, 0, 1, 2, 3, 4],
    ].map((o) => Int32Array.from(o));
    const all = Array.from({ length: 3 ** 6 }, (_, n) =>
      Array.from({ length: 6 }, (__, k) => Math.floor(n / 3 ** k) % 3),
    );
    const kept = orders.map((o) => all.filter((kinds) => kinds.every((x, i) => kinds[o[i]!] === x)).length);
    const expected = kept.reduce((a, b) => a + b, 0) / orders.length;
    const found = distinctArrangements(all, orders);
    expect(found).toHaveLength(expected);
    expect(found.reduce((n, f) => n + f.multiplicity, 0)).toBe(all.length);
  });

  it('are ranked: charges that differ keep apart', () => {
    // Two charges on one simple cubic lattice: alternating in all directions is the best there is.
    const s: Structure = mixed(
      textbook('P m -3 m', 4, 4, [
        ['Sc', 0, 0, 0],
        ['O', 0.5, 0, 0],
      ]),
      ([a, b]) => [
        { ...a!, occupancy: 0.5, charge: 8 },
        { ...a!, id: 'x', label: 'Y1', element: 'Y', occupancy: 0.5, charge: 4 },
        { ...b!, charge: -2 },
      ],
    );
    const { models, total } = orderedModels(s, multiples(2, 2, 2));
    expect(total).toBe(70);
    const energies = models.map((m) => m.energy!);
    expect(energies).toEqual([...energies].sort((p, q) => p - q));
    expect(energies[0]).toBeLessThan(energies[1]! - 0.1);
    // The best one: every neighbour of a place is of the other kind, and there are two ways to do that.
    const [best] = models;
    expect(best!.multiplicity).toBe(2);
    const parity = (element: string) =>
      new Set(
        best!.structure.sites
          .filter((x) => x.element === element)
          .map((x) => x.position.reduce((n, v) => n + Math.round(2 * v), 0) % 2),
      );
    expect(parity('Sc').size).toBe(1);
    expect(parity('Y').size).toBe(1);
  });

  it('are not made where there is nothing to order, nothing whole, or too much', () => {
    expect(sharedSets(halite('Mg', 4.2))).toEqual([]);
    expect(() => orderedModels(halite('Mg', 4.2), ONE)).toThrow(/nothing to order/);
    expect(() => orderedModels(solution(0.4), ONE)).toThrow(/Mn1 fills 2.40 of 4 places/);
    expect(() => orderedModels(solution(0.5), multiples(3, 2, 2))).toThrow(/arrangements, more than/);
  });

  // Numbers of derivative lattices, and of binary arrangements on a face-centred one (Hart & Forcade 2008, Phys. Rev. B 77, 224115).
  it('cells that symmetry makes of one another count once: 1, 2, 3, 7, 5, 10, 7, 20 of a face-centred lattice', () => {
    const primitive = namedCell(copper(), 'primitive').structure;
    expect([1, 2, 3, 4, 5, 6, 7, 8].map((n) => distinctCells(primitive, n).length)).toEqual([1, 2, 3, 7, 5, 10, 7, 20]);
  });

  it('arrangements of up to four cells, halves of two kinds: two of two cells, and of four nineteen less the quarters', () => {
    const s = copper();
    const { models } = orderedUpTo(splitSite(s, s.sites[0]!.id, 'Zn', 0.5).structure, 4);
    expect(models.filter((m) => m.cells === 2)).toHaveLength(2);
    expect(models.filter((m) => m.cells === 4)).toHaveLength(19 - 7 - 7);
    expect(orderedUpTo(splitSite(s, s.sites[0]!.id, 'Zn', 0.25).structure, 4).models).toHaveLength(7);
    expect(() => orderedUpTo(s, 2)).toThrow(/nothing to order/);
  });
});
