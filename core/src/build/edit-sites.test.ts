import { describe, expect, it } from 'vitest';
import { calcite, fluorite, halite, perovskite, rutile, textbook } from '../../../demo/src/textbook.ts';
import { siteCharges } from '../crystal/ionic.ts';
import { cellContents, siteMultiplicity, type Structure } from '../crystal/structure.ts';
import { seededRandom } from '../math/random.ts';
import {
  addSite,
  atomsOf,
  balanceOccupancy,
  changeSite,
  mergeSites,
  moveSites,
  removeSites,
  splitSite,
  withHydrogens,
} from './edit-sites.ts';

const id = (s: Structure, element: string): string => s.sites.find((x) => x.element === element)!.id;
const random = seededRandom(77);

describe('sites changed one by one', () => {
  const s = rutile('Ti', 4.594, 2.959, 0.305);
  const oxygen = s.sites[1]!;

  it('values change what was said and nothing else, with the count of the cell', () => {
    const { structure, words } = changeSite(s, oxygen.id, { element: 'F', occupancy: 0.5, charge: -1, u: 0.01 });
    expect(structure.sites[1]).toMatchObject({ element: 'F', occupancy: 0.5, charge: -1, position: oxygen.position });
    expect(structure.sites[0]).toBe(s.sites[0]);
    expect(words).toMatch(/6 atoms as before/);
    const cleared = changeSite(structure, oxygen.id, { charge: null }).structure;
    expect(cleared.sites[1]!.charge).toBeUndefined();
  });

  it('a move off a special position says what becomes of the count', () => {
    const { words, structure } = moveSites(s, [oxygen.id], [0.3, 0, 0]);
    expect(words).toMatch(/6 atoms of the cell before, 10 after/);
    expect(atomsOf(structure)).toBe(10);
    // Nearly on it is on it.
    expect(moveSites(s, [oxygen.id], [0.005, 0, 0]).words).toMatch(/6 atoms as before/);
  });

  it('sites come and go with all of their copies', () => {
    const added = addSite(s, { element: 'h', position: [0.5, 0, 0.25] });
    expect(added.structure.sites.at(-1)).toMatchObject({ element: 'H', label: 'H1', occupancy: 1 });
    const gone = removeSites(added.structure, [added.structure.sites.at(-1)!.id]);
    expect(gone.structure.sites).toEqual(s.sites);
    expect(() =>
      removeSites(
        s,
        s.sites.map((x) => x.id),
      ),
    ).toThrow(/Nothing would be left/);
  });

  it('splitting and merging keep the atoms of the place, and take each other back', () => {
    for (let round = 0; round < 10; round++) {
      const p = perovskite('Sr', 'Ti', 3.9);
      const share = 0.1 + 0.8 * random.next();
      const split = splitSite(p, id(p, 'Ti'), 'Zr', share).structure;
      expect(cellContents(split)).toEqual({
        Sr: 1,
        Ti: expect.closeTo(1 - share, 9),
        Zr: expect.closeTo(share, 9),
        O: 3,
      });
      const both = split.sites.filter((x) => ['Ti', 'Zr'].includes(x.element));
      expect(both[0]!.position).toEqual(both[1]!.position);
      const same = splitSite(p, id(p, 'Ti'), 'Ti', share).structure;
      const merged = mergeSites(
        same,
        same.sites.filter((x) => x.element === 'Ti').map((x) => x.id),
      );
      expect(merged.structure.sites).toEqual(
        p.sites.map((x) => ({
          ...x,
          occupancy: expect.closeTo(x.occupancy, 12),
          position: x.position.map((c) => expect.closeTo(c, 12)),
        })),
      );
    }
    expect(() =>
      mergeSites(
        s,
        s.sites.map((x) => x.id),
      ),
    ).toThrow(/stands 1\.9\d Å from/);
  });

  it('an occupancy balances the charges of the cell', () => {
    for (let round = 0; round < 10; round++) {
      // Calcium partly replaced by yttrium in fluorite: one more positive charge each, so fluorine must be taken or given.
      const f = fluorite('Ca', 'F', 5.46);
      const share = 0.02 + 0.3 * random.next();
      const split = splitSite(f, f.sites[0]!.id, 'Na', share).structure;
      const { structure } = balanceOccupancy(split, id(split, 'F'));
      expect(structure.sites.find((x) => x.element === 'F')!.occupancy).toBeCloseTo(1 - share / 2, 9);
      const charges: Record<string, number> = { Ca: 2, Na: 1, F: -1 };
      const total = structure.sites.reduce(
        (sum, x) => sum + charges[x.element]! * x.occupancy * siteMultiplicity(structure, x),
        0,
      );
      expect(total).toBeCloseTo(0, 9);
      expect(siteCharges(structure).every((q) => q !== undefined)).toBe(true);
    }
  });

  it('with a partner on the same place the place stays full', () => {
    const p = splitSite(perovskite('La', 'Mn', 3.9), id(perovskite('La', 'Mn', 3.9), 'La'), 'Sr', 0.5);
    expect(p.words).toMatch(/share one place/);
    const charged = {
      ...p.structure,
      sites: p.structure.sites.map((x) => (x.element === 'Mn' ? { ...x, charge: 3.3 } : x)),
    };
    const { structure } = balanceOccupancy(charged, id(charged, 'Sr'));
    const [la, sr] = ['La', 'Sr'].map((e) => structure.sites.find((x) => x.element === e)!.occupancy);
    expect(sr).toBeCloseTo(0.3, 9);
    expect(la! + sr!).toBeCloseTo(1, 9);
  });

  it('what cannot be balanced is said', () => {
    const h = halite('Mg', 4.2);
    const odd = { ...h, sites: h.sites.map((x) => (x.element === 'Mg' ? { ...x, charge: 1 } : x)) };
    expect(() => balanceOccupancy(odd, odd.sites[0]!.id)).toThrow(/outside 0/);
    expect(() => changeSite(h, h.sites[0]!.id, { occupancy: 1.2 })).toThrow(/not above 1/);
    expect(() => changeSite(h, h.sites[0]!.id, { element: 'Qq' })).toThrow(/no element/);
    expect(() => withHydrogens(calcite())).toThrow(/No atom asks/);
  });

  it('hydrogens come by geometry where carbon asks for them', () => {
    // A flat six-ring of carbon in a wide cell.
    const ring = textbook(
      'P 1',
      12,
      12,
      [0, 1, 2, 3, 4, 5].map((k) => {
        const t = (k * Math.PI) / 3;
        return ['C', 0.5 + (1.39 / 12) * Math.cos(t), 0.5 + (1.39 / 12) * Math.sin(t), 0.5] as const;
      }),
    );
    const { structure, words } = withHydrogens(ring);
    expect(cellContents(structure)).toEqual({ C: 6, H: 6 });
    expect(words).toMatch(/6 hydrogens placed/);
    expect(structure.controls).toBeUndefined();
  });
});
