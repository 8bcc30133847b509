import { describe, expect, it } from 'vitest';
import { originalRef, placeKey } from '@nagare/core/crystal/atom-ref';
import { atomsOfExtent } from '@nagare/core/draw/extent';
import type { AtomPrimitive } from '@nagare/core/draw/scene';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { determinant3, multiply3, transpose3 } from '@nagare/core/math/matrix3';
import { bondedTo, joined, netAround, sameAtoms, stepSelection } from './drawing.ts';
import { readPin, pinOf, pinsCsv, namedThing } from './pins.ts';
import { alongNormal, alongRow } from '@nagare/core/draw/views';
import { alongSelection } from './views.ts';

const S = bonded(shippedShelf().find((e) => e.id === 'brucite')!.structure);
const drawn = atomsOfExtent(S, { kind: 'closed cell' }).map(
  (ref) => ({ ref, element: S.sites.find((x) => x.id === ref.site)!.element }) as AtomPrimitive,
);
const mg = originalRef(S.sites.find((x) => x.element === 'Mg')!.id);

describe('which atoms are meant', () => {
  it('grows by bonds, and to all that hangs together', () => {
    expect(bondedTo(S, mg)).toHaveLength(6);
    const layer = netAround(S, mg, 5);
    expect(layer.length).toBeGreaterThan(20);
    // Nothing of the next layer.
    expect(layer.every((a) => Math.abs(a.shift[2]) <= 1)).toBe(true);
    expect(joined(S, [mg], [mg, ...bondedTo(S, mg)])).toHaveLength(7);
    expect(joined(S, [], [originalRef('gone')])).toEqual([]);
    expect(sameAtoms(S, [mg]).every((a) => a.site === mg.site)).toBe(true);
  });

  it.each([
    ['element', (n: number) => n === drawn.filter((a) => a.element === 'Mg').length],
    ['site', (n: number) => n === drawn.filter((a) => a.ref.site === mg.site).length],
    ['invert', (n: number) => n === drawn.length - 1],
  ] as const)('selects further: %s', (step, holds) => {
    expect(holds(stepSelection(S, drawn, [mg], step).length)).toBe(true);
  });

  it('selects neighbours among what is drawn, and the layer an atom is in', () => {
    const near = stepSelection(S, drawn, [mg], 'neighbours');
    expect(near[0]).toEqual(mg);
    const keys = new Set(drawn.map((a) => placeKey(S, a.ref)));
    expect(near.every((a) => keys.has(placeKey(S, a)))).toBe(true);
    const layer = stepSelection(S, drawn, [mg], 'molecule');
    expect(layer.length).toBeGreaterThan(1);
    expect(layer.length).toBeLessThan(drawn.length);
  });
});

describe('views', () => {
  it.each([
    { r: alongRow(S.cell, [1, 1, 0]) },
    { r: alongNormal(S.cell, [1, 0, 1]) },
    { r: alongSelection(S, [mg, ...bondedTo(S, mg)], 'axis') },
  ])('are rotations', ({ r }) => {
    const one = multiply3(r, transpose3(r));
    one.forEach((x, i) => expect(x).toBeCloseTo(i % 4 ? 0 : 1, 9));
    expect(determinant3(r)).toBeCloseTo(1, 9);
  });

  it('look along what they say', () => {
    // In a hexagonal cell c and c* are one.
    expect(alongRow(S.cell, [0, 0, 1])[8]).toBeCloseTo(1, 9);
    expect(alongNormal(S.cell, [0, 0, 1])[8]).toBeCloseTo(1, 9);
    expect(() => alongRow(S.cell, [0, 0, 0])).toThrow(/no direction/);
    expect(() => alongNormal(S.cell, [0, 0, 0])).toThrow(/no plane/);
  });
});

describe('pins', () => {
  const near = bondedTo(S, mg);
  it('measure chains of atoms and planes of more', () => {
    expect(pinOf(S, [mg])).toBeUndefined();
    expect(pinOf(S, [mg, near[0]!])!.things).toHaveLength(2);
    expect(pinOf(S, [mg, ...near])!.things[0]!.kind).toBe('plane');
    expect(namedThing(S, 'line', near.slice(0, 2)).name).toMatch(/^line of O/);
  });

  it('say by how much they changed', () => {
    const pin = pinOf(S, [mg, near[0]!])!;
    const longer = { ...S, cell: { ...S.cell, a: 1.02 * S.cell.a, b: 1.02 * S.cell.b, c: 1.02 * S.cell.c } };
    expect(readPin(S, pin, undefined, S).readings[0]!.change).toBe('');
    expect(readPin(longer, pin, undefined, S).readings[0]!.change).toMatch(/^\+0\.04\d$/);
    expect(readPin({ ...S, sites: [] }, pin).problem).toMatch(/not in the model/);
    expect(pinsCsv(S, [pin]).split('\n')[1]).toMatch(/^"Mg.* – O.*",distance,2\.\d+,,Å$/);
  });
});
