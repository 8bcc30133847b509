import { describe, expect, it } from 'vitest';
import { cellParameters, type Cell } from '../crystal/cell.ts';
import { USUAL_INSTRUMENT, type Pattern } from '../crystal/pattern.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { seededRandom } from '../math/random.ts';
import { cellOfQuadratic, newPatternModel, newPhase, quadraticForm, type FitModel, type PhaseModel } from './model.ts';
import {
  cellUncertainty,
  fitMap,
  isFree,
  KINDS,
  layoutOf,
  modelAt,
  parameterName,
  QUADRATIC,
  valuesOf,
  type Kind,
} from './parameters.ts';

const cell = (a: number, b: number, c: number, alpha = 90, beta = 90, gamma = 90): Cell => ({
  a,
  b,
  c,
  alpha,
  beta,
  gamma,
});
const structure = (symbol: string, c: Cell): Structure => ({
  cell: c,
  spaceGroup: spaceGroupFromSymbol(symbol),
  sites: [
    {
      id: 'm',
      label: 'Zn1',
      element: 'Zn',
      position: [0.31, 0.17, 0.23],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.01 },
    },
    {
      id: 'o',
      label: 'O1',
      element: 'O',
      position: [0.12, 0.42, 0.08],
      occupancy: 0.7,
      displacement: { kind: 'aniso', u: [0.02, 0.021, 0.022, 0.001, -0.002, 0.003] },
    },
  ],
});
const pattern: Pattern = {
  name: 'made up',
  twoTheta: Float64Array.from({ length: 100 }, (_, i) => 10 + i),
  intensity: new Float64Array(100).fill(50),
  sigma: new Float64Array(100).fill(7),
} as Pattern;
const phase = (id: string, symbol: string, c: Cell, more: Partial<PhaseModel> = {}): PhaseModel => ({
  ...newPhase(id, `Phase ${id}`, structure(symbol, c)),
  ...more,
});

function model(phases: readonly PhaseModel[], patterns = 1): FitModel {
  const own = newPatternModel(pattern, USUAL_INSTRUMENT, phases.length, 5);
  const varied = (i: number) => ({
    ...own,
    zero: 0.01 + i,
    displacement: -0.02,
    absorption: 0.3,
    scales: phases.map((_, k) => 1 + k + 10 * i),
    background: {
      chebyshev: [90, -20, 5, 0.5, 0.1],
      peaks: [{ position: 25, height: 40, width: 8 }],
      points: [[10, 3] as const, [100, 5] as const],
    },
  });
  return { phases, patterns: Array.from({ length: patterns }, (_, i) => varied(i)) };
}
const RICH = model(
  [
    phase('a', 'P 63/m m c', cell(4.72, 4.72, 7.71, 90, 90, 120), {
      orientation: { axis: [0, 0, 1], r: 0.8 },
      strain: 0.5,
    }),
    phase('b', 'P 1 21/c 1', cell(7.1, 9.3, 11.2, 90, 103.4, 90), {
      inverseSize: 0.02,
      anisotropicSize: { axis: [0, 1, 0], inverseAcross: 0.05 },
      stephens: Array.from({ length: 15 }, (_, i) => 0.1 * i),
    }),
  ],
  2,
);

describe('a fit as a list of numbers', () => {
  const layout = layoutOf(RICH, [0, 0]);
  const values = valuesOf(RICH, layout, []);

  it('has a place for each of them and comes back as it was', () => {
    expect(values).toHaveLength(layout.total);
    const back = modelAt(RICH, values, layout);
    back.phases.forEach((p, i) => {
      const before = RICH.phases[i]!;
      cellParameters(p.structure.cell).forEach((x, k) =>
        expect(x).toBeCloseTo(cellParameters(before.structure.cell)[k]!, 9),
      );
      expect({ ...p, structure: undefined }).toEqual({ ...before, structure: undefined });
      p.structure.sites.forEach((s, k) => {
        const old = before.structure.sites[k]!;
        s.position.forEach((x, m) => expect(x).toBeCloseTo(old.position[m]!, 12));
        expect(s.occupancy).toBeCloseTo(old.occupancy, 12);
        expect(s.displacement).toMatchObject(old.displacement);
      });
    });
    expect(back.patterns).toEqual(RICH.patterns);
  });

  it('has a name for every one, and each name speaks of its phase or pattern', () => {
    for (let i = 0; i < layout.total; i++) expect(parameterName(RICH, layout, i)).not.toMatch(/^parameter|undefined/);
    expect(parameterName(RICH, layout, layout.extra[1]! + QUADRATIC)).toBe('cell of Phase b');
    expect(parameterName(RICH, layout, layout.pattern[1]!)).toBe('zero of pattern 2');
    expect(parameterName(RICH, layout, layout.background[0]! + 2)).toBe('background term 2 of pattern 1');
    expect(parameterName(RICH, layout, layout.background[0]! + 6)).toBe('height of background hump 1 of pattern 1');
    expect(parameterName(RICH, layout, layout.phase[0]!)).toContain('(Phase a)');
  });

  it('takes Pawley intensities in their own block', () => {
    const pawley = model([phase('a', 'P m -3 m', cell(4, 4, 4), { extraction: 'Pawley' })]);
    const l = layoutOf(pawley, [3]);
    const v = valuesOf(pawley, l, [Float64Array.of(7, 8, 9)]);
    expect([...v.subarray(l.intensity[0]!, l.intensity[0]! + 3)]).toEqual([7, 8, 9]);
    expect(parameterName(pawley, l, l.intensity[0]! + 1)).toBe('intensity 2 of Phase a');
    expect(fitMap(pawley, l, new Set(['intensities']), [3]).independent).toBe(3);
    // Its scale is one with the intensities.
    expect(fitMap(pawley, l, new Set(['scale']), [3]).independent).toBe(0);
  });
});

describe('what is freed', () => {
  it('is a kind for all phases or for one', () => {
    const free = new Set(['cell', 'size:b']);
    expect([isFree(free, 'cell', 'a'), isFree(free, 'size', 'b'), isFree(free, 'size', 'a')]).toEqual([
      true,
      true,
      false,
    ]);
    expect(isFree(free, 'size')).toBe(false);
  });

  /** Constants a class leaves free, of the cell and of direction-dependent strain (Stephens 1999, table 1). */
  const CLASSES: readonly (readonly [symbol: string, cell: Cell, constants: number, quartic: number])[] = [
    ['P -1', cell(6, 7, 8, 82, 97, 104), 6, 15],
    ['P 1 21/c 1', cell(6, 7, 8, 90, 104, 90), 4, 9],
    ['P n m a', cell(6, 7, 8), 3, 6],
    ['P 4/m m m', cell(6, 6, 8), 2, 4],
    ['R -3 m', cell(6, 6, 18, 90, 90, 120), 2, 4],
    ['P 63/m m c', cell(6, 6, 8, 90, 90, 120), 2, 3],
    ['F m -3 m', cell(6, 6, 6), 1, 2],
  ];

  it.each(CLASSES)('of %s has as many constants as its class', (symbol, c, constants, quartic) => {
    const m = model([phase('a', symbol, c, { stephens: new Array<number>(15).fill(0) })]);
    const l = layoutOf(m, [0]);
    const count = (kind: Kind): number => fitMap(m, l, new Set([kind]), [0]).independent;
    expect([count('cell'), count('strain by direction')]).toEqual([constants, quartic]);
  });

  it.each(CLASSES)('of %s keeps the shape of the cell whichever way it moves', (symbol, c) => {
    const m = model([phase('a', symbol, c)]);
    const l = layoutOf(m, [0]);
    const map = fitMap(m, l, new Set(['cell']), [0]);
    for (let k = 0; k < map.independent; k++) {
      const v = valuesOf(m, l, []);
      for (let i = 0; i < map.physical; i++)
        for (let e = map.start[i]!; e < map.start[i + 1]!; e++) if (map.column[e] === k) v[i]! += 1e-4 * map.value[e]!;
      const moved = cellParameters(modelAt(m, v, l).phases[0]!.structure.cell);
      const before = cellParameters(c);
      expect(moved.some((x, i) => Math.abs(x - before[i]!) > 1e-6)).toBe(true);
      // Equal edges stay equal, and angles that symmetry gives stay what they are.
      if (before[0] === before[1] && symbol !== 'P -1') expect(moved[0]).toBeCloseTo(moved[1]!, 9);
      [3, 4, 5].forEach((i) => {
        if (before[i] === 90 || before[i] === 120) expect(moved[i]).toBeCloseTo(before[i]!, 7);
      });
    }
  });

  it('counts background, scales and the rest once a pattern', () => {
    const l = layoutOf(RICH, [0, 0]);
    const count = (kind: string): number => fitMap(RICH, l, new Set([kind]), [0, 0]).independent;
    expect(count('background')).toBe(2 * (5 + 3));
    expect(count('scale')).toBe(4);
    expect(count('scale:b')).toBe(2);
    expect(count('zero')).toBe(2);
    expect(count('Gaussian widths')).toBe(6);
    expect(count('instrument widths')).toBe(10);
    expect(count('size')).toBe(3);
    expect(count('orientation')).toBe(1);
    expect(count('positions')).toBe(12);
    expect(count('occupancies')).toBe(2);
    expect(count('overall U')).toBe(2);
  });

  it('of everything is the sum of its kinds', () => {
    const l = layoutOf(RICH, [0, 0]);
    const separate = KINDS.filter((k) => k !== 'overall U' && k !== 'Gaussian widths');
    const sum = separate.reduce((n, k) => n + fitMap(RICH, l, new Set([k]), [0, 0]).independent, 0);
    expect(fitMap(RICH, l, new Set(KINDS), [0, 0]).independent).toBe(sum);
  });
});

describe('s.u. of the cell', () => {
  it.each([
    ['monoclinic', cell(7.1, 9.3, 11.2, 90, 103.4, 90)],
    ['triclinic', cell(6.1, 7.3, 8.2, 82, 97.5, 104)],
  ])('%s: is the scatter of cells drawn from the covariance', (_, c) => {
    const q = quadraticForm(c);
    const { normal } = seededRandom(31);
    // Correlated errors: each coefficient has its own part and one they share.
    const own = q.map((x) => 2e-5 * Math.max(Math.abs(x), 0.004)),
      shared = own.map((x, i) => (i % 2 ? -1.5 : 1.2) * x);
    const said = cellUncertainty(c, (i, j) => shared[i]! * shared[j]! + (i === j ? own[i]! ** 2 : 0));
    const draws = 4000;
    const squares = new Array<number>(6).fill(0);
    for (let n = 0; n < draws; n++) {
      const common = normal();
      const drawn = cellParameters(cellOfQuadratic(q.map((x, i) => x + own[i]! * normal() + shared[i]! * common)));
      drawn.forEach((x, i) => (squares[i]! += (x - cellParameters(c)[i]!) ** 2 / draws));
    }
    said.forEach((su, i) => expect(Math.sqrt(squares[i]!) / su).toBeCloseTo(1, 1));
  });
});
