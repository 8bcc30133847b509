/** A series of patterns fitted one after another, each from the result of the one before. */
import type { Pattern } from '../crystal/pattern.ts';
import { Cancelled, type TaskContext } from '../task-context.ts';
import type { FitModel } from './model.ts';
import { runRecipe, type RunReport, type Stage } from './recipes.ts';
import type { FitResult } from './results.ts';

export interface SeriesInput {
  /** The fit that the first pattern starts from, with one pattern's model. */
  readonly model: FitModel;
  readonly patterns: readonly Pattern[];
  readonly recipe: string;
  /** Kinds held throughout. */
  readonly held?: readonly string[];
}

export interface SeriesStep {
  readonly pattern: string;
  /** What the pattern was measured at, or its number. */
  readonly at: number;
  readonly model: FitModel;
  readonly result: FitResult;
  readonly message: string;
}

export interface SeriesReport {
  readonly number: number;
  readonly of: number;
  readonly title: string;
  readonly rwp?: number;
  readonly step?: SeriesStep;
}

/** What is done to a pattern once the one before has been fitted: everything at once, since little has changed. */
const FOLLOW: readonly Stage[] = [
  { title: 'Background and scales', says: 'In one step.', kind: 'scales' },
  {
    title: 'Positions',
    says: 'Cells and displacement from the last pattern.',
    kind: 'refine',
    free: ['background', 'scale', 'cell', 'displacement'],
    cycles: 10,
  },
  {
    title: 'Everything',
    says: 'Widths and displacements too.',
    kind: 'refine',
    free: ['size', 'strain', 'overall U'],
    cycles: 12,
  },
];

/** Fits a series in the order given. A cancelled run keeps the steps before it. */
export async function fitSeries(
  input: SeriesInput,
  context: TaskContext<SeriesReport>,
): Promise<{ steps: SeriesStep[]; stopped: boolean }> {
  const steps: SeriesStep[] = [];
  let model = input.model;
  for (const [i, pattern] of input.patterns.entries()) {
    const inner: TaskContext<RunReport> = {
      ...context,
      progress: (r) =>
        context.progress({
          number: i + 1,
          of: input.patterns.length,
          title: `${pattern.name}: ${r.title}`,
          ...(r.cycle ? { rwp: r.cycle.rwp } : {}),
        }),
    } as TaskContext<RunReport>;
    try {
      const oriented = model.phases.some((p) => p.orientation) ? ['orientation'] : [];
      const run = await runRecipe(
        {
          model,
          patterns: [pattern],
          recipe: i === 0 ? input.recipe : FOLLOW,
          held: input.held ?? [],
          free: i === 0 ? [] : oriented,
        },
        inner,
      );
      if (run.stopped) return { steps, stopped: true };
      model = run.model;
      const step: SeriesStep = {
        pattern: pattern.name,
        at: pattern.at ?? i + 1,
        model: run.model,
        result: run.result,
        message: run.message,
      };
      steps.push(step);
      context.progress({ number: i + 1, of: input.patterns.length, title: pattern.name, step });
    } catch (e) {
      if (e instanceof Cancelled) return { steps, stopped: true };
      throw e;
    }
  }
  return { steps, stopped: false };
}
