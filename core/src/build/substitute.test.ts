import { describe, expect, it } from 'vitest';
import { halite, textbook } from '../../../demo/src/textbook.ts';
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
});
