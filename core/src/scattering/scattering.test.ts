import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { directSum } from '../../../demo/src/direct-sum.ts';
import { type Cell } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { elementsOf, siteArrays } from '../refine/single-crystal-problem.ts';
import { seededRandom } from '../math/random.ts';
import {
  absorptionCoefficient,
  anodeFor,
  dispersion,
  formFactor,
  gaussianFactor,
  meanWavelength,
} from './form-factor.ts';
import { scatteringTable, structureFactors } from './structure-factors.ts';

describe('form factors', () => {
  it('give the published figures', () => {
    expect(formFactor(gaussianFactor('O'), 0.25)).toBeCloseTo(4.8, 1);
    const iron = dispersion('Fe', meanWavelength('Mo')!);
    expect(iron.f1).toBeCloseTo(0.35, 2);
    expect(iron.f2).toBeCloseTo(0.85, 2);
    expect(formFactor(gaussianFactor('H'), 0)).toBeCloseTo(1, 2);
  });

  it('approach the number of electrons and fall with angle', () => {
    for (const [symbol, z] of [
      ['C', 6],
      ['N', 7],
      ['Cl', 17],
      ['Br', 35],
      ['U', 92],
    ] as const) {
      expect(formFactor(gaussianFactor(symbol), 0)).toBeCloseTo(z, 1);
      expect(formFactor(gaussianFactor(symbol), 0.5)).toBeLessThan(formFactor(gaussianFactor(symbol), 0.3));
    }
    expect(() => gaussianFactor('Xx')).toThrow(/no form factor/);
  });

  it('interpolate dispersion between lines and know the lines', () => {
    expect(anodeFor(1.5418)).toBe('Cu');
    expect(anodeFor(1.2)).toBeUndefined();
    // Above its K edge (7.112 keV, 1.743 Å) iron absorbs far more.
    expect(dispersion('Fe', 1.7).f2).toBeGreaterThan(4 * dispersion('Fe', 1.78).f2);
    const near = dispersion('S', 1.54187 * 1.002).f2,
      line = dispersion('S', 1.54187).f2;
    expect(Math.abs(near / line - 1)).toBeLessThan(0.03);
  });

  it('give the absorption of rock salt', () => {
    // μ of NaCl at Cu Kα is about 160 cm⁻¹ (International Tables C).
    const mu = absorptionCoefficient({ Na: 1, Cl: 1 }, 4, 5.6402 ** 3, meanWavelength('Cu')!);
    expect(mu).toBeGreaterThan(15);
    expect(mu).toBeLessThan(17);
  });
});

const random = seededRandom(4);
const general = (symbol: string, cell: Cell): Structure => ({
  cell,
  spaceGroup: spaceGroupFromSymbol(symbol),
  sites: ['C', 'O', 'S', 'Br'].map((element, i) => ({
    id: `${i}`,
    label: `${element}${i}`,
    element,
    position: [random.next(), random.next(), random.next()] as const,
    occupancy: 0.4 + 0.6 * random.next(),
    displacement:
      i % 2
        ? { kind: 'iso' as const, u: 0.03 }
        : { kind: 'aniso' as const, u: [0.03, 0.04, 0.05, 0.004, -0.006, 0.008] as const },
  })),
});

describe('structure factors', () => {
  const orthogonal: Cell = { a: 9, b: 11, c: 13, alpha: 90, beta: 90, gamma: 90 };
  it.each([
    ['P 1', { ...orthogonal, alpha: 81, beta: 97, gamma: 103 }],
    ['P -1', { ...orthogonal, alpha: 81, beta: 97, gamma: 103 }],
    ['P 1 21/c 1', { ...orthogonal, beta: 104 }],
    ['C 1 2/c 1', { ...orthogonal, beta: 104 }],
    ['P 21 21 21', orthogonal],
    ['P n a 21', orthogonal],
    ['F d d 2', orthogonal],
    ['I 41/a', { ...orthogonal, b: 9 }],
    ['I41/a:1', { ...orthogonal, b: 9 }],
    ['R -3', { ...orthogonal, b: 9, gamma: 120 }],
    ['P 61 2 2', { ...orthogonal, b: 9, gamma: 120 }],
    ['F d -3 m', { ...orthogonal, b: 9, c: 9 }],
  ])('in %s agree with the direct sum over the cell', (symbol, cell) => {
    const s = general(symbol, cell);
    const h = [1, 2, -3, 0, 4, 2],
      k = [0, 1, 2, 4, -1, -2],
      l = [2, -3, 1, 4, 0, 5];
    const elements = elementsOf(s);
    const { a, b } = structureFactors(
      scatteringTable(cell, s.spaceGroup, { count: 6, h, k, l }, elements, 1.54187),
      siteArrays(s, elements),
    );
    for (let i = 0; i < 6; i++) {
      const [A, B] = directSum(s, h[i]!, k[i]!, l[i]!, 1.54187);
      expect(a[i]).toBeCloseTo(A, 8);
      expect(b[i]).toBeCloseTo(B, 8);
    }
  });

  it('give the powder intensities of rock salt and fluorite', () => {
    const relative = (
      cell: Cell,
      sites: [string, [number, number, number], number][],
      list: [number, number, number, number][],
    ): number[] => {
      const s: Structure = {
        cell,
        spaceGroup: spaceGroupFromSymbol('F m -3 m'),
        sites: sites.map(([element, position, u], i) => ({
          id: `${i}`,
          label: element,
          element,
          position,
          occupancy: 1,
          displacement: { kind: 'iso', u },
        })),
      };
      const elements = elementsOf(s);
      const { a, b } = structureFactors(
        scatteringTable(
          cell,
          s.spaceGroup,
          { count: list.length, h: list.map((x) => x[0]), k: list.map((x) => x[1]), l: list.map((x) => x[2]) },
          elements,
          1.540593,
        ),
        siteArrays(s, elements),
      );
      const values = list.map(([h, k, l, m], i) => {
        const theta = Math.asin((1.540593 * Math.sqrt(h * h + k * k + l * l)) / (2 * cell.a));
        return (
          (m * (a[i]! ** 2 + b[i]! ** 2) * (1 + Math.cos(2 * theta) ** 2)) / (Math.sin(theta) ** 2 * Math.cos(theta))
        );
      });
      const top = Math.max(...values);
      return values.map((v) => (100 * v) / top);
    };
    const cubic = (a: number): Cell => ({ a, b: a, c: a, alpha: 90, beta: 90, gamma: 90 });
    const salt = relative(
      cubic(5.6402),
      [
        ['Na', [0, 0, 0], 0.02],
        ['Cl', [0.5, 0, 0], 0.016],
      ],
      [
        [1, 1, 1, 8],
        [2, 0, 0, 6],
        [2, 2, 0, 12],
      ],
    );
    expect(salt[1]).toBeCloseTo(100, 9);
    expect(salt[0]).toBeGreaterThan(7);
    expect(salt[0]).toBeLessThan(13);
    expect(salt[2]).toBeGreaterThan(55);
    expect(salt[2]).toBeLessThan(66);
    const ceria = relative(
      cubic(5.4113),
      [
        ['Ce', [0, 0, 0], 0.004],
        ['O', [0.25, 0.25, 0.25], 0.006],
      ],
      [
        [1, 1, 1, 8],
        [2, 0, 0, 6],
        [2, 2, 0, 12],
        [3, 1, 1, 24],
      ],
    );
    expect(ceria[0]).toBeCloseTo(100, 9);
    [
      [1, 26, 30],
      [2, 44, 54],
      [3, 34, 42],
    ].forEach(([i, low, high]) => {
      expect(ceria[i!]).toBeGreaterThan(low!);
      expect(ceria[i!]).toBeLessThan(high!);
    });
  });
});

it('holds the tables it was given', () => {
  const table = JSON.parse(readFileSync(new URL('./tables/form-factors.json', import.meta.url), 'utf8')) as {
    neutral: Record<string, number[]>;
  };
  expect(Object.keys(table.neutral)).toHaveLength(98);
});
