import { describe, expect, it } from 'vitest';
import { supercell } from '../build/supercell.ts';
import { wholeCell } from '../build/whole-cell.ts';
import type { Cell } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { cellContents, type Site, type Structure } from '../crystal/structure.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { raiseSymmetry } from './raise.ts';
import { missedWithOpinion } from './report.ts';

const random = seededRandom(219);
const between = (low: number, high: number): number => low + (high - low) * random.next();
const site = (label: string, element: string, position: Vec3): Site => ({
  id: label,
  label,
  element,
  position,
  occupancy: 1,
  displacement: { kind: 'iso', u: 0.02 },
});
const GROUPS: readonly [string, Cell][] = [
  ['P 1 21/c 1', { a: 7.1, b: 9.4, c: 11.2, alpha: 90, beta: 101, gamma: 90 }],
  ['P n m a', { a: 9.3, b: 7.2, c: 6.1, alpha: 90, beta: 90, gamma: 90 }],
  ['P 41 21 2', { a: 7.4, b: 7.4, c: 12.1, alpha: 90, beta: 90, gamma: 90 }],
  ['P -3 m 1', { a: 8.1, b: 8.1, c: 6.7, alpha: 90, beta: 90, gamma: 120 }],
  ['P 63/m m c', { a: 8.3, b: 8.3, c: 9.9, alpha: 90, beta: 90, gamma: 120 }],
  ['P m -3 m', { a: 9.1, b: 9.1, c: 9.1, alpha: 90, beta: 90, gamma: 90 }],
  ['P a -3', { a: 9.6, b: 9.6, c: 9.6, alpha: 90, beta: 90, gamma: 90 }],
];
const crystal = (symbol: string, cell: Cell): Structure => ({
  cell,
  spaceGroup: spaceGroupFromSymbol(symbol),
  sites: [
    site('O1', 'O', [between(0.08, 0.12), between(0.28, 0.32), between(0.4, 0.44)]),
    site('Zn1', 'Zn', [0, 0, 0]),
  ],
});

describe('symmetry that a model in P 1 has', () => {
  it.each(GROUPS)('is found whole, and halving loses no atom: %s', (symbol, cell) => {
    const s = crystal(symbol, cell);
    const plain = wholeCell(s);
    const [best] = missedWithOpinion(plain, 0.05);
    expect(best).toMatchObject({ likely: true, fit: 1 });
    expect(best!.group.number).toBe(s.spaceGroup.number);
    expect(best!.index).toBe(s.spaceGroup.representatives.length);
    const { structure, merged, disordered } = raiseSymmetry(plain, best!);
    expect(structure.sites).toHaveLength(s.sites.length);
    expect(cellContents(structure)).toEqual(cellContents(s));
    expect(merged.every((m) => m.deviation < 1e-3)).toBe(true);
    expect(disordered).toEqual([]);
  });

  it('is told apart from what only nearly is there', () => {
    const s = crystal(...GROUPS[1]!);
    const plain = wholeCell(s);
    const shaken: Structure = {
      ...plain,
      sites: plain.sites.map((x) => ({
        ...x,
        position: x.position.map((v) => v + between(-0.02, 0.02)) as unknown as Vec3,
      })),
    };
    // A hundredth of a cell is a tenth of an Å: within a wide tolerance it is there, within a narrow one it is not.
    expect(missedWithOpinion(shaken, 0.4).some((m) => m.group.number === 62)).toBe(true);
    expect(missedWithOpinion(shaken, 0.02).some((m) => m.group.number === 62)).toBe(false);
  });

  it('is not lost in a cell that is too large', () => {
    const large = supercell(crystal(...GROUPS[1]!), [2, 0, 0, 0, 1, 0, 0, 0, 1]).structure;
    const [best] = missedWithOpinion(large, 0.05);
    expect(best!.group.number).toBe(62);
    expect(missedWithOpinion({ ...large, spaceGroup: spaceGroupFromSymbol('P 1') }, 0.05)[0]!.index).toBeGreaterThan(8);
  });
});
