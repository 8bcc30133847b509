import { describe, expect, it } from 'vitest';
import { quartz, rutile, spinel } from '../../../demo/src/textbook.ts';
import { shortestContacts } from './from-symmetry.ts';
import { movedOrigin, slice } from './slice.ts';
import { wholeCell } from './whole-cell.ts';

describe('slices and origins', () => {
  it('slices that follow one another hold every atom once', () => {
    const s = spinel();
    const cuts = [0, 0.13, 0.2501, 0.5, 0.87, 1];
    const counts = cuts.slice(1).map((to, i) => {
      try {
        return slice(s, { axis: 2, from: cuts[i]!, to, close: false }).after;
      } catch {
        return 0;
      }
    });
    expect(counts.reduce((a, b) => a + b, 0)).toBe(56);
  });

  it('a slice of two cells that is closed is the supercell', () => {
    const { structure, after } = slice(rutile('Ti', 4.6, 2.96, 0.305), { axis: 2, from: 0.5, to: 2.5, close: true });
    expect(after).toBe(12);
    expect(structure.cell.c).toBeCloseTo(5.92, 9);
    expect(shortestContacts(structure)[0]!.distance).toBeCloseTo(
      shortestContacts(rutile('Ti', 4.6, 2.96, 0.305))[0]!.distance,
      9,
    );
  });

  it('a slice that stays open has the rest of the cell empty', () => {
    const { structure } = slice(quartz(), { axis: 2, from: 0, to: 0.4, close: false });
    expect(structure.cell.c).toBeCloseTo(quartz().cell.c, 9);
    for (const x of structure.sites) expect(x.position[2]).toBeLessThan(0.4);
  });

  it('another origin keeps the group, the count and every distance', () => {
    const s = quartz();
    const { structure, after } = movedOrigin(s, [0.1, 0.2, 0.3]);
    expect(after).toBe(9);
    expect(structure.spaceGroup.representatives).toHaveLength(s.spaceGroup.representatives.length);
    expect(shortestContacts(wholeCell(structure))).toEqual(
      shortestContacts(wholeCell(s)).map((c) => ({ ...c, distance: expect.closeTo(c.distance, 8) })),
    );
    const at = structure.sites[0]!.position;
    expect(at[2] - s.sites[0]!.position[2] + 0.3).toBeCloseTo(Math.round(at[2] - s.sites[0]!.position[2] + 0.3), 9);
  });
});
