import { describe, expect, it } from 'vitest';
import { metricTensor, cellVolume, type Cell } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { cellContents, type Site, type Structure } from '../crystal/structure.ts';
import { determinant3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { withFoundSymmetry } from './found-symmetry.ts';
import {
  cosets,
  hiddenTranslations,
  multiples,
  multiplesReaching,
  namedCell,
  parseMatrix,
  supercell,
} from './supercell.ts';
import { coincident, separation, wholeCell } from './whole-cell.ts';

const random = seededRandom(130);
const between = (low: number, high: number): number => low + (high - low) * random.next();

/** A crystal of a group with a general site, one on the origin, and an anisotropic one. */
function crystal(symbol: string, cell: Cell): Structure {
  const site = (element: string, position: Vec3, displacement: Site['displacement']): Site => ({
    id: `${element}${Math.round(1e6 * random.next())}`,
    label: `${element}1`,
    element,
    position,
    occupancy: 1,
    displacement,
  });
  return {
    cell,
    spaceGroup: spaceGroupFromSymbol(symbol),
    sites: [
      site('Ti', [0, 0, 0], { kind: 'iso', u: 0.01 }),
      site('O', [between(0.05, 0.11), between(0.27, 0.32), between(0.4, 0.46)], {
        kind: 'aniso',
        u: [0.01, 0.02, 0.03, 0.001, 0.002, 0.003],
      }),
    ],
  };
}

const CRYSTALS: readonly [string, Cell][] = [
  ['P -1', { a: 7.3, b: 8.1, c: 9.4, alpha: 81, beta: 103, gamma: 97 }],
  ['C 1 2/c 1', { a: 9.1, b: 8.4, c: 7.7, alpha: 90, beta: 108, gamma: 90 }],
  ['P 21 21 21', { a: 6.1, b: 8.4, c: 11.7, alpha: 90, beta: 90, gamma: 90 }],
  ['I 41/a m d', { a: 6.6, b: 6.6, c: 6, alpha: 90, beta: 90, gamma: 90 }],
  ['R -3 m', { a: 6.2, b: 6.2, c: 15.1, alpha: 90, beta: 90, gamma: 120 }],
  ['F d -3 m', { a: 11, b: 11, c: 11, alpha: 90, beta: 90, gamma: 90 }],
];

/** A matrix of small whole numbers with a positive determinant that is not too large. */
function someMatrix(): Mat3 {
  for (;;) {
    const m = Array.from({ length: 9 }, () => Math.floor(between(-2, 3))) as unknown as Mat3;
    const det = determinant3(m);
    if (det > 0 && det <= 6) return m;
  }
}

/** Distances around every atom of an element up to a radius, all of them in one sorted list, each cell's share once. */
function distances(s: Structure, reach: number): number[] {
  const whole = wholeCell(s);
  const list = neighbours(
    whole.cell,
    whole.spaceGroup,
    whole.sites.map((x) => x.position),
    reach,
  );
  return list.map((n) => n.distance).sort((p, q) => p - q);
}

describe('supercells', () => {
  it.each(CRYSTALS)('of any matrix hold what they should, at the same distances: %s', (symbol, cell) => {
    const s = crystal(symbol, cell);
    for (let k = 0; k < 4; k++) {
      const p = someMatrix();
      const det = determinant3(p);
      const answer = supercell(s, p);
      expect(answer.after).toBe(answer.before * det);
      expect(answer.merged).toBe(0);
      expect(coincident(answer.structure)).toEqual([]);
      expect(cellVolume(answer.structure.cell)).toBeCloseTo(det * cellVolume(cell), 6);
      const contents = cellContents(s);
      for (const [element, n] of Object.entries(cellContents(answer.structure)))
        expect(n).toBeCloseTo(det * contents[element]!, 9);
      const small = distances(s, 3.2),
        large = distances(answer.structure, 3.2);
      expect(large).toHaveLength(det * small.length);
      small.forEach((d, i) => expect(large[det * i + Math.floor(det / 2)]).toBeCloseTo(d, 6));
      expect(new Set(answer.structure.sites.map((x) => x.label)).size).toBe(answer.after);
    }
  });

  it('reach a length along every axis with as few cells as that takes', () => {
    const s = crystal(...CRYSTALS[2]!);
    expect(multiplesReaching(s, 12)).toEqual(multiples(2, 2, 2));
    expect(multiplesReaching(s, 6.1)).toEqual(multiples(1, 1, 1));
    expect(multiplesReaching(s, 25)).toEqual(multiples(5, 3, 3));
  });

  it('have one lattice point for each of their cells', () => {
    for (let k = 0; k < 30; k++) {
      const p = someMatrix();
      expect(cosets(p)).toHaveLength(determinant3(p));
    }
  });

  it('are read from rows of whole numbers, or from three multiples', () => {
    expect(parseMatrix('2,0,0;0,2,0;1,0,1')).toEqual([2, 0, 1, 0, 2, 0, 0, 0, 1]);
    expect(parseMatrix('2 3 1')).toEqual([2, 0, 0, 0, 3, 0, 0, 0, 1]);
    expect(() => parseMatrix('1,2')).toThrow(/no matrix of whole numbers/);
    expect(() => parseMatrix('1.5,0,0;0,1,0;0,0,1')).toThrow(/whole numbers/);
    const s = crystal(...CRYSTALS[0]!);
    expect(() => supercell(s, [1, 0, 0, 0, 1, 0, 1, 1, 0])).toThrow(/one plane/);
    expect(() => supercell(s, [0, 1, 0, 1, 0, 0, 0, 0, 1])).toThrow(/left-handed/);
    expect(() => supercell(s, [99, 0, 0, 0, 99, 0, 0, 0, 99])).toThrow(/more than/);
  });
});

describe('symmetry that is found again', () => {
  it.each(CRYSTALS)('brings back the group of a supercell without symmetry: %s', (symbol, cell) => {
    const s = crystal(symbol, cell);
    const found = withFoundSymmetry(supercell(s, [1, 0, 1, 0, 2, 0, 0, 0, 1]).structure);
    expect(found.spaceGroup.number).toBe(s.spaceGroup.number);
    expect(namedCell(found, 'conventional').after).toBe(wholeCell(s).sites.length);
    expect(found.sites).toHaveLength(2);
  });
});

describe('cells with a name', () => {
  it.each(CRYSTALS)('primitive and back: %s', (symbol, cell) => {
    const s = crystal(symbol, cell);
    const primitive = namedCell(s, 'primitive');
    expect(primitive.after * s.spaceGroup.centring.length).toBe(primitive.before);
    expect(primitive.structure.spaceGroup.centring).toHaveLength(1);
    const back = namedCell(primitive.structure, 'conventional');
    expect(back.after).toBe(primitive.before);
    expect(back.structure.spaceGroup.number).toBe(s.spaceGroup.number);
    const reduced = namedCell(s, 'reduced');
    const g = metricTensor(reduced.structure.cell);
    // No edge of a reduced cell is longer than a diagonal of its faces.
    for (const [i, j] of [
      [0, 1],
      [0, 2],
      [1, 2],
    ] as const)
      expect(2 * Math.abs(g[3 * i + j]!)).toBeLessThanOrEqual(Math.min(g[4 * i]!, g[4 * j]!) + 1e-6);
  });

  it.each(CRYSTALS)('found again in a supercell without symmetry: %s', (symbol, cell) => {
    const s = crystal(symbol, cell);
    const large = supercell(s, [2, 0, 0, 0, 1, 0, 0, 0, 3]).structure;
    expect(hiddenTranslations(large).length).toBe(6 * s.spaceGroup.centring.length - 1);
    const primitive = namedCell(large, 'primitive');
    expect(primitive.after).toBe(wholeCell(s).sites.length / s.spaceGroup.centring.length);
    const [a, b] = primitive.structure.sites;
    expect(separation(metricTensor(primitive.structure.cell), a!.position, b!.position)).toBeGreaterThan(0.5);
  });
});
