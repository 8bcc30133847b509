import { describe, expect, it } from 'vitest';
import { determinant3, inverse3, multiply3, type Mat3, type Vec3, toMat3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { cellVolume, metricTensor, type Cell } from './cell.ts';
import {
  centringInBasis,
  congruence,
  latticeTwoFolds,
  metricSymmetry,
  niggliReduce,
  primitiveBasis,
} from './lattice.ts';

const cell = (a: number, b: number, c: number, alpha = 90, beta = 90, gamma = 90): Cell => ({
  a,
  b,
  c,
  alpha,
  beta,
  gamma,
});
const HALF = 0.5;
const CENTRINGS: Readonly<Record<string, Vec3[]>> = {
  P: [],
  A: [[0, HALF, HALF]],
  B: [[HALF, 0, HALF]],
  C: [[HALF, HALF, 0]],
  I: [[HALF, HALF, HALF]],
  F: [
    [0, HALF, HALF],
    [HALF, 0, HALF],
    [HALF, HALF, 0],
  ],
  R: [
    [2 / 3, 1 / 3, 1 / 3],
    [1 / 3, 2 / 3, 2 / 3],
  ],
};

/** A random cell with no angle too flat to be one. */
function randomCell(random: () => number): Cell {
  for (;;) {
    const edge = (): number => 3 + 12 * random();
    const angle = (): number => 60 + 60 * random();
    const found = cell(edge(), edge(), edge(), angle(), angle(), angle());
    const volume = cellVolume(found);
    if (volume > 0.3 * found.a * found.b * found.c) return found;
  }
}

/** A random unimodular matrix from elementary steps. */
function unimodular(random: () => number): Mat3 {
  let p: Mat3 = [1, 0, 0, 0, 1, 0, 0, 0, 1];
  for (let i = 0; i < 6; i++) {
    const row = Math.floor(3 * random()),
      column = (row + 1 + Math.floor(2 * random())) % 3;
    const step = [1, 0, 0, 0, 1, 0, 0, 0, 1];
    step[3 * row + column] = random() < 0.5 ? 1 : -1;
    p = multiply3(p, toMat3(step));
  }
  return p;
}

describe('a primitive basis', () => {
  it.each(Object.entries(CENTRINGS))('of a %s lattice holds each of its points once', (_, centring) => {
    const p = primitiveBasis(centring);
    expect(determinant3(p)).toBeCloseTo(1 / (centring.length + 1), 9);
    // Every translation of the lattice has whole coordinates in it.
    const q = inverse3(p);
    for (const c of [...centring, [1, 0, 0], [0, 1, 0], [0, 0, 1]] as Vec3[]) {
      const [x, y, z] = c;
      for (let i = 0; i < 3; i++) {
        const v = q[3 * i]! * x + q[3 * i + 1]! * y + q[3 * i + 2]! * z;
        expect(v).toBeCloseTo(Math.round(v), 6);
      }
    }
  });

  it('gives its centring back in the conventional axes', () => {
    for (const centring of Object.values(CENTRINGS)) {
      const back = centringInBasis(primitiveBasis(centring), [1, 0, 0, 0, 1, 0, 0, 0, 1]);
      const key = (v: Vec3): string => v.map((x) => Math.round(1000 * (x - Math.floor(x)))).join();
      expect(new Set(back.map(key))).toEqual(new Set([[0, 0, 0] as Vec3, ...centring].map(key)));
    }
  });

  it('of translations that make no lattice is refused', () => {
    expect(() => primitiveBasis([[0.31, 0.2, 0.7]])).toThrow('do not make a lattice');
  });
});

describe('Niggli reduction', () => {
  const { next: random } = seededRandom(20261126);
  const cells = Array.from({ length: 60 }, () => randomCell(random));

  it('keeps the lattice: its matrix is whole, of determinant one, and carries the metric', () => {
    for (const c of cells) {
      const g = metricTensor(c);
      const { p, metric } = niggliReduce(g);
      expect(p.every(Number.isInteger)).toBe(true);
      expect(determinant3(p)).toBe(1);
      congruence(g, p).forEach((x, i) => expect(x).toBeCloseTo(metric[i]!, 6));
    }
  });

  it('ends at a cell of the shortest edges, all angles on one side of 90°', () => {
    for (const c of cells) {
      const [A, D, E, , B, F, , , C] = niggliReduce(metricTensor(c)).metric;
      expect(A).toBeLessThanOrEqual(B + 1e-6);
      expect(B).toBeLessThanOrEqual(C + 1e-6);
      for (const [scalar, shorter] of [
        [F, B],
        [E, A],
        [D, A],
      ] as const)
        expect(2 * Math.abs(scalar)).toBeLessThanOrEqual(shorter + 1e-6);
      const signs = [D, E, F].map((x) => (Math.abs(x) < 1e-6 ? 0 : Math.sign(x)));
      expect(signs.every((s) => s > 0) || signs.every((s) => s <= 0)).toBe(true);
      // No lattice vector is shorter than the first edge, none out of its plane than the third.
      for (let i = -2; i <= 2; i++)
        for (let j = -2; j <= 2; j++)
          for (let k = -2; k <= 2; k++) {
            if (!i && !j && !k) continue;
            const square = i * i * A + j * j * B + k * k * C + 2 * (i * j * D + i * k * E + j * k * F);
            expect(square).toBeGreaterThanOrEqual((k ? C : j ? B : A) - 1e-5);
          }
    }
  });

  it('gives one metric from any basis of a lattice', () => {
    for (const c of cells) {
      const g = metricTensor(c);
      const { metric } = niggliReduce(g);
      const other = niggliReduce(congruence(g, unimodular(random))).metric;
      other.forEach((x, i) => expect(x).toBeCloseTo(metric[i]!, 4));
    }
  });
});

describe('the symmetry of a metric', () => {
  /** Order of the holohedry, inversion included (International Tables A, 3.1.2). */
  const KINDS: readonly (readonly [name: string, cell: Cell, centring: string, order: number])[] = [
    ['triclinic', cell(6.1, 7.3, 8.9, 83, 97, 104), 'P', 2],
    ['monoclinic', cell(6.1, 7.3, 8.9, 90, 104, 90), 'P', 4],
    ['monoclinic, centred', cell(12.2, 7.3, 8.9, 90, 104, 90), 'C', 4],
    ['orthorhombic', cell(6.1, 7.3, 8.9), 'P', 8],
    ['orthorhombic, one face centred', cell(6.1, 9.3, 8.9), 'C', 8],
    ['orthorhombic, body centred', cell(6.1, 9.3, 12.9), 'I', 8],
    ['orthorhombic, all faces centred', cell(6.1, 9.3, 12.9), 'F', 8],
    ['tetragonal', cell(6.1, 6.1, 8.9), 'P', 16],
    ['tetragonal, body centred', cell(6.1, 6.1, 8.9), 'I', 16],
    ['rhombohedral', cell(4.9, 4.9, 13.4, 90, 90, 120), 'R', 12],
    ['hexagonal', cell(4.9, 4.9, 7.4, 90, 90, 120), 'P', 24],
    ['cubic', cell(5.4, 5.4, 5.4), 'P', 48],
    ['cubic, body centred', cell(5.4, 5.4, 5.4), 'I', 48],
    ['cubic, all faces centred', cell(5.4, 5.4, 5.4), 'F', 48],
  ];

  it.each(KINDS)('%s', (_, c, centring, order) => {
    const found = metricSymmetry(c, CENTRINGS[centring]!);
    expect(found.rotations).toHaveLength(order);
    expect(found.deviation).toBeLessThan(1e-4);
    // Each rotation leaves lengths and angles as they are.
    const g = metricTensor(c);
    for (const r of found.rotations) congruence(g, r).forEach((x, i) => expect(x).toBeCloseTo(g[i]!, 5));
  });

  it('of a cell a little off its shape is found within the tolerance and told with the deviation', () => {
    const off = cell(5.4, 5.43, 5.42, 90.2, 89.9, 90.1);
    expect(metricSymmetry(off, [], 0.6).rotations).toHaveLength(48);
    expect(metricSymmetry(off, [], 0.6).deviation).toBeGreaterThan(0.05);
    expect(metricSymmetry(off, [], 0.02).rotations.length).toBeLessThan(48);
  });

  it('has as many two-folds as its class', () => {
    const count = (c: Cell): number => latticeTwoFolds(c, 0.01).length;
    expect([count(cell(5, 6, 7, 91, 95, 99)), count(cell(5, 6, 7)), count(cell(5, 5, 5))]).toEqual([0, 3, 9]);
  });
});
