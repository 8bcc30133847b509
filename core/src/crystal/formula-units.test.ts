/** Formula units of a cell, by volume and by what positions hold. */
import { describe, expect, it } from 'vitest';
import { shippedShelf } from '../shelf/entry.ts';
import { cellVolume } from './cell.ts';
import { placesOf } from './fixed-positions.ts';
import { formulaVolume, isMolecular, parseFormula, scaleFormula } from './formula.ts';
import { proposeZ } from './formula-units.ts';
import { spaceGroupFromSymbol } from './settings.ts';
import { cellContents } from './structure.ts';

const group = spaceGroupFromSymbol;

describe('formula units of molecules', () => {
  const f = parseFormula('C14 H16 N2 O3');

  it('are multiples of what general positions hold', () => {
    expect(proposeZ(f, 1350, group('P 1 21/c 1'))).toBe(4);
    expect(proposeZ(f, 680, group('P 1 21/c 1'))).toBe(2);
    expect(proposeZ(f, 2700, group('P b c a'))).toBe(8);
  });

  it('may be far fewer where a molecule stands about a point of high symmetry', () => {
    expect(proposeZ(parseFormula('C6 H12 N4'), 347, group('I -4 3 m'))).toBe(2);
    expect(proposeZ(parseFormula('C O2'), 178, group('P a -3'))).toBe(4);
  });

  it('come from the volume alone where no group is known', () => {
    expect(proposeZ(f, 1020)).toBe(3);
    expect(proposeZ(f, 10)).toBe(1);
  });
});

describe('formula units of salts, oxides and elements', () => {
  it.each([
    ['Na Cl', 179.4, 'F m -3 m', 4],
    ['Sr Ti O3', 59.5, 'P m -3 m', 1],
    ['Mg Al2 O4', 528, 'F d -3 m', 8],
    ['Ca C O3', 368, 'R -3 c', 6],
    ['Ti O2', 62.4, 'P 42/m n m', 2],
    ['Fe', 23.5, 'I m -3 m', 2],
    ['C', 45.4, 'F d -3 m', 8],
  ])('%s in %f Å³ of %s: %i', (formula, volume, symbol, z) => {
    expect(proposeZ(parseFormula(formula), volume, group(symbol))).toBe(z);
  });

  it('are right for nine of ten structures of the shelf', () => {
    const divisor = (p: number, q: number): number => (q < 0.5 ? p : divisor(q, p % q));
    const whole = shippedShelf()
      .map((e) => e.structure)
      .filter((s) => Object.values(cellContents(s)).every((n) => Math.abs(n - Math.round(n)) < 1e-6))
      .filter((s) => !isMolecular(cellContents(s)));
    const right = whole.filter((s) => {
      const contents = cellContents(s);
      const z = Object.values(contents).map(Math.round).reduce(divisor);
      return proposeZ(scaleFormula(contents, 1 / z), cellVolume(s.cell), s.spaceGroup) === z;
    });
    expect(whole.length).toBeGreaterThan(80);
    expect(right.length / whole.length).toBeGreaterThan(0.9);
  });
});

describe('volumes of formulae', () => {
  it('tell molecules from frameworks', () => {
    expect(['C6 H6', 'C O2', 'C2 H3 Na O2', 'C Cl4'].every((x) => isMolecular(parseFormula(x)))).toBe(true);
    expect(['C', 'Si C', 'Ca C O3', 'Na Cl', 'H2 O', 'Fe3 C'].some((x) => isMolecular(parseFormula(x)))).toBe(false);
  });

  it('are within a half of those of every dense structure of the shelf', () => {
    for (const { id, structure: s } of shippedShelf()) {
      const ratio = cellVolume(s.cell) / formulaVolume(cellContents(s));
      expect(Math.abs(Math.log(ratio)), id).toBeLessThan(Math.log(1.6));
    }
  });
});

describe('fixed positions', () => {
  it.each([
    ['P 1', 0, [1]],
    ['P -1', 8, [2]],
    ['P 1 21/c 1', 4, [4]],
    ['P 63 m c', 0, [2, 6, 12]],
    ['F m -3 m', 4, [24, 32, 48, 96, 192]],
    ['F d -3 m', 4, [32, 48, 96, 192]],
  ])('of %s: %i, others hold %j', (symbol, count, free) => {
    const places = placesOf(group(symbol));
    expect(places.fixed.length).toBe(count);
    expect(places.free).toEqual(free);
  });

  it('hold as many atoms as the International Tables have it', () => {
    const counts = placesOf(group('F m -3 m')).fixed.map((p) => p.multiplicity);
    expect(counts.sort((p, q) => p - q)).toEqual([4, 4, 8, 24]);
  });
});
