import { describe, expect, it } from 'vitest';
import { halite, textbook } from '../../../demo/src/textbook.ts';
import { cellContents } from '../crystal/structure.ts';
import { seededRandom } from '../math/random.ts';
import { substitute } from './substitute.ts';

describe('one element for another', () => {
  it('keeps the cell where it shall stay, and names the site after its new element', () => {
    const { structure, sites, factor } = substitute(halite('Mg', 4.212), 'Mg', 'Ni', false);
    expect(factor).toBe(1);
    expect(structure.cell.a).toBe(4.212);
    expect(structure.sites[0]).toMatchObject({ element: 'Ni', label: sites[0] });
  });

  // Of oxides of this type the edge is known; radii give it within two per cent.
  it.each([
    ['Mg', 4.212, 'Ca', 4.811],
    ['Mg', 4.212, 'Mn', 4.446],
    ['Ca', 4.811, 'Sr', 5.16],
  ] as const)('follows the radii: %s O with an edge of %f to %s O', (from, a, to, edge) => {
    const { structure } = substitute(halite(from, a), from, to, true);
    expect(Math.abs(structure.cell.a / edge - 1)).toBeLessThan(0.02);
  });

  it('does not name two sites alike, and says what is not there', () => {
    const s = textbook('P m -3 m', 4, 4, [
      ['Sr', 0, 0, 0],
      ['Ti', 0.5, 0.5, 0.5],
      ['O', 0.5, 0.5, 0],
    ]);
    const { structure } = substitute(s, s.sites[0]!.label, 'Ti', false);
    expect(new Set(structure.sites.map((x) => x.label)).size).toBe(3);
    expect(() => substitute(s, 'Zr9', 'Ti', false)).toThrow(/No site is called "Zr9"/);
    expect(() => substitute(s, 'Sr', 'Qq', false)).toThrow(/no element/);
  });

  it('keeps places, counts and groups of any crystal, and goes back to where it came from', () => {
    const random = seededRandom(131);
    for (const symbol of ['P -1', 'P 21/c', 'P n m a', 'I 41/a', 'R -3 c', 'F d -3 m:2']) {
      const at = (): number => random.next();
      const s = textbook(symbol, 8 + 4 * at(), 9 + 4 * at(), [
        ['Ca', at(), at(), at()],
        ['Si', at(), at(), at()],
        ['O', at(), at(), at()],
      ]);
      const { structure, factor } = substitute(s, 'Ca', 'Sr', true);
      const before = cellContents(s),
        after = cellContents(structure);
      expect(after).toEqual({ Sr: before['Ca'], Si: before['Si'], O: before['O'] });
      expect(structure.spaceGroup).toBe(s.spaceGroup);
      expect(structure.sites.map((x) => x.position)).toEqual(s.sites.map((x) => x.position));
      // One factor for every length, no angle changed.
      expect(structure.cell.b / s.cell.b).toBeCloseTo(factor, 12);
      expect(structure.cell.c / s.cell.c).toBeCloseTo(factor, 12);
      expect(structure.cell.gamma).toBe(s.cell.gamma);
      const back = substitute(substitute(s, 'Ca', 'Sr', false).structure, 'Sr', 'Ca', false).structure;
      expect(back.sites.map((x) => [x.label, x.element])).toEqual(s.sites.map((x) => [x.label, x.element]));
      expect(back.cell).toEqual({ ...s.cell, su: undefined });
    }
  });
});
