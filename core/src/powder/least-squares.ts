/** Damped least squares of a powder fit (Levenberg 1944; Marquardt 1963): cycles until settled, with values kept within what makes sense. */
import type { Pattern } from '../crystal/pattern.ts';
import { choleskyInPlace, choleskyInverse, choleskySolve } from '../math/linear.ts';
import { expandShift } from '../refine/parameters.ts';
import { DISPLACEMENT, siteOffset } from '../refine/parameters.ts';
import type { TaskContext } from '../task-context.ts';
import { FitProblem } from './assemble.ts';
import { agreement, apportion, type Figures } from './engine.ts';
import { quadraticForm, type FitModel } from './model.ts';
import { ACROSS, MARCH, QUADRATIC, SIZE, STRAIN, type Free } from './parameters.ts';
import { cellVolume } from '../crystal/cell.ts';

export interface FitCycle extends Figures {
  readonly cycle: number;
  readonly maxShiftOverSu: number;
  readonly maxShiftOf: string;
  /** The model so far, for the picture. */
  readonly model: FitModel;
}

export interface FitOptions {
  readonly free: Free;
  readonly cycles: number;
  /** Stop when the largest shift is below this many s.u. */
  readonly settled?: number;
  /** Adds a Gaussian width (degrees) to data and model, for finding cells that are far off. */
  readonly blur?: number;
}

export interface FitOutcome {
  readonly problem: FitProblem;
  readonly model: FitModel;
  readonly figures: Figures;
  readonly cycles: number;
  readonly settled: boolean;
  /** Why it ran away; the model is then the one before. */
  readonly away?: string;
  readonly maxShiftOverSu: number;
  readonly parameters: number;
}

const MAX_STRETCH = 0.03;

/** Holds a step within bounds: sizes and strains not negative, orientation and displacements sensible; returns the fraction of the step that keeps cells near. */
function bound(problem: FitProblem, v: Float64Array): void {
  const { layout: l, model } = problem;
  model.phases.forEach((p, i) => {
    const e = l.extra[i]!;
    v[e + SIZE] = Math.min(2, Math.max(0, v[e + SIZE]!));
    v[e + ACROSS] = Math.min(2, Math.max(0, v[e + ACROSS]!));
    v[e + STRAIN] = Math.min(60, Math.max(0, v[e + STRAIN]!));
    v[e + MARCH] = Math.min(5, Math.max(0.15, v[e + MARCH]!));
    p.structure.sites.forEach((site, j) => {
      const at = l.phase[i]! + siteOffset(j) + DISPLACEMENT;
      if (site.displacement.kind === 'iso') v[at] = Math.min(0.5, Math.max(-0.02, v[at]!));
    });
  });
}

/** The share of a step by which no cell is stretched more than a percent at a time. */
function cellLimit(problem: FitProblem, shift: Float64Array): number {
  let limit = 1;
  problem.model.phases.forEach((p, i) => {
    const e = problem.layout.extra[i]! + QUADRATIC;
    const q = quadraticForm(p.structure.cell);
    for (let k = 0; k < 3; k++) {
      const relative = Math.abs(shift[e + k]! / q[k]!);
      if (relative > 0.01) limit = Math.min(limit, 0.01 / relative);
    }
  });
  return limit;
}

/** Le Bail: intensities of extracted phases from the pattern as it is apportioned now. */
export function extractIntensities(problem: FitProblem): void {
  const { model, calculators } = problem;
  if (!model.phases.some((p) => p.extraction === 'Le Bail')) return;
  const c = calculators[0]!.calculate();
  const phases = model.phases.map((p, i) => {
    if (p.extraction !== 'Le Bail') return p;
    const { list } = calculators[0]!.works[i]!;
    return { ...p, extracted: { h: list.h, k: list.k, l: list.l, f2: apportion(c, i, calculators[0]!) } };
  });
  problem.model = { ...model, phases };
  calculators.forEach((k, i) => k.update(problem.model.patterns[i]!, phases));
}

/** Least squares with what is free. The patterns' order is the models'. */
export async function fitStage(
  model: FitModel,
  patterns: readonly Pattern[],
  options: FitOptions,
  context: TaskContext<FitCycle>,
): Promise<FitOutcome> {
  const problem = new FitProblem(model, patterns, options.free);
  const { map } = problem,
    n = map.independent;
  if (n > problem.points) throw new RangeError(`${n} parameters cannot be refined against ${problem.points} points.`);
  const start = model.phases.map((p) => cellVolume(p.structure.cell));
  const threshold = options.settled ?? 0.05;
  let damping = 0.001,
    settled = false,
    max = Infinity,
    name = '',
    cycles = 0;
  const figuresNow = (): Figures => overall(problem);
  for (let i = 0; i < 3; i++) extractIntensities(problem);
  const first = figuresNow().rwp;
  if (!n) {
    // Nothing but an extraction moves.
    for (let i = 0; i < options.cycles; i++) extractIntensities(problem);
    return {
      problem,
      model: problem.model,
      figures: figuresNow(),
      cycles: options.cycles,
      settled: true,
      maxShiftOverSu: 0,
      parameters: 0,
    };
  }
  for (let cycle = 1; cycle <= options.cycles; cycle++) {
    cycles = cycle;
    const { normal, cost } = await problem.assemble(context as TaskContext);
    const matrix = normal.complete();
    const diagonal = Float64Array.from({ length: n }, (_, i) => Math.sqrt(matrix[i * n + i]!) || 1);
    const right = normal.vector.map((x, i) => x / diagonal[i]!);
    const scaled = new Float64Array(n * n);
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) scaled[i * n + j] = matrix[i * n + j]! / (diagonal[i]! * diagonal[j]!);
    const kept = problem.values.slice(),
      keptModel = problem.model;
    let accepted = false;
    for (let attempt = 0; attempt < 7 && !accepted; attempt++) {
      const factor = scaled.slice();
      for (let i = 0; i < n; i++) factor[i * n + i]! *= 1 + damping;
      choleskyInPlace(factor, n);
      const q = choleskySolve(factor, n, right).map((x, i) => x / diagonal[i]!);
      let shift = expandShift(map, q);
      const limit = cellLimit(problem, shift);
      if (limit < 1) shift = shift.map((x) => x * limit);
      const next = kept.map((x, i) => x + shift[i]!);
      bound(problem, next);
      let trial = Infinity;
      try {
        problem.take(next);
        trial = problem.cost();
      } catch {
        /* a cell that is none: the step is too long */
      }
      if (trial <= cost * (1 + 1e-9)) {
        accepted = true;
        damping = damping > 1e-6 ? damping / 6 : 0;
        const goodness = Math.sqrt(cost / Math.max(1, problem.points - n));
        max = 0;
        for (let i = 0; i < n; i++) {
          // Against the s.u. at fixed others: quick, and never larger than the true ratio's scale by much once settled.
          const ratio = (Math.abs(q[i]! * limit) * diagonal[i]!) / Math.max(goodness, 1e-3);
          if (ratio > max) {
            max = ratio;
            name = problem.nameOf(i);
          }
        }
      } else {
        problem.model = keptModel;
        problem.take(kept);
        damping = damping ? damping * 10 : 0.001;
      }
      await context.breath();
    }
    extractIntensities(problem);
    const figures = figuresNow();
    context.progress({ cycle, ...figures, maxShiftOverSu: max, maxShiftOf: name, model: problem.model });
    const away = runaway(problem, start);
    if (away) return { problem, model, figures, cycles, settled: false, away, maxShiftOverSu: max, parameters: n };
    if (!accepted) {
      settled = max < 1 || cycle > 1;
      break;
    }
    if (max < threshold) {
      settled = true;
      break;
    }
  }
  const figures = figuresNow();
  if (figures.rwp > first * 1.02)
    return {
      problem,
      model,
      figures,
      cycles,
      settled: false,
      away: `Rwp rose from ${(100 * first).toFixed(2)} to ${(100 * figures.rwp).toFixed(2)} %`,
      maxShiftOverSu: max,
      parameters: n,
    };
  return { problem, model: problem.model, figures, cycles, settled, maxShiftOverSu: max, parameters: n };
}

/** Why a fit has run away, if it has. */
function runaway(problem: FitProblem, start: readonly number[]): string | undefined {
  for (const [i, p] of problem.model.phases.entries()) {
    const change = cellVolume(p.structure.cell) / start[i]! - 1;
    if (!(Math.abs(change) < 3 * MAX_STRETCH))
      return `the cell of ${p.name} changed its volume by ${(100 * change).toFixed(1)} %`;
    for (const site of p.structure.sites) {
      const u =
        site.displacement.kind === 'iso'
          ? site.displacement.u
          : Math.max(site.displacement.u[0], site.displacement.u[1], site.displacement.u[2]);
      if (u > 0.45) return `the displacement of ${site.label} in ${p.name} grew to ${u.toFixed(2)} Å²`;
    }
  }
  return undefined;
}

/** Figures over all patterns together. */
export function overall(problem: FitProblem): Figures {
  const each = problem.calculators.map((c) => {
    const { calculated } = c.calculate();
    return { f: agreement(c.points, calculated, problem.map.independent), n: c.points.count };
  });
  if (each.length === 1) return each[0]!.f;
  const total = each.reduce((t, e) => t + e.n, 0);
  const mean = (pick: (f: Figures) => number): number =>
    Math.sqrt(each.reduce((t, e) => t + (e.n / total) * pick(e.f) ** 2, 0));
  const rwp = mean((f) => f.rwp),
    rExp = mean((f) => f.rExp);
  return { rp: mean((f) => f.rp), rwp, rExp, s: rwp / rExp };
}

/** Covariance of the independent parameters at the solution, times χ² where that is above one. */
export async function covarianceAt(problem: FitProblem, context: TaskContext): Promise<Float64Array> {
  const n = problem.map.independent;
  const { normal, cost } = await problem.assemble(context);
  const matrix = normal.complete();
  const diagonal = Float64Array.from({ length: n }, (_, i) => Math.sqrt(matrix[i * n + i]!) || 1);
  for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) matrix[i * n + j]! /= diagonal[i]! * diagonal[j]!;
  choleskyInPlace(matrix, n);
  const full = choleskyInverse(matrix, n);
  const chi2 = Math.max(1, cost / Math.max(1, problem.points - n));
  for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) full[i * n + j]! *= chi2 / (diagonal[i]! * diagonal[j]!);
  return full;
}
