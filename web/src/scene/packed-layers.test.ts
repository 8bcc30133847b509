import { describe, expect, it } from 'vitest';
import type { AtomPrimitive, BondPrimitive, Layer } from '@nagare/core/draw/scene';
import { packLayer, transferred, unpackLayer } from './packed-layers.ts';

const atom: AtomPrimitive = {
  ref: { site: 'a', operator: 3, shift: [1, 0, -1] },
  position: [1.5, -2.25, 0.125],
  element: 'O',
  label: 'O1',
  colour: '#c8452b',
  axes: [
    [0.25, 0.5, 0],
    [0, 0.125, 0],
    [0, 0, -0.375],
  ],
  shape: 'ellipsoid',
  opacity: 0.35,
};
const bond: BondPrimitive = {
  from: [0, 0.5, 1],
  to: [1, 1.5, -2],
  colours: ['#c8452b', '#204060'],
  radius: 0.0625,
  opacity: 0.7,
  dash: 0.25,
  atoms: [0, 1],
};

describe('layers on their way to the painter', () => {
  it('atoms arrive as they were, without what painting does not need', () => {
    const items = [
      atom,
      { ...atom, shape: 'cube' as const, colour: '#204060', opacity: 1 },
      { ...atom, shape: 'sphere' as const },
    ];
    const there = unpackLayer(structuredClone(packLayer({ kind: 'atoms', name: 'model', items })));
    expect(there).toEqual({
      kind: 'atoms',
      name: 'model',
      items: items.map(({ position, axes, shape, opacity, colour }) => ({ position, axes, shape, opacity, colour })),
    });
  });

  it('bonds keep the colour of either end, and whether they are dashed', () => {
    const plain: BondPrimitive = {
      from: bond.from,
      to: bond.to,
      colours: ['#204060', '#204060'],
      radius: 0.125,
      opacity: 1,
    };
    const there = unpackLayer(packLayer({ kind: 'bonds', name: 'measures', items: [bond, plain] }));
    const { atoms: _, ...seen } = bond;
    expect(there).toEqual({ kind: 'bonds', name: 'measures', items: [seen, plain] });
  });

  it('other layers go as they are, and only the packed ones give their memory away', () => {
    const label = { text: 'O1', at: [0, 0, 0] as const, colour: '#000000', clear: 0, weight: 1 };
    const labels: Layer = { kind: 'labels', name: 'model', items: [label] };
    expect(unpackLayer(packLayer(labels))).toBe(labels);
    expect(transferred(packLayer(labels))).toEqual([]);
    expect(transferred(packLayer({ kind: 'atoms', name: 'model', items: [atom] }))).toHaveLength(2);
  });
});
