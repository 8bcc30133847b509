import { describe, expect, it } from 'vitest';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Cell } from '@nagare/core/crystal/cell';
import { cellVolume } from '@nagare/core/crystal/cell';
import { newPhase, type CellConstant, type PhaseModel } from '@nagare/core/powder/model';
import { constantFor, dependsAlone, sensitivities, type Tick } from './reflections.ts';

const LAMBDA = 1.540593;
const DEGREE = Math.PI / 180;

const phase = (symbol: string, cell: Cell): PhaseModel =>
  newPhase('p', 'made up', { cell, spaceGroup: spaceGroupFromSymbol(symbol), sites: [] });
const cell = (a: number, b: number, c: number, alpha = 90, beta = 90, gamma = 90): Cell => ({
  a,
  b,
  c,
  alpha,
  beta,
  gamma,
});

/** Of a direct cell with angles, from its metric by hand (International Tables C, 1.1.3). */
function spacing(x: Cell, h: number, k: number, l: number): number {
  const ca = Math.cos(x.alpha * DEGREE),
    cb = Math.cos(x.beta * DEGREE),
    cg = Math.cos(x.gamma * DEGREE);
  const { a, b, c } = x;
  const s11 = (b * c * Math.sin(x.alpha * DEGREE)) ** 2,
    s22 = (a * c * Math.sin(x.beta * DEGREE)) ** 2,
    s33 = (a * b * Math.sin(x.gamma * DEGREE)) ** 2;
  const s12 = a * b * c * c * (ca * cb - cg),
    s23 = a * a * b * c * (cb * cg - ca),
    s13 = a * b * b * c * (cg * ca - cb);
  const v = cellVolume(x);
  return v / Math.sqrt(s11 * h * h + s22 * k * k + s33 * l * l + 2 * (s12 * h * k + s23 * k * l + s13 * h * l));
}
const angle = (d: number): number => (2 / DEGREE) * Math.asin(LAMBDA / (2 * d));
const tick = (p: PhaseModel, h: number, k: number, l: number, shift = 0): Tick => {
  const d = spacing(p.structure.cell, h, k, l);
  const x = angle(d) + shift;
  return { phase: 0, phaseId: p.id, name: p.name, h, k, l, d, x, intensity: 1, multiplicity: 1 };
};

const CUBIC = phase('F m -3 m', cell(5.43, 5.43, 5.43));
const HEXAGONAL = phase('P 63/m m c', cell(4.72, 4.72, 7.71, 90, 90, 120));
const MONOCLINIC = phase('P 1 21/c 1', cell(7.1, 9.3, 11.2, 90, 103.4, 90));
const TRICLINIC = phase('P -1', cell(6.1, 7.3, 8.2, 82, 97.5, 104));

describe('how a reflection moves with the cell', () => {
  it('is −(2/a) tan θ for a cubic edge', () => {
    const t = tick(CUBIC, 2, 2, 0);
    const [only, ...others] = sensitivities(CUBIC, t, LAMBDA);
    expect(others).toEqual([]);
    expect(only!.constant).toBe('a');
    expect(only!.slope).toBeCloseTo(((-2 / 5.43) * Math.tan((t.x / 2) * DEGREE)) / DEGREE, 5);
  });

  it('is each constant’s own in a triclinic cell, as differences of spacings worked out by hand say', () => {
    const { cell: c } = TRICLINIC.structure;
    for (const s of sensitivities(TRICLINIC, { h: 1, k: -2, l: 3 }, LAMBDA)) {
      const step = 1e-5;
      const moved = (sign: number): number =>
        angle(spacing({ ...c, [s.constant]: c[s.constant] + sign * step }, 1, -2, 3));
      expect(s.slope).toBeCloseTo((moved(1) - moved(-1)) / (2 * step), 4);
    }
  });

  it('names the constant that moves it most first', () => {
    const first = (h: number, k: number, l: number): CellConstant =>
      sensitivities(HEXAGONAL, { h, k, l }, LAMBDA)[0]!.constant;
    expect(first(0, 0, 4)).toBe('c');
    expect(first(1, 1, 0)).toBe('a');
  });

  it.each([
    ['0 0 2 with c of a hexagonal cell', HEXAGONAL, [0, 0, 2], 'c', true],
    ['1 0 0 with a of it', HEXAGONAL, [1, 0, 0], 'a', true],
    ['1 0 1 with a of it, though c moves it too', HEXAGONAL, [1, 0, 1], 'a', false],
    ['0 2 0 with b of a monoclinic cell', MONOCLINIC, [0, 2, 0], 'b', true],
    ['2 0 0 with a of it, though β moves it too', MONOCLINIC, [2, 0, 0], 'a', false],
    ['0 2 0 with a of it', MONOCLINIC, [0, 2, 0], 'a', false],
  ] as const)('depends alone: %s', (_, p, [h, k, l], constant, alone) => {
    expect(dependsAlone(p, { h, k, l }, constant, LAMBDA)).toBe(alone);
  });
});

describe('a constant from a dragged tick', () => {
  it.each([
    ['a cubic edge', CUBIC, [3, 1, 1], 'a', 5.47],
    ['c of a hexagonal cell', HEXAGONAL, [1, 0, 3], 'c', 7.66],
    ['β of a monoclinic cell', MONOCLINIC, [1, 1, -2], 'beta', 104.1],
    ['γ of a triclinic cell', TRICLINIC, [2, 1, 1], 'gamma', 103.2],
  ] as const)('%s comes back from where it would put the reflection', (_, p, [h, k, l], constant, value) => {
    const shift = 0.031;
    const wanted = { ...p.structure.cell, [constant]: value };
    if (constant === 'a' && p === CUBIC) Object.assign(wanted, { b: value, c: value });
    const target = angle(spacing(wanted, h, k, l)) + shift;
    expect(constantFor(p, tick(p, h, k, l, shift), constant, target, LAMBDA)).toBeCloseTo(value, 5);
  });

  it('that does not move the reflection stays what it is', () => {
    expect(constantFor(MONOCLINIC, tick(MONOCLINIC, 0, 2, 0), 'a', 30, LAMBDA)).toBe(7.1);
  });

  it('of a tick dragged out of reach stays a length', () => {
    const far = constantFor(CUBIC, tick(CUBIC, 1, 1, 1), 'a', 150, LAMBDA);
    expect(far).toBeGreaterThan(0);
    expect(far).toBeLessThan(5.43);
  });
});
