/** Damped least squares of a powder fit (Levenberg 1944; Marquardt 1963): cycles until settled, with values kept within what makes sense. */
import { cellVolume } from '../crystal/cell.ts';
import type { Pattern } from '../crystal/pattern.ts';
import { covarianceMatrix, LevenbergMarquardt, type DampingPolicy } from '../refine/least-squares.ts';
import type { TaskContext } from '../task-context.ts';
import { FitProblem } from './assemble.ts';
import { agreement, apportion, type Figures } from './engine.ts';
import type { FitModel } from './model.ts';
import type { Free } from './parameters.ts';

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

/** A little damping from the start: cells and backgrounds are far from linear. */
const DAMPING: DampingPolicy = { start: 0.001, afterFailure: 0.001, relax: 6, vanish: 1e-6, tries: 7, slack: 1e-9 };

/** Least squares with what is free. The patterns' order is the models'. */
export async function fitStage(
  model: FitModel,
  patterns: readonly Pattern[],
  options: FitOptions,
  context: TaskContext<FitCycle>,
): Promise<FitOutcome> {
  const problem = new FitProblem(model, patterns, options.free);
  const n = problem.map.independent;
  if (n > problem.observations)
    throw new RangeError(`${n} parameters cannot be refined against ${problem.observations} points.`);
  for (let i = 0; i < 3; i++) extractIntensities(problem);
  return n ? refineFit(model, problem, options, context) : extractOnly(problem, options);
}

/** Nothing but an extraction moves. */
function extractOnly(problem: FitProblem, { cycles }: FitOptions): FitOutcome {
  for (let i = 0; i < cycles; i++) extractIntensities(problem);
  const figures = overall(problem);
  return { problem, model: problem.model, figures, cycles, settled: true, maxShiftOverSu: 0, parameters: 0 };
}

async function refineFit(
  start: FitModel,
  problem: FitProblem,
  options: FitOptions,
  context: TaskContext<FitCycle>,
): Promise<FitOutcome> {
  const parameters = problem.map.independent;
  const volumes = start.phases.map((p) => cellVolume(p.structure.cell));
  const solver = new LevenbergMarquardt(problem, DAMPING);
  const first = overall(problem).rwp;
  let cycles = 0,
    settled = false,
    max = Infinity,
    name = '';
  while (cycles < options.cycles) {
    cycles++;
    const done = await solver.cycle(context as TaskContext);
    if (done.accepted) {
      const shifts = solver.shiftsOverOwnSu(done);
      max = shifts.max;
      name = problem.nameOf(shifts.at);
    }
    extractIntensities(problem);
    const figures = overall(problem);
    context.progress({ cycle: cycles, ...figures, maxShiftOverSu: max, maxShiftOf: name, model: problem.model });
    const away = runaway(problem, volumes);
    if (away) return { problem, model: start, figures, cycles, settled: false, away, maxShiftOverSu: max, parameters };
    settled = done.accepted ? max < (options.settled ?? 0.05) : max < 1 || cycles > 1;
    if (settled || !done.accepted) break;
  }
  const figures = overall(problem);
  const risen = figures.rwp > first * 1.02;
  const away = `Rwp rose from ${(100 * first).toFixed(2)} to ${(100 * figures.rwp).toFixed(2)} %`;
  if (risen) return { problem, model: start, figures, cycles, settled: false, away, maxShiftOverSu: max, parameters };
  return { problem, model: problem.model, figures, cycles, settled, maxShiftOverSu: max, parameters };
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
export const covarianceAt = (problem: FitProblem, context: TaskContext): Promise<Float64Array> =>
  covarianceMatrix(problem, context, (cost) =>
    Math.max(1, cost / Math.max(1, problem.observations - problem.map.independent)),
  );
