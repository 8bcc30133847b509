/** A staged run on the fit: every finished stage a mark, the pattern moving while it goes, the last result at the end. */
import type { FitCycle } from '@nagare/core/powder/least-squares';
import { newPatternModel } from '@nagare/core/powder/model';
import type { Recipe, RunReport, Stage, StageResult } from '@nagare/core/powder/recipes';
import { run, type Place } from '../../engine/engine.ts';
import { inSteps } from '../../engine/steps.ts';
import { percent } from '../../frame/parts.tsx';
import { db } from '../../store/db.ts';
import type { FitState } from '../../store/marks.ts';
import { openState, type ProjectStore } from '../../store/project-state.ts';
import type { Fit } from './fit-store.ts';

/** One line of the log beside the run. */
export interface LogLine {
  readonly title: string;
  readonly rwp: number;
  readonly text: string;
  readonly undone?: boolean;
}

export interface FitRunWish {
  /** What is run: a recipe, or own stages with the parameters that are ticked. */
  readonly recipe: Recipe;
  readonly own?: { readonly stages: readonly Stage[]; readonly free: ReadonlySet<string> };
  /** Against every pattern of the project at once. */
  readonly joint: boolean;
  readonly place: Place;
  log(line: LogLine): void;
}

/** How far a run is, in a line. */
export function runWords(r: Pick<RunReport, 'stage' | 'of' | 'title'>, c?: FitCycle): string {
  const stage = `stage ${r.stage} of ${r.of}, ${r.title}`;
  return c
    ? `${stage}: cycle ${c.cycle}, Rwp ${percent(c.rwp)}, S ${c.s.toFixed(2)}, largest shift ${c.maxShiftOverSu.toFixed(2)} s.u. (${c.maxShiftOf})`
    : stage;
}

export const logLine = (d: StageResult): LogLine => ({
  title: d.title,
  rwp: d.figures.rwp,
  text: d.undone ?? d.note ?? '',
  ...(d.undone ? { undone: true } : {}),
});

/** The same phases against every pattern of the project: the one on screen as it stands, the others on fresh backgrounds. */
async function joinedFit(projectId: string, fit: Fit): Promise<FitState | undefined> {
  const row = await db.powder.get(projectId);
  const { model, own, patterns, at } = fit;
  if (!row || !model || !own) return undefined;
  const fresh = (p: (typeof patterns)[number]) => ({
    ...newPatternModel(p.file.pattern, row.instrument, model.phases.length, 8),
    scales: own.scales,
  });
  return {
    patterns: patterns.map((p) => p.id),
    model: { ...model, patterns: patterns.map((p, i) => (i === at ? own : fresh(p))) },
  };
}

/** Keeps finished stages on the course, one after the other in the order they came. */
class StageKeeper {
  private last: Promise<string | undefined>;

  constructor(
    private readonly store: ProjectStore,
    private readonly patterns: readonly string[],
  ) {
    this.last = Promise.resolve(store.getState().head?.id);
  }

  keep(d: StageResult): void {
    this.last = this.last.then((parent) =>
      this.store.getState().record({
        parent: parent ?? null,
        kind: 'edit',
        title: d.title,
        rwp: d.figures.rwp,
        message: d.note ?? d.says,
        content: { kind: 'fit', fit: { model: d.model, patterns: [...this.patterns] } },
      }),
    );
  }

  /** The last one, once all of them are stored. */
  stored(): Promise<string | undefined> {
    return this.last;
  }
}

/** A new picture of the pattern at most this often, ms. */
const SHOW_EVERY = 60;

/** Runs the stages on the present fit. Told to stop, it ends with what it has. Returns what ended free, or undefined where it failed (its stages stay as marks). */
export async function runFit(store: ProjectStore, fit: Fit, wish: FitRunWish): Promise<Set<string> | undefined> {
  const { project, head, perform, record, goTo, setProblem } = openState(store);
  const { recipe, own, place, log } = wish;
  const base = wish.joint ? await joinedFit(project.id, fit) : fit.state;
  const start = wish.joint ? base?.model : fit.model;
  if (!base || !start) return undefined;
  const keeper = new StageKeeper(store, base.patterns);
  let shownAt = 0;
  const follow = (r: RunReport, tell: (detail: string) => void): void => {
    tell(runWords(r, r.cycle));
    if (r.cycle && performance.now() - shownAt > SHOW_EVERY) {
      shownAt = performance.now();
      fit.show(r.cycle.model);
    }
    if (!r.done) return;
    fit.show(r.done.model);
    log(logLine(r.done));
    if (!r.done.undone && r.stage < r.of) keeper.keep(r.done);
  };
  const input = {
    model: start,
    patterns: base.patterns.map((id) => fit.patterns.find((p) => p.id === id)!.file.pattern),
    recipe: own ? own.stages : recipe.name,
    ...(own ? { free: [...own.free] } : {}),
  };
  const used = new Set<string>(own ? own.free : recipe.stages.flatMap((s) => [...(s.free ?? [])]));
  const name = own ? 'What was ticked' : recipe.title;
  const ended = await perform(own ? 'Refining what is ticked' : recipe.title, (tell) =>
    inSteps(async (step) => {
      const outcome = await step(run('fit', input, (r: RunReport) => follow(r, tell), place)).catch((e: Error) => e);
      const parent = await keeper.stored();
      if (outcome instanceof Error) {
        if (parent && parent !== head?.id) await goTo(parent);
        throw outcome;
      }
      const { result, model, message, stages, stopped } = outcome;
      await record({
        parent: parent ?? null,
        kind: 'fit',
        title: stopped ? `${name}, stopped` : own ? name : (stages.at(-1)?.title ?? name),
        rwp: result.rwp,
        message,
        content: { kind: 'fit', fit: { model, patterns: base.patterns, result, free: [...used] } },
      });
      return outcome;
    }),
  );
  fit.show(undefined);
  if (ended?.stages.some((s) => s.undone)) setProblem(ended.message);
  return ended && used;
}
