import { describe, expect, it } from 'vitest';
import { halite } from '../../../demo/src/textbook.ts';
import { planesAlongC } from './held.ts';
import { Surface } from './surface.ts';

describe('planes of a slab', () => {
  it.each([true, false])('come from the lowest on, wherever the vacuum is (both sides: %s)', (bothSides) => {
    const { structure } = new Surface(halite('Mg', 4.2), [1, 1, 1]).slab(4, 0, {
      vacuum: 12,
      along: 'oblique',
      bothSides,
    });
    const planes = planesAlongC(structure);
    expect(planes).toHaveLength(8);
    const heights = planes.map((ids) => structure.sites.find((x) => x.id === ids[0])!.position[2]);
    expect(heights).toEqual([...heights].sort((p, q) => p - q));
    expect(planes.flat()).toHaveLength(structure.sites.length);
  });
});
