import { describe, expect, it } from 'vitest';
import { eigenSymmetric3, determinant3, multiply3 } from '../math/matrix3.ts';
import {
  cellFromMetric,
  cellParameters,
  cellVolume,
  fractionalDistance,
  isPlausibleCell,
  metricTensor,
  orthogonalization,
  transformCell,
  type Cell,
} from './cell.ts';
import { centringInBasis, congruence, metricSymmetry, niggliReduce, primitiveBasis } from './lattice.ts';
import { LATTICE_TRANSLATIONS } from './hall.ts';
import { neighbours } from './neighbours.ts';
import { spaceGroupFromSymbol } from './settings.ts';
import {
  cellContents,
  displacementToCartesian,
  equivalentU,
  isotropicTensor,
  rotateU,
  type Structure,
} from './structure.ts';
import { formatMeasured, parseMeasured } from './uncertainty.ts';
import { formulaText, formulaWeight, parseFormula } from './formula.ts';
import { elementFromLabel } from './elements.ts';
import { crystalClass } from './point-group.ts';

const triclinic: Cell = { a: 7.21, b: 9.84, c: 12.3, alpha: 81.2, beta: 97.3, gamma: 104.6 };

describe('the cell', () => {
  it('has the volume of the textbook formula and an orthogonalisation that keeps lengths', () => {
    const [ca, cb, cg] = [81.2, 97.3, 104.6].map((x) => Math.cos((x * Math.PI) / 180)) as [number, number, number];
    const v = 7.21 * 9.84 * 12.3 * Math.sqrt(1 - ca * ca - cb * cb - cg * cg + 2 * ca * cb * cg);
    expect(cellVolume(triclinic)).toBeCloseTo(v, 8);
    expect(determinant3(orthogonalization(triclinic))).toBeCloseTo(v, 8);
    expect(fractionalDistance(metricTensor(triclinic), [0, 0, 0], [1, 1, 0])).toBeCloseTo(
      Math.sqrt(7.21 ** 2 + 9.84 ** 2 + 2 * 7.21 * 9.84 * cg),
      9,
    );
    cellParameters(cellFromMetric(metricTensor(triclinic))).forEach((x, i) =>
      expect(x).toBeCloseTo(cellParameters(triclinic)[i]!, 9),
    );
  });

  it('keeps its volume from P 21/c to P 21/n and refuses nonsense', () => {
    const c: Cell = { a: 8, b: 12, c: 15, alpha: 90, beta: 110, gamma: 90, su: [0.001, 0.001, 0.002, 0, 0.01, 0] };
    const n = transformCell(c, [-1, 0, 1, 0, 1, 0, -1, 0, 0]);
    expect(cellVolume(n)).toBeCloseTo(cellVolume(c), 6);
    expect(n.su![0]).toBeGreaterThan(0.0005);
    expect(n.su![3]).toBe(0);
    expect(isPlausibleCell({ a: 5, b: 5, c: 5, alpha: 170, beta: 20, gamma: 20 })).toBe(false);
    expect(() => cellFromMetric([1, 2, 0, 2, 1, 0, 0, 0, 1])).toThrow(/not make a cell/);
  });
});

describe('reduction', () => {
  it('reaches the published reduced form', () => {
    // Křivý & Gruber's example: A, B, C, ξ, η, ζ = 9, 27, 4, −5, −4, −22 reduces to 4, 9, 9, 9, 3, 4.
    const { metric } = niggliReduce([9, -11, -2, -11, 27, -2.5, -2, -2.5, 4]);
    [4, 9, 9].forEach((x, i) => expect(metric[4 * i]).toBeCloseTo(x, 6));
    expect(2 * metric[5]).toBeCloseTo(9, 6);
    expect(2 * metric[2]).toBeCloseTo(3, 6);
    expect(2 * metric[1]).toBeCloseTo(4, 6);
  });

  it('gives one answer from any basis of a lattice', () => {
    const g = metricTensor(triclinic);
    const first = niggliReduce(g).metric;
    for (const p of [
      [1, 2, 0, 0, 1, 0, 1, 0, 1],
      [1, 0, -1, 1, 1, 0, 0, 0, 1],
      [2, 1, 0, 1, 1, 0, 3, 1, 1],
    ] as const) {
      expect(Math.abs(determinant3(p))).toBe(1);
      const r = niggliReduce(congruence(g, p));
      r.metric.forEach((x, i) => expect(x).toBeCloseTo(first[i]!, 4));
      congruence(congruence(g, p), r.p).forEach((x, i) => expect(x).toBeCloseTo(r.metric[i]!, 4));
    }
  });

  it('finds the holohedry behind a primitive cell', () => {
    const cubic: Cell = { a: 6, b: 6, c: 6, alpha: 90, beta: 90, gamma: 90 };
    expect(crystalClass(metricSymmetry(cubic).rotations)).toBe('m-3m');
    const p = primitiveBasis(LATTICE_TRANSLATIONS['F']!);
    const face = transformCell(cubic, p);
    expect(cellVolume(face)).toBeCloseTo(54, 6);
    expect(crystalClass(metricSymmetry(face).rotations)).toBe('m-3m');
    expect(crystalClass(metricSymmetry({ a: 8, b: 12, c: 15, alpha: 90, beta: 101, gamma: 90 }).rotations)).toBe('2/m');
    expect(crystalClass(metricSymmetry(triclinic).rotations)).toBe('-1');
    expect(centringInBasis(p, [1, 0, 0, 0, 1, 0, 0, 0, 1])).toHaveLength(4);
  });
});

describe('displacements', () => {
  it('are spherical when isotropic and keep U_eq through a rotation', () => {
    const u = isotropicTensor(triclinic, 0.05);
    eigenSymmetric3(displacementToCartesian(triclinic, u)).values.forEach((x) => expect(x).toBeCloseTo(0.05, 10));
    const tensor = [0.03, 0.04, 0.06, 0.005, -0.002, 0.011] as const;
    const hexagonal: Cell = { a: 9, b: 9, c: 14, alpha: 90, beta: 90, gamma: 120 };
    const turned = rotateU(hexagonal, [0, -1, 0, 1, -1, 0, 0, 0, 1], tensor);
    expect(equivalentU(hexagonal, { kind: 'aniso', u: turned })).toBeCloseTo(
      equivalentU(hexagonal, { kind: 'aniso', u: tensor }),
      12,
    );
    const before = eigenSymmetric3(displacementToCartesian(hexagonal, tensor)).values;
    eigenSymmetric3(displacementToCartesian(hexagonal, turned)).values.forEach((x, i) =>
      expect(x).toBeCloseTo(before[i]!, 12),
    );
  });
});

describe('neighbours', () => {
  it('count the coordination of rock salt', () => {
    const cell: Cell = { a: 5.6402, b: 5.6402, c: 5.6402, alpha: 90, beta: 90, gamma: 90 };
    const list = neighbours(
      cell,
      spaceGroupFromSymbol('F m -3 m'),
      [
        [0, 0, 0],
        [0.5, 0, 0],
      ],
      4.1,
      [0],
    );
    expect(list.filter((n) => n.to === 1)).toHaveLength(6);
    expect(list.filter((n) => n.to === 0)).toHaveLength(12);
    for (const n of list.filter((x) => x.to === 1)) expect(n.distance).toBeCloseTo(2.8201, 6);
  });

  it('fill the cell with what the formula says', () => {
    const s: Structure = {
      cell: { a: 5.6402, b: 5.6402, c: 5.6402, alpha: 90, beta: 90, gamma: 90 },
      spaceGroup: spaceGroupFromSymbol('F m -3 m'),
      sites: [
        {
          id: '1',
          label: 'Na',
          element: 'Na',
          position: [0, 0, 0],
          occupancy: 1,
          displacement: { kind: 'iso', u: 0.02 },
        },
        {
          id: '2',
          label: 'Cl',
          element: 'Cl',
          position: [0.5, 0, 0],
          occupancy: 1,
          displacement: { kind: 'iso', u: 0.02 },
        },
      ],
    };
    const contents = cellContents(s);
    expect(contents).toEqual({ Na: 4, Cl: 4 });
    const density = (formulaWeight(contents) * 1.66053907) / cellVolume(s.cell);
    expect(density).toBeGreaterThan(2.163);
    expect(density).toBeLessThan(2.165);
  });
});

describe('numbers with their uncertainty', () => {
  it.each([
    [1.23456, 0.0052, '1.235(5)'],
    [1.23456, 0.00152, '1.2346(15)'],
    [1.23456, 0.0019, '1.2346(19)'],
    [1.23456, 0.002, '1.235(2)'],
    [105.3, 1.1, '105.3(11)'],
    [1530.4, 23, '1530(20)'],
    [-0.0003, 0.0002, '-0.0003(2)'],
    [90, 0, '90.0000'],
  ])('%f with %f prints %s', (value, su, text) => {
    expect(formatMeasured(value, su)).toBe(text);
  });

  it('are read back', () => {
    expect(parseMeasured('1.2346(15)')).toEqual({ value: 1.2346, su: expect.closeTo(0.0015, 10) });
    expect(parseMeasured('-12(3)')).toEqual({ value: -12, su: 3 });
    expect(parseMeasured('.5')).toEqual({ value: 0.5, su: 0 });
    expect(parseMeasured('1.2.3')).toBeUndefined();
  });
});

describe('formulae', () => {
  it('are read, printed in Hill order and refused with the part that is wrong', () => {
    expect(formulaText(parseFormula('O3C14N2H16'))).toBe('C14 H16 N2 O3');
    expect(parseFormula('(C6 H5)2 O')).toEqual({ C: 12, H: 10, O: 1 });
    expect(formulaWeight(parseFormula('C14 H16 N2 O3'))).toBeCloseTo(260.29, 1);
    expect(() => parseFormula('C14 ?16')).toThrow(/"\?16"/);
    expect(() => parseFormula('C14 Xq2')).toThrow(/Xq/);
    expect(() => parseFormula('C2(H5')).toThrow(/bracket/);
  });

  it('tell elements from labels', () => {
    expect(['C12', 'CL1A', 'Cl2', 'Fe3+', 'N1', 'H12B', 'O', 'BR1', 'CA1'].map(elementFromLabel)).toEqual([
      'C',
      'Cl',
      'Cl',
      'Fe',
      'N',
      'H',
      'O',
      'Br',
      'C',
    ]);
    expect(elementFromLabel('?')).toBeUndefined();
  });
});

it('multiplies matrices in the order written', () => {
  expect(multiply3([0, -1, 0, 1, 0, 0, 0, 0, 1], [1, 0, 0, 0, -1, 0, 0, 0, 1])).toEqual([0, 1, 0, 1, 0, 0, 0, 0, 1]);
});
