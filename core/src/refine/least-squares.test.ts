import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { quietContext } from '../task-context.ts';
import { ConstraintBuilder } from './constraint-map.ts';
import {
  covarianceMatrix,
  LevenbergMarquardt,
  ScaledNormal,
  type DampingPolicy,
  type Problem,
} from './least-squares.ts';
import { NormalEquations } from './normal-equations.ts';

const POLICY: DampingPolicy = { start: 1e-3, afterFailure: 1e-2, relax: 10, vanish: 1e-9, tries: 12, slack: 0 };

/** Residuals and their slopes at some values; a value out of bounds is impossible. */
interface Curve {
  readonly start: readonly number[];
  residuals(v: readonly number[]): number[];
  slopes(v: readonly number[]): number[][];
  possible?(v: readonly number[]): boolean;
}

class CurveProblem implements Problem {
  readonly map;
  readonly observations: number;
  values: Float64Array;
  private before: Float64Array;

  constructor(private readonly curve: Curve) {
    this.values = Float64Array.from(curve.start);
    this.before = this.values;
    this.observations = curve.residuals(curve.start).length;
    const b = new ConstraintBuilder(curve.start.length);
    curve.start.forEach((_, i) => b.add([[i, 1]]));
    this.map = b.build();
  }

  async assemble() {
    const normal = new NormalEquations(this.values.length);
    const now = [...this.values];
    const residuals = this.curve.residuals(now);
    this.curve.slopes(now).forEach((row, k) => {
      normal.row.set(row);
      // Observed minus calculated.
      normal.push(-residuals[k]!);
    });
    return { normal, cost: residuals.reduce((s, r) => s + r * r, 0) };
  }

  step(shift: Float64Array) {
    return { values: this.values.map((v, i) => v + shift[i]!), shift };
  }

  try(values: Float64Array): number {
    this.before = this.values;
    this.values = values;
    if (this.curve.possible && !this.curve.possible([...values])) return Infinity;
    return this.curve.residuals([...values]).reduce((s, r) => s + r * r, 0);
  }

  restore(): void {
    this.values = this.before;
  }

  nameOf(i: number): string {
    return `p${i}`;
  }
}

async function fit(curve: Curve, cycles: number): Promise<{ values: number[]; costs: number[]; accepted: boolean[] }> {
  const problem = new CurveProblem(curve);
  const lm = new LevenbergMarquardt(problem, POLICY);
  const costs: number[] = [],
    accepted: boolean[] = [];
  for (let i = 0; i < cycles; i++) {
    const cycle = await lm.cycle(quietContext());
    costs.push(cycle.cost);
    accepted.push(cycle.accepted);
  }
  return { values: [...problem.values], costs, accepted };
}

/** A straight line through points with errors. */
function line(seed: number, count = 40): Curve & { readonly design: number[][]; readonly y: number[] } {
  const { normal } = seededRandom(seed);
  const design = Array.from({ length: count }, (_, i) => [1, i / 10]);
  const y = design.map(([, x]) => 2 - 0.7 * x! + 0.3 * normal());
  return {
    start: [50, 20],
    design,
    y,
    residuals: ([a, b]) => design.map(([, x], i) => a! + b! * x! - y[i]!),
    slopes: () => design,
  };
}

describe('the one least squares', () => {
  it('solves a linear problem as its normal equations by hand do', async () => {
    const l = line(3);
    const { values } = await fit(l, 4);
    const sum = (f: (x: number, y: number) => number): number =>
      l.design.reduce((s, [, x], i) => s + f(x!, l.y[i]!), 0);
    const n = l.y.length,
      sx = sum((x) => x),
      sxx = sum((x) => x * x),
      sy = sum((_, y) => y),
      sxy = sum((x, y) => x * y);
    const slope = (n * sxy - sx * sy) / (n * sxx - sx * sx);
    expect(values[1]).toBeCloseTo(slope, 8);
    expect(values[0]).toBeCloseTo((sy - slope * sx) / n, 8);
  });

  it('walks down a curved valley without ever going up', async () => {
    // Rosenbrock (1960), Comput. J. 3, 175.
    const valley: Curve = {
      start: [-1.2, 1],
      residuals: ([x, y]) => [10 * (y! - x! * x!), 1 - x!],
      slopes: ([x]) => [
        [-20 * x!, 10],
        [-1, 0],
      ],
    };
    const { values, costs } = await fit(valley, 60);
    costs.slice(1).forEach((c, i) => expect(c).toBeLessThanOrEqual(costs[i]! + 1e-12));
    expect(values[0]).toBeCloseTo(1, 5);
    expect(values[1]).toBeCloseTo(1, 5);
  });

  it('does not step where the model cannot be', async () => {
    // The logarithm of a negative number is not tried as a value.
    const wall: Curve = {
      start: [0.05],
      residuals: ([x]) => [Math.log(x!) - 1],
      slopes: ([x]) => [[1 / x!]],
      possible: ([x]) => x! > 0,
    };
    const { values } = await fit({ ...wall, start: [30] }, 25);
    expect(values[0]).toBeCloseTo(Math.E, 5);
  });

  it('stays where it is when no step helps, and says so', async () => {
    const trap: Curve = { start: [1], residuals: ([x]) => [x!], slopes: () => [[1]], possible: () => false };
    const { values, accepted } = await fit(trap, 2);
    expect(values).toEqual([1]);
    expect(accepted).toEqual([false, false]);
  });

  it('gives s.u. that are the scatter of fits to other errors', async () => {
    const fits: number[][] = [];
    for (let seed = 1; seed <= 300; seed++) fits.push((await fit(line(seed), 3)).values);
    const problem = new CurveProblem(line(1));
    await new LevenbergMarquardt(problem, POLICY).cycle(quietContext());
    // The variance of one observation is known.
    const covariance = await covarianceMatrix(problem, quietContext(), () => 0.3 ** 2);
    [2, -0.7].forEach((truth, k) => {
      const scatter = Math.sqrt(fits.reduce((s, v) => s + (v[k]! - truth) ** 2, 0) / fits.length);
      expect(scatter / Math.sqrt(covariance[k * 2 + k]!)).toBeCloseTo(1, 0);
      expect(Math.abs(scatter / Math.sqrt(covariance[k * 2 + k]!) - 1)).toBeLessThan(0.15);
    });
    const mixed = fits.reduce((s, v) => s + (v[0]! - 2) * (v[1]! + 0.7), 0) / fits.length;
    expect(Math.sign(mixed)).toBe(Math.sign(covariance[1]!));
  });

  it('reads shifts against s.u.', async () => {
    const problem = new CurveProblem(line(2));
    const lm = new LevenbergMarquardt(problem, POLICY);
    const first = lm.shiftsOverSu(await lm.cycle(quietContext()));
    expect(first.max).toBeGreaterThan(1);
    expect(first.mean).toBeLessThanOrEqual(first.max);
    await lm.cycle(quietContext());
    const rest = lm.shiftsOverSu(await lm.cycle(quietContext()));
    expect(rest.max).toBeLessThan(1e-3);
  });
});

describe('scaled normal equations', () => {
  const normal = (rows: readonly (readonly number[])[], right: readonly number[]): NormalEquations => {
    const n = new NormalEquations(rows[0]!.length);
    rows.forEach((row, i) => {
      n.row.set(row);
      n.push(right[i]!);
    });
    return n;
  };
  const { normal: gauss } = seededRandom(8);
  const rows = Array.from({ length: 30 }, () => [gauss(), 1e4 * gauss(), 1e-3 * gauss()]);

  it('invert what they were made of, whatever the units of the parameters', () => {
    const inverse = new ScaledNormal(
      normal(
        rows,
        rows.map(() => 1),
      ),
    ).inverse();
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++) {
        // N N⁻¹ = 1, in the units of each.
        let sum = 0;
        for (let k = 0; k < 3; k++) sum += rows.reduce((s, r) => s + r[i]! * r[k]!, 0) * inverse[3 * k + j]!;
        const unit = Math.abs(rows[0]![i]! / rows[0]![j]!) || 1;
        expect(sum / unit).toBeCloseTo(i === j ? 1 : 0, 8);
      }
  });

  it('give deviations from a factor that are those of the inverse', () => {
    const scaled = new ScaledNormal(
      normal(
        rows,
        rows.map(() => 1),
      ),
    );
    const { factor } = scaled.solve(0);
    const inverse = scaled.inverse();
    scaled.deviations(factor).forEach((d, i) => expect(d / Math.sqrt(inverse[4 * i]!)).toBeCloseTo(1, 9));
  });

  it('name what the data do not determine and leave it where it is', () => {
    const same = rows.map(([a, , c]) => [a!, 2 * a!, c!]);
    const { shift, weak } = new ScaledNormal(
      normal(
        same,
        same.map((r) => r[0]! + r[2]!),
      ),
    ).solve(0);
    expect(weak).toEqual([1]);
    expect(Math.abs(shift[1]!)).toBeLessThan(1e-6);
    expect(shift[0]).toBeCloseTo(1, 6);
    expect(shift[2]).toBeCloseTo(1, 6);
  });

  it('move less the more they are damped', () => {
    const scaled = new ScaledNormal(
      normal(
        rows,
        rows.map((r) => r[0]!),
      ),
    );
    const lengths = [0, 0.1, 1, 10].map((d) => Math.abs(scaled.solve(d).shift[0]!));
    expect(lengths).toEqual([...lengths].sort((a, b) => b - a));
  });
});
