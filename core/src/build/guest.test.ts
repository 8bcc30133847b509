import { describe, expect, it } from 'vitest';
import { halite } from '../../../demo/src/textbook.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { apply3, norm, subtract } from '../math/matrix3.ts';
import { moleculeOf, placeGuest, SMALL_MOLECULES } from './guest.ts';
import { Surface } from './surface.ts';

const slab = new Surface(halite('Mg', 4.212), [1, 0, 0]).slab(3, 0, {
  vacuum: 15,
  along: 'normal',
  bothSides: true,
}).structure;
const top = [...slab.sites].sort((p, q) => q.position[2] - p.position[2])[0]!;

describe('a molecule over a surface', () => {
  it.each(Object.keys(SMALL_MOLECULES))(
    '%s stands over its atom at its height, as it is, however it is turned',
    (name) => {
      const guest = SMALL_MOLECULES[name]!;
      for (const turns of [
        [0, 0, 0],
        [30, -50, 110],
      ] as const)
        for (const height of [2.2, -2.2]) {
          const { structure } = placeGuest(slab, guest, { over: top.position, height, anchor: 0, turns });
          const m = orthogonalization(structure.cell);
          const placed = structure.sites.slice(-guest.length).map((x) => apply3(m, x.position));
          const foot = apply3(m, top.position);
          const off = subtract(placed[0]!, foot);
          expect(off).toEqual([0, 0, height].map((x) => expect.closeTo(x, 9)));
          for (let i = 0; i < guest.length; i++)
            for (let j = 0; j < i; j++)
              expect(norm(subtract(placed[i]!, placed[j]!))).toBeCloseTo(norm(subtract(guest[i]!.at, guest[j]!.at)), 9);
          expect(structure.sites).toHaveLength(slab.sites.length + guest.length);
        }
    },
  );

  it('tells what is nearest, and when that is too near', () => {
    const near = placeGuest(slab, SMALL_MOLECULES['CO']!, {
      over: top.position,
      height: 0.9,
      anchor: 0,
      turns: [0, 0, 0],
    });
    expect(near.words).toMatch(/too near/);
    const far = placeGuest(slab, SMALL_MOLECULES['CO']!, {
      over: top.position,
      height: 2.5,
      anchor: 0,
      turns: [0, 0, 0],
    });
    expect(far.words).toMatch(/2\.50 Å\./);
    expect(() => moleculeOf(slab)).toThrow(/no molecule/);
  });
});
