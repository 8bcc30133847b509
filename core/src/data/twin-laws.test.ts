import { describe, expect, it } from 'vitest';
import { inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { determinant3, transpose3, type Mat3 } from '../math/matrix3.ts';
import { twinLaws } from './twin-laws.ts';

const cell = (a: number, b: number, c: number, alpha = 90, beta = 90, gamma = 90): Cell => ({
  a,
  b,
  c,
  alpha,
  beta,
  gamma,
});
const laws = (c: Cell, symbol: string, tolerance?: number) => twinLaws(c, spaceGroupFromSymbol(symbol), tolerance);
const index = (m: Mat3, [h, k, l]: readonly number[]): [number, number, number] => [
  m[0] * h! + m[1] * k! + m[2] * l!,
  m[3] * h! + m[4] * k! + m[5] * l!,
  m[6] * h! + m[7] * k! + m[8] * l!,
];

/** Twinning by merohedry: the holohedry's order over that of the crystal's Laue class, less the crystal itself (Giacovazzo, 2011, table 1.9). */
const MEROHEDRY: readonly (readonly [symbol: string, cell: Cell, laws: number])[] = [
  ['P 4/m', cell(8, 8, 11), 1],
  ['P 4/m m m', cell(8, 8, 11), 0],
  ['P -3', cell(8, 8, 11, 90, 90, 120), 3],
  ['P -3 m 1', cell(8, 8, 11, 90, 90, 120), 1],
  ['P 6/m', cell(8, 8, 11, 90, 90, 120), 1],
  ['P 6/m m m', cell(8, 8, 11, 90, 90, 120), 0],
  ['P m -3', cell(8, 8, 8), 1],
  ['P m -3 m', cell(8, 8, 8), 0],
  ['P m m m', cell(8, 9, 11), 0],
  ['P 1 2/m 1', cell(8, 9, 11, 90, 104, 90), 0],
  ['P -1', cell(8, 9, 11, 83, 104, 97), 0],
];

describe('twin laws of a lattice', () => {
  it.each(MEROHEDRY)('%s', (symbol, c, count) => expect(laws(c, symbol)).toHaveLength(count));

  it('of a lattice that imitates another are those of the other', () => {
    // Monoclinic with β = 90°: the two-fold about a, or about c, which differ by the crystal's own.
    expect(laws(cell(8, 9, 11, 90, 90.05, 90), 'P 1 21/c 1')).toHaveLength(1);
    // Orthorhombic with a = b: the four-fold.
    const [four, ...others] = laws(cell(8, 8.01, 11), 'P n m a');
    expect(others).toEqual([]);
    expect(four!.misfit).toBeGreaterThan(0.05);
    // Triclinic imitating cubic: every coset of 2 among 48.
    expect(laws(cell(8, 8.02, 7.99, 90.1, 89.95, 90.02), 'P -1')).toHaveLength(23);
  });

  it('carry each index to one of the same spacing, and are not the crystal’s own', () => {
    for (const [symbol, c] of MEROHEDRY) {
      const g = reciprocalMetric(c);
      const group = spaceGroupFromSymbol(symbol);
      const own = new Set(
        rotationsOf(group)
          .flatMap((r) => [r, r.map((x) => -x + 0)])
          .map((r) =>
            transpose3(r as Mat3)
              .map((x) => x + 0)
              .join(),
          ),
      );
      for (const { law, misfit } of laws(c, symbol)) {
        expect(determinant3(law)).toBe(1);
        expect(misfit).toBeLessThan(1e-6);
        expect(own.has(law.map((x) => x + 0).join())).toBe(false);
        for (const hkl of [
          [1, 2, 3],
          [-2, 0, 5],
          [4, -1, 1],
        ])
          expect(inverseSpacing(g, ...index(law, hkl))).toBeCloseTo(inverseSpacing(g, hkl[0]!, hkl[1]!, hkl[2]!), 9);
      }
    }
  });

  it('come with the best fit first and only within the tolerance', () => {
    const off = cell(8, 8.05, 8.02, 90.2, 89.9, 90.05);
    const misfits = laws(off, 'P -1', 0.03).map((l) => l.misfit);
    expect(misfits.length).toBeGreaterThan(10);
    // Those that fit alike to a tenth come in the order of their axes.
    misfits.slice(1).forEach((m, i) => expect(m).toBeGreaterThan(misfits[i]! - 0.1));
    expect(Math.max(...misfits)).toBeLessThanOrEqual(3);
    expect(laws(off, 'P -1', 1e-4)).toHaveLength(0);
  });

  it('are named by order and axis', () => {
    expect(laws(cell(8, 8, 11), 'P 4/m').map((l) => l.name)).toEqual([expect.stringMatching(/^two-fold about \[/)]);
  });
});
