import { describe, expect, it } from 'vitest';
import { copper, graphite, halite } from '../../../demo/src/textbook.ts';
import { determinant3 } from '../math/matrix3.ts';
import { searchCells, shapedCell, sublattices } from './shaped-cell.ts';

describe('cells looked for by what they shall be', () => {
  // Σ d² σ₁(n/d)… of the tables: 1, 7, 13, 35, 31, 91 sublattices of indices 1 to 6.
  it.each([
    [1, 1],
    [2, 7],
    [3, 13],
    [4, 35],
    [5, 31],
    [6, 91],
  ])('every sublattice of index %i is looked at once (%i)', (index, count) => {
    const all = [...sublattices(index)];
    expect(all).toHaveLength(count);
    expect(new Set(all.map(String)).size).toBe(count);
    for (const m of all) expect(determinant3(m)).toBe(index);
  });

  it('finds the cube of a face-centred crystal among its primitive cells', () => {
    const found = searchCells(copper(), { mostAtoms: 4, mostOblique: 0.01 });
    expect(found).toHaveLength(2);
    const cube = found.at(-1)!;
    expect([cube.cell.a, cube.cell.b, cube.cell.c]).toEqual([3.6149, 3.6149, 3.6149].map((x) => expect.closeTo(x, 6)));
    expect(shapedCell(copper(), cube.matrix)).toMatchObject({ before: 4, after: 4, determinant: 1 });
  });

  it('finds the rectangular cell of a hexagonal layer with twice the atoms', () => {
    const [first] = searchCells(graphite(), { mostAtoms: 12, mostOblique: 0.1 });
    expect(first).toMatchObject({ atoms: 8, times: 2 });
    expect(first!.cell.a / first!.cell.b).toBeCloseTo(1 / Math.sqrt(3), 6);
  });

  it('keeps copies apart as far as asked, with no smaller cell that does', { tags: 'long' }, () => {
    const s = halite('Mg', 4.2);
    const [first] = searchCells(s, { mostAtoms: 200, leastLength: 8 });
    expect(first!.shortest).toBeGreaterThanOrEqual(8 - 1e-6);
    for (let n = 1; n < first!.times; n++)
      expect(() => searchCells(s, { mostAtoms: 2 * n, leastAtoms: 2 * n, leastLength: 8 })).toThrow(/No cell/);
    expect(shapedCell(s, first!.matrix).after).toBe(first!.atoms);
  });
});
