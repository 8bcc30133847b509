import { describe, expect, it } from 'vitest';
import { porousFramework, tunnelOxide } from '../../../demo/src/structures.ts';
import * as textbook from '../../../demo/src/textbook.ts';
import { placeNumber, positionOf } from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { atomsOfExtent } from '../draw/extent.ts';
import { apply3, cross, norm, normalize, subtract, type Vec3 } from '../math/matrix3.ts';
import { bonded } from './bonding-proposal.ts';
import { channelPlaces, channelsAlong, straightChannels, type Channel } from './channels.ts';

const oxide = bonded(tunnelOxide());
const along = channelsAlong(oxide, [0, 0, 1]);
const block = (n: number) => ({ kind: 'block' as const, from: [0, 0, 0] as Vec3, to: [n, n, 1] as Vec3 });

/** Å from the axis of a channel. */
function offAxis(s: Structure, c: Channel, p: Vec3): number {
  const row = normalize(apply3(orthogonalization(s.cell), c.row));
  return norm(cross(subtract(p, c.at), row));
}
const placeOf = (s: Structure, a: Channel['lining'][number]): Vec3 =>
  apply3(orthogonalization(s.cell), positionOf(s, a));

describe('straight channels', () => {
  it('of the tunnel oxide are one hexagonal and three square ones a cell', () => {
    expect(along.map((c) => c.count)).toEqual([1, 3]);
    // The hexagonal axis is the origin; the nearest oxygens bend inwards to d√3/2 − δ of it.
    const [wide] = along;
    expect(offAxis(oxide, wide!, [0, 0, 0])).toBeLessThan(0.05);
    const nearest = 10.491 * 0.2847;
    expect(wide!.width / 2).toBeCloseTo(nearest - 1.38, 1);
    expect(wide!.lining).toHaveLength(12);
  });

  it('are lined by atoms that stand around the axis, in order, none nearer than the free circle', () => {
    for (const c of along) {
      const off = c.lining.map((a) => offAxis(oxide, c, placeOf(oxide, a)));
      expect(Math.min(...off)).toBeGreaterThan(c.width / 2);
      const spread = off.map((r) => r < c.width / 2 + 3);
      expect(spread.every(Boolean)).toBe(true);
    }
  });

  it('pass between all atoms, copies far away too', () => {
    // Nobody of the walls stands inside of the free cylinder, over a block around the axis.
    const [wide] = along;
    const around = atomsOfExtent(oxide, { kind: 'block', from: [-1, -1, 0], to: [1, 1, 1] });
    const walls = around.filter((a) => !['Cs1', 'Ba1'].includes(a.site));
    const least = Math.min(...walls.map((a) => offAxis(oxide, wide!, placeOf(oxide, a))));
    expect(least - 1.38).toBeCloseTo(wide!.width / 2, 1);
  });

  it('along rows that symmetry makes alike are told once', () => {
    const rows = straightChannels(bonded(porousFramework())).map((c) => c.row.join(' '));
    // A cubic group: one of the axes, one of the face diagonals.
    expect(new Set(rows)).toEqual(new Set(['0 0 1', '1 1 0']));
  });

  it('are completed over what is drawn, each with a ring of one atom a column', () => {
    const drawn = atomsOfExtent(oxide, block(2));
    const [wide, square] = along;
    const places = channelPlaces(oxide, wide!, drawn);
    // Of two by two cells only the middle one has all of its walls.
    expect(places).toHaveLength(1);
    expect(places[0]!.ring).toHaveLength(12);
    const known = new Set(drawn.map((a) => placeNumber(oxide, a)));
    for (const p of channelPlaces(oxide, square!, drawn))
      expect(p.atoms.every((a) => known.has(placeNumber(oxide, a)))).toBe(true);
    expect(channelPlaces(oxide, wide!, atomsOfExtent(oxide, block(3)))).toHaveLength(4);
  });

  it('of rutile run along c alone', () => {
    const found = straightChannels(bonded(textbook.rutile('Ti', 4.594, 2.959, 0.3053)));
    expect(found.map((c) => c.row)).toEqual([[0, 0, 1]]);
    expect(found[0]!.count).toBe(2);
  });

  it('refuse a row that is none', () => {
    expect(() => channelsAlong(oxide, [2, 0, 0])).toThrow(/no row that repeats/);
  });
});
