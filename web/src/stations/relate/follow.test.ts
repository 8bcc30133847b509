import { describe, expect, it } from 'vitest';
import { SHIPPED } from '@nagare/core/contacts/definition';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { PAPER_COLOURS } from '@nagare/core/draw/colours';
import { contactsOf } from '@nagare/core/tasks/contacts-task';
import { drawnContacts } from '@nagare/core/depict/contact-lines';
import { moleculeAt } from './drawing.ts';
import { betweenCentroids, bindingRule, openEndsOf, shellOf, stepFrom, untilItRepeats } from './follow.ts';

const definitions = [SHIPPED[0]!];

function crystal(
  symbol: string,
  edges: readonly [number, number, number],
  atoms: readonly [string, number, number, number][],
): Structure {
  const [a, b, c] = edges;
  return {
    cell: { a, b, c, alpha: 90, beta: 90, gamma: 90 },
    spaceGroup: spaceGroupFromSymbol(symbol),
    sites: atoms.map(([label, x, y, z]) => ({
      id: label,
      label,
      element: label[0]!,
      position: [x / a, y / b, z / c],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.02 },
    })),
  };
}
/** A chain by a screw axis along b: two amides make its repeat. */
const chain = crystal('P 1 21 1', [14, 9.6, 14], [
  ['C1', 3, 0, 3],
  ['O1', 3, 1.23, 3],
  ['N1', 4.12, -0.72, 3],
  ['H1', 4.12, -1.62, 3],
  ['C2', 1.7, -0.75, 3],
]); // prettier-ignore
const dimer = crystal('P -1', [12, 10, 10], [
  ['C1', -1.93, 0, 0],
  ['O1', -1.31, 1.07, 0],
  ['O2', -1.28, -1.13, 0],
  ['H2', -0.31, -1.11, 0],
  ['C2', -3.43, 0, 0],
]); // prettier-ignore

const linesOf = (s: Structure) => {
  const found = contactsOf({ structure: s, definitions });
  return { found, drawn: drawnContacts(found, definitions, PAPER_COLOURS) };
};

describe('following contacts', () => {
  const own = moleculeAt(dimer, originalRef('C1'));

  it('a dimer is closed after one step, and followed to its repeat no further', () => {
    const { drawn } = linesOf(dimer);
    const first = stepFrom(dimer, drawn, own);
    expect(first).toHaveLength(own.length);
    expect(openEndsOf(dimer, drawn, [...own, ...first])).toHaveLength(0);
    expect(untilItRepeats(dimer, drawn, own)).toHaveLength(own.length);
  });

  it('of a dimer the line from middle to middle is one, and what binds is O and H', () => {
    const { found, drawn } = linesOf(dimer);
    expect(betweenCentroids(dimer, found.contacts, drawn[0]!)).toHaveLength(1);
    const rule = bindingRule(dimer, found.contacts);
    expect(rule.which).toEqual({ kind: 'site', sites: ['C1', 'C2'] });
  });

  it('a chain is followed over its repeat to the first copies by whole cells', () => {
    const s: Structure = { ...chain, spaceGroup: spaceGroupFromSymbol('P 1'), cell: { ...chain.cell, b: 4.8 } };
    const scaled: Structure = {
      ...s,
      sites: s.sites.map((x) => ({ ...x, position: [x.position[0], x.position[1] * 2, x.position[2]] })),
    };
    const { drawn } = linesOf(scaled);
    expect(drawn).toHaveLength(1);
    const molecule = moleculeAt(scaled, originalRef('C1'));
    const brought = untilItRepeats(scaled, drawn, molecule);
    // One on either side, both by a translation: there it repeats.
    expect(brought).toHaveLength(2 * molecule.length);
    expect(openEndsOf(scaled, drawn, [...molecule, ...brought])).toHaveLength(2);
  });
});

describe('the first shell', () => {
  it('of atoms in a cube stacked by touching: six', () => {
    const cube: Structure = {
      cell: { a: 3.7, b: 3.7, c: 3.7, alpha: 90, beta: 90, gamma: 90 },
      spaceGroup: spaceGroupFromSymbol('P m -3 m'),
      sites: [
        {
          id: 'A',
          label: 'Ar1',
          element: 'Ar',
          position: [0, 0, 0],
          occupancy: 1,
          displacement: { kind: 'iso', u: 0.02 },
        },
      ],
    };
    const { count, atoms } = shellOf(cube, originalRef('A'));
    expect(count).toBe(6);
    expect(atoms).toHaveLength(6);
  });
});
