import { describe, expect, it } from 'vitest';
import { halite, rutile, sphalerite, textbook } from '../../../demo/src/textbook.ts';
import { balancedCharges } from '../crystal/ionic.ts';
import { cellContents, type Structure } from '../crystal/structure.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { cutSlab, type SlabWish } from './cut-slab.ts';
import { shortestContacts } from './from-symmetry.ts';
import { Surface } from './surface.ts';
import type { Vec3 } from '../math/matrix3.ts';

const VACUUM = { vacuum: 15, along: 'normal', bothSides: true } as const;
const cut = (s: Structure, hkl: Vec3, wish: SlabWish) => cutSlab(new Surface(s, hkl), wish, VACUUM);

/** e Å⁻¹ about the middle, by the very coordinates of the structure. */
function dipole(s: Structure): number {
  const charges = balancedCharges(cellContents(s))!;
  const heights = s.sites.map((x) => x.position[2] * s.cell.c);
  const middle = (Math.min(...heights) + Math.max(...heights)) / 2;
  const area = s.cell.a * s.cell.b * Math.sin((s.cell.gamma * Math.PI) / 180);
  return s.sites.reduce((sum, x, i) => sum + charges[x.element]! * (heights[i]! - middle), 0) / area;
}

describe('slabs with a remedy', () => {
  it.each<[string, Structure, number]>([
    ['halite', halite('Mg', 4.212), 2],
    ['sphalerite', sphalerite('Zn', 'S', 5.41), 4],
  ])('moving a part of the uppermost plane takes the dipole away: %s {111}', (_, s, cells) => {
    for (const layers of [3, 4, 6])
      for (const termination of [0, 1]) {
        const plain = cut(s, [1, 1, 1], { layers, termination });
        expect(plain.dipole).toBeCloseTo(dipole(plain.structure), 9);
        expect(Math.abs(plain.dipole!)).toBeGreaterThan(0.1);
        const mended = cut(s, [1, 1, 1], { layers, termination, remedy: 'moved' });
        expect(dipole(mended.structure)).toBeCloseTo(0, 9);
        expect(mended.structure.sites).toHaveLength(cells * plain.structure.sites.length);
        expect(mended.excess).toEqual({});
        // Every atom stands on a place of the crystal.
        expect(shortestContacts(mended.structure)[0]!.distance).toBeCloseTo(
          shortestContacts(plain.structure)[0]!.distance,
          6,
        );
      }
  });

  it('both sides are made alike, and what is beyond whole formula units is told', () => {
    const { structure, excess, words } = cut(halite('Mg', 4.212), [1, 1, 1], {
      layers: 4,
      termination: 0,
      remedy: 'alike',
    });
    expect(Object.keys(excess)).toHaveLength(1);
    expect(words).toMatch(/alike/);
    // Turned upside down it is itself: as many neighbours at every height from either side.
    const heights = structure.sites.map((x) => x.position[2]);
    const middle = (Math.min(...heights) + Math.max(...heights)) / 2;
    const profile = (sign: number): string =>
      structure.sites
        .map(
          (x) =>
            `${x.element} ${Math.abs(sign * (x.position[2] - middle)).toFixed(6)} ${sign * (x.position[2] - middle) > 0}`,
        )
        .sort()
        .join();
    expect(profile(1)).toBe(profile(-1).replace(/-0\.0/g, '0.0'));
  });

  it('no operation turns {111} of sphalerite round, and it is said', () => {
    expect(() => cut(sphalerite('Zn', 'S', 5.41), [1, 1, 1], { layers: 3, termination: 0, remedy: 'alike' })).toThrow(
      /No operation/,
    );
    expect(() =>
      cut(rutile('Ti', 4.594, 2.959, 0.305), [1, 1, 0], { layers: 2, termination: 0, remedy: 'moved' }),
    ).toThrow(/no dipole/);
  });

  it('cut bonds end in hydrogen: every silicon keeps four neighbours', () => {
    const si = textbook('F d -3 m:1', 5.431, 5.431, [['Si', 0, 0, 0]]);
    for (const hkl of [
      [1, 1, 1],
      [1, 0, 0],
      [1, 1, 0],
    ] as const) {
      const surface = new Surface(si, hkl);
      for (const { index, brokenBonds } of surface.terminations) {
        const { structure } = cutSlab(surface, { layers: 4, termination: index, remedy: 'hydrogens' }, VACUUM);
        const near = neighbours(
          structure.cell,
          structure.spaceGroup,
          structure.sites.map((x) => x.position),
          2.5,
        ).filter((n) => n.distance < (structure.sites[n.to]!.element === 'H' ? 1.6 : 2.5));
        structure.sites.forEach((x, i) => {
          if (x.element === 'Si') expect(near.filter((n) => n.from === i)).toHaveLength(4);
        });
        const caps = structure.sites.filter((x) => x.element === 'H').length;
        expect(caps).toBe(Math.round(2 * brokenBonds * surface.basis.area));
      }
    }
  });

  it('another cell of the plane holds as many times the atoms as its determinant says', () => {
    const s = rutile('Ti', 4.594, 2.959, 0.305);
    const one = cut(s, [1, 1, 0], { layers: 2, termination: 0 });
    for (const inPlane of [
      [2, 0, 0, 1],
      [2, 1, 0, 3],
      [1, -1, 1, 1],
    ] as const) {
      const many = cut(s, [1, 1, 0], { layers: 2, termination: 0, inPlane });
      const det = inPlane[0] * inPlane[3] - inPlane[1] * inPlane[2];
      expect(many.structure.sites).toHaveLength(det * one.structure.sites.length);
      expect(shortestContacts(many.structure).map((c) => c.distance.toFixed(6))).toEqual(
        shortestContacts(one.structure).map((c) => c.distance.toFixed(6)),
      );
    }
    expect(() => cut(s, [1, 1, 0], { layers: 2, termination: 0, inPlane: [1, 2, 2, 4] })).toThrow(/not on one line/);
  });
});
