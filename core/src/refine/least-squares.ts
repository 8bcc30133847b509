/**
 * The one least squares: damped Gauss–Newton steps (Levenberg 1944; Marquardt 1963) on normal equations scaled to a unit
 * diagonal. It knows parameters and a problem that can be assembled and tried; crystals and powders are such problems.
 */
import { choleskyInPlace, choleskyInverse, choleskySolve } from '../math/linear.ts';
import type { TaskContext } from '../task-context.ts';
import type { ConstraintMap } from './constraint-map.ts';
import type { NormalEquations } from './normal-equations.ts';

export interface Problem {
  readonly map: ConstraintMap;
  /** Observations without restraints. */
  readonly observations: number;
  /** Normal equations and Σ w Δ² (restraints included) at the present values. */
  assemble(context: TaskContext): Promise<{ readonly normal: NormalEquations; readonly cost: number }>;
  /** The values after a shift of the independent parameters, and the shift as far as it may go. */
  step(shift: Float64Array): { readonly values: Float64Array; readonly shift: Float64Array };
  /** Takes values and returns their cost under the weights of the last assembly; Infinity where they are impossible. */
  try(values: Float64Array): number;
  /** Goes back to the values before the last try. */
  restore(): void;
  /** An independent parameter in words. */
  nameOf(independent: number): string;
}

/** How steps are damped. */
export interface DampingPolicy {
  readonly start: number;
  /** Damping after a first failure; later failures multiply by ten. */
  readonly afterFailure: number;
  /** Divisor after a success, and the value below which damping ends. */
  readonly relax: number;
  readonly vanish: number;
  readonly tries: number;
  /** A step may raise the cost by this share. */
  readonly slack: number;
}

/** Normal equations with a unit diagonal. */
export class ScaledNormal {
  readonly n: number;
  /** Square roots of the diagonal. */
  readonly diagonal: Float64Array;
  private readonly matrix: Float64Array;
  private readonly right: Float64Array;

  constructor(normal: NormalEquations) {
    const n = (this.n = normal.n);
    const matrix = (this.matrix = normal.complete());
    const diagonal = (this.diagonal = Float64Array.from({ length: n }, (_, i) => Math.sqrt(matrix[i * n + i]!) || 1));
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) matrix[i * n + j]! /= diagonal[i]! * diagonal[j]!;
    this.right = normal.vector.map((x, i) => x / diagonal[i]!);
  }

  /** Shift for a damping, the Cholesky factor it came from, and the parameters the data do not determine. */
  solve(damping: number): { shift: Float64Array; factor: Float64Array; weak: number[] } {
    const { n, diagonal } = this;
    const factor = this.matrix.slice();
    for (let i = 0; i < n; i++) factor[i * n + i]! *= 1 + damping;
    const weak = choleskyInPlace(factor, n);
    return { shift: choleskySolve(factor, n, this.right).map((x, i) => x / diagonal[i]!), factor, weak };
  }

  /** N⁻¹, n × n. */
  inverse(): Float64Array {
    const { n, diagonal } = this;
    const factor = this.matrix.slice();
    choleskyInPlace(factor, n);
    const full = choleskyInverse(factor, n);
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) full[i * n + j]! /= diagonal[i]! * diagonal[j]!;
    return full;
  }

  /** Square roots of the diagonal of N⁻¹ from a Cholesky factor: by columns, cheaper than an inversion. */
  deviations(factor: Float64Array): Float64Array {
    return diagonalOfInverse(factor, this.n).map((v, i) => Math.sqrt(v) / this.diagonal[i]!);
  }
}

/** diag((L Lᵀ)⁻¹) = row norms of L⁻ᵀ. */
function diagonalOfInverse(l: Float64Array, n: number): Float64Array {
  const out = new Float64Array(n);
  const column = new Float64Array(n);
  for (let j = 0; j < n; j++) {
    column[j] = 1 / l[j * n + j]!;
    let sum = column[j]! * column[j]!;
    for (let i = j + 1; i < n; i++) {
      let s = 0;
      const row = i * n;
      for (let k = j; k < i; k++) s += l[row + k]! * column[k]!;
      column[i] = -s / l[row + i]!;
      sum += column[i]! * column[i]!;
    }
    out[j] = sum;
  }
  return out;
}

/** One cycle: normal equations, and the first damped step that does not raise the cost. */
export interface Cycle {
  readonly cost: number;
  readonly accepted: boolean;
  /** Of the independent parameters, as far as it went; of the last try where none was accepted. */
  readonly shift: Float64Array;
  readonly normal: ScaledNormal;
  /** Cholesky factor of the accepted step. */
  readonly factor: Float64Array | undefined;
  /** Independent parameters the data do not determine. */
  readonly weak: readonly number[];
}

/** Largest and mean |shift|/s.u., and the parameter of the largest. */
export interface ShiftReading {
  readonly max: number;
  readonly mean: number;
  readonly at: number;
}

export class LevenbergMarquardt {
  private damping: number;

  constructor(
    readonly problem: Problem,
    private readonly policy: DampingPolicy,
  ) {
    this.damping = policy.start;
  }

  async cycle(context: TaskContext): Promise<Cycle> {
    const { problem, policy } = this;
    const { normal: sums, cost } = await problem.assemble(context);
    const normal = new ScaledNormal(sums);
    let shift: Float64Array = new Float64Array(normal.n);
    let weak: number[] = [];
    for (let attempt = 0; attempt < policy.tries; attempt++) {
      const solved = normal.solve(this.damping);
      weak = solved.weak;
      const step = problem.step(solved.shift);
      shift = step.shift;
      if (problem.try(step.values) <= cost * (1 + policy.slack) + 1e-12) {
        this.damping = this.damping > policy.vanish ? this.damping / policy.relax : 0;
        await context.breath();
        return { cost, accepted: true, shift, normal, factor: solved.factor, weak };
      }
      problem.restore();
      this.damping = this.damping ? this.damping * 10 : policy.afterFailure;
      await context.breath();
    }
    return { cost, accepted: false, shift, normal, factor: undefined, weak };
  }

  /** √(cost / freedom) at the start of a cycle. */
  goodness(cost: number): number {
    return Math.sqrt(cost / Math.max(1, this.problem.observations - this.problem.map.independent));
  }

  /** Shifts of a cycle against s.u. from the full matrix; zero where no step was accepted. */
  shiftsOverSu(cycle: Cycle): ShiftReading {
    if (!cycle.factor) return { max: 0, mean: 0, at: 0 };
    const chi = this.goodness(cycle.cost);
    return readShifts(
      cycle.shift,
      cycle.normal.deviations(cycle.factor).map((x) => x * chi),
    );
  }

  /** The same against s.u. at fixed other parameters: quick, and good enough to tell when a fit has come to rest. */
  shiftsOverOwnSu(cycle: Cycle): ShiftReading {
    const chi = Math.max(this.goodness(cycle.cost), 1e-3);
    return readShifts(
      cycle.shift,
      cycle.normal.diagonal.map((d) => chi / d),
    );
  }
}

function readShifts(shift: Float64Array, su: Float64Array): ShiftReading {
  let max = 0,
    sum = 0,
    at = 0;
  for (let i = 0; i < shift.length; i++) {
    const ratio = su[i]! > 0 ? Math.abs(shift[i]!) / su[i]! : 0;
    sum += ratio;
    if (ratio > max) {
      max = ratio;
      at = i;
    }
  }
  return { max, mean: sum / Math.max(1, shift.length), at };
}

/** Covariance of the independent parameters at the solution, times the variance of unit weight. */
export async function covarianceMatrix(
  problem: Problem,
  context: TaskContext,
  variance: (cost: number) => number,
): Promise<Float64Array> {
  const { normal, cost } = await problem.assemble(context);
  const factor = variance(cost);
  return new ScaledNormal(normal).inverse().map((x) => x * factor);
}
