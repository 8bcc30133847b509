/** Staged fits: what is freed when, in words; every stage can be undone and says why it was. */
import type { Pattern } from '../crystal/pattern.ts';
import { Cancelled, type TaskContext } from '../task-context.ts';
import { FitProblem } from './assemble.ts';
import type { Figures } from './engine.ts';
import { fitStage, overall, type FitCycle } from './least-squares.ts';
import type { FitModel } from './model.ts';
import type { Kind } from './parameters.ts';
import { readFit, type FitResult } from './results.ts';
import { findCells, linearScales } from './start.ts';
import type { Vec3 } from '../math/matrix3.ts';

export interface Stage {
  readonly title: string;
  /** What happens, for people. */
  readonly says: string;
  readonly kind: 'scales' | 'find cells' | 'orientations' | 'background' | 'refine';
  /** Freed from here on. */
  readonly free?: readonly Kind[];
  readonly cycles?: number;
}

export interface Recipe {
  readonly name: string;
  readonly title: string;
  readonly says: string;
  readonly stages: readonly Stage[];
}

const START: Stage = {
  title: 'Background and scales',
  says: 'Background and how much of each phase, in one step; negative amounts are set to nothing.',
  kind: 'scales',
};
const FIND: Stage = {
  title: 'Cells found',
  says: 'Cells that are up to a percent off are brought near by stretching them on a blurred pattern.',
  kind: 'find cells',
};
const LEVEL: Stage = {
  title: 'Background and scales refined',
  says: 'Background and scales, six cycles.',
  kind: 'refine',
  free: ['background', 'scale'],
  cycles: 6,
};
const PLACES: Stage = {
  title: 'Positions of reflections',
  says: 'Cells and the displacement of the specimen are freed too.',
  kind: 'refine',
  free: ['cell', 'displacement'],
  cycles: 12,
};
const WIDTHS: Stage = {
  title: 'Widths',
  says: 'Crystallite size and microstrain of each phase are freed too; both stay positive.',
  kind: 'refine',
  free: ['size', 'strain'],
  cycles: 20,
};
const BACKGROUND: Stage = {
  title: 'Background as fine as it needs',
  says: 'Terms are added to the background two at a time as long as the pattern asks for them (Schwarz 1978).',
  kind: 'background',
  cycles: 12,
};
const TURNED: Stage = {
  title: 'Preferred orientation',
  says: 'A few simple axes are tried for each phase and kept where Rwp falls by more than a fiftieth.',
  kind: 'orientations',
  free: ['orientation'],
  cycles: 10,
};
const MOTION: Stage = {
  title: 'Displacements',
  says: 'One common shift of the displacement parameters of each phase.',
  kind: 'refine',
  free: ['overall U'],
  cycles: 15,
};

export const RECIPES: readonly Recipe[] = [
  {
    name: 'quantify',
    title: 'How much of each phase',
    says: 'Background and scales, then positions, then widths, orientation and displacements: for weight fractions.',
    stages: [START, FIND, LEVEL, PLACES, WIDTHS, BACKGROUND, TURNED, MOTION],
  },
  {
    name: 'cell',
    title: 'Cell constants',
    says: 'Positions first and last: zero of the scale stays the instrument’s, the displacement of the specimen is refined with the cells.',
    stages: [
      START,
      FIND,
      LEVEL,
      PLACES,
      WIDTHS,
      BACKGROUND,
      { title: 'All positions again', says: 'Everything freed so far, to the end.', kind: 'refine', cycles: 20 },
    ],
  },
  {
    name: 'size',
    title: 'Size and strain',
    says: 'Positions, then size and microstrain with the instrument’s own widths held.',
    stages: [
      START,
      FIND,
      LEVEL,
      PLACES,
      WIDTHS,
      BACKGROUND,
      MOTION,
      { title: 'Together', says: 'Everything freed so far, to the end.', kind: 'refine', cycles: 25 },
    ],
  },
  {
    name: 'structure',
    title: 'A structure',
    says: 'As for amounts, then coordinates and displacement parameters of every site that symmetry leaves free, with the model’s restraints.',
    stages: [
      START,
      FIND,
      LEVEL,
      PLACES,
      WIDTHS,
      BACKGROUND,
      MOTION,
      {
        title: 'Positions of atoms',
        says: 'Coordinates of all sites are freed.',
        kind: 'refine',
        free: ['positions'],
        cycles: 20,
      },
      {
        title: 'Displacement of each site',
        says: 'Each site its own displacement.',
        kind: 'refine',
        free: ['U'],
        cycles: 20,
      },
    ],
  },
  {
    name: 'profile',
    title: 'Cell and intensities without a structure',
    says: 'Intensities are apportioned from the pattern while cell, widths and background are refined.',
    stages: [START, LEVEL, PLACES, WIDTHS, BACKGROUND],
  },
  {
    name: 'instrument',
    title: 'Calibrate the instrument',
    says: 'A standard’s cell is held; zero, widths and axial divergence become the instrument’s.',
    stages: [
      START,
      LEVEL,
      { title: 'Zero', says: 'The zero of the 2θ scale.', kind: 'refine', free: ['zero'], cycles: 10 },
      {
        title: 'Widths of the instrument',
        says: 'U, V, W, X, Y and axial divergence.',
        kind: 'refine',
        free: ['instrument widths', 'axial divergence', 'overall U'],
        cycles: 30,
      },
    ],
  },
];

export interface StageResult {
  readonly title: string;
  readonly says: string;
  readonly model: FitModel;
  readonly figures: Figures;
  readonly cycles: number;
  /** It was undone, and why. */
  readonly undone?: string;
  readonly note?: string;
}

export interface RunInput {
  readonly model: FitModel;
  readonly patterns: readonly Pattern[];
  /** Name of a recipe, or stages of the person's own. */
  readonly recipe: string | readonly Stage[];
  /** Kinds that stay held whatever the recipe says; "kind" or "kind:phase". */
  readonly held?: readonly string[];
  readonly free?: readonly string[];
}

export interface RunReport {
  readonly stage: number;
  readonly of: number;
  readonly title: string;
  readonly cycle?: FitCycle;
  /** A finished stage. */
  readonly done?: StageResult;
}

export interface RunResult {
  readonly stages: readonly StageResult[];
  readonly model: FitModel;
  readonly result: FitResult;
  readonly message: string;
  readonly stopped: boolean;
}

const AXES: readonly Vec3[] = [
  [0, 0, 1],
  [1, 0, 0],
  [0, 1, 0],
  [1, 1, 0],
  [1, 1, 1],
];

/** Runs a recipe stage by stage. A stage that runs away is undone; a cancelled run keeps the stages before it. */
export async function runRecipe(input: RunInput, context: TaskContext<RunReport>): Promise<RunResult> {
  const recipe = typeof input.recipe === 'string' ? RECIPES.find((r) => r.name === input.recipe) : undefined;
  if (typeof input.recipe === 'string' && !recipe)
    throw new RangeError(
      `There is no recipe called "${input.recipe}". Known are ${RECIPES.map((r) => r.name).join(', ')}.`,
    );
  if (!input.model.phases.length)
    throw new RangeError('There is no phase to fit. Take one from the shelf or from a file first.');
  const stages = recipe?.stages ?? (input.recipe as readonly Stage[]);
  let model: FitModel = {
    ...input.model,
    patterns: input.model.patterns.map((p) => ({
      ...p,
      scales: input.model.phases.map((ph, i) => (ph.extraction ? 1 : (p.scales[i] ?? 0))),
    })),
  };
  const free = new Set<string>(input.free ?? []);
  const held = new Set(input.held ?? []);
  const done: StageResult[] = [];
  let stopped = false;
  let unseen = new Set<string>();
  let last: FitProblem | undefined;
  for (const [number, stage] of stages.entries()) {
    const tell = (cycle: FitCycle): void =>
      context.progress({ stage: number + 1, of: stages.length, title: stage.title, cycle });
    const inner: TaskContext<FitCycle> = { ...context, progress: tell } as TaskContext<FitCycle>;
    context.progress({ stage: number + 1, of: stages.length, title: stage.title });
    try {
      await context.breath();
      const before = model;
      let made: StageResult;
      if (stage.kind === 'scales') {
        model = { ...model, patterns: model.patterns.map((p, i) => linearScales(input.patterns[i]!, p, model.phases)) };
        made = plain(stage, model, input.patterns);
      } else if (stage.kind === 'find cells') {
        if (held.has('cell')) continue;
        model = await findCells(model, input.patterns, context as TaskContext);
        model = { ...model, patterns: model.patterns.map((p, i) => linearScales(input.patterns[i]!, p, model.phases)) };
        made = plain(stage, model, input.patterns);
      } else if (stage.kind === 'orientations') {
        made = await tryOrientations(stage, model, input.patterns, chosen(free, held, model, unseen), inner);
        model = made.model;
        if (model.phases.some((p) => p.orientation)) free.add('orientation');
      } else if (stage.kind === 'background') {
        made = await refineBackground(stage, model, input.patterns, chosen(free, held, model, unseen), inner);
        model = made.model;
      } else {
        for (const k of stage.free ?? []) free.add(k);
        // Widths of an instrument that no standard has told: its zero and Gaussian part follow the pattern, all that is Lorentzian is the sample's.
        const untold =
          stage.free?.includes('size') &&
          model.patterns.some((p) => !p.instrument.calibrated) &&
          !held.has('Gaussian widths');
        if (untold) {
          free.add('Gaussian widths');
          free.add('zero');
          model = {
            ...model,
            patterns: model.patterns.map((p) =>
              p.instrument.calibrated
                ? p
                : { ...p, instrument: { ...p.instrument, profile: { ...p.instrument.profile, x: 0, y: 0 } } },
            ),
            phases: model.phases.map((p) => (p.inverseSize || p.strain ? p : { ...p, inverseSize: 0.01, strain: 0.3 })),
          };
        }
        const outcome = await fitStage(
          model,
          input.patterns,
          { free: chosen(free, held, model, unseen), cycles: stage.cycles ?? 10 },
          inner,
        );
        if (outcome.away) {
          for (const k of stage.free ?? []) free.delete(k);
          if (untold) {
            free.delete('Gaussian widths');
            free.delete('zero');
          }
          model = before;
          made = {
            title: stage.title,
            says: stage.says,
            model: before,
            figures: done.at(-1)?.figures ?? outcome.figures,
            cycles: outcome.cycles,
            undone: `${outcome.away}; the stage was undone and what it freed is held again.`,
          };
        } else {
          model = outcome.model;
          last = outcome.problem;
          const notes = [
            untold
              ? 'the instrument is not calibrated: its zero and Gaussian widths are refined too, and sizes are lower limits'
              : '',
            outcome.settled ? '' : `still moving after ${outcome.cycles} cycles`,
          ];
          const { result } = await readFit(outcome.problem, context as TaskContext);
          // A phase that cannot be told from nothing would let its cell and widths wander.
          const gone = new Set(
            model.phases
              .filter((_, i) =>
                result.patterns.every((p) => {
                  const f = p.weightFractions[i];
                  return f !== undefined && f.su > 0 && f.value < 3 * f.su;
                }),
              )
              .map((p) => p.id),
          );
          for (const p of model.phases)
            if (gone.has(p.id) && !unseen.has(p.id))
              notes.push(`${p.name} is not seen beyond three s.u.: its cell and widths are held`);
          unseen = gone;
          made = {
            title: stage.title,
            says: stage.says,
            model,
            figures: outcome.figures,
            cycles: outcome.cycles,
            ...(notes.some(Boolean) ? { note: notes.filter(Boolean).join('; ') } : {}),
          };
        }
      }
      done.push(made);
      context.progress({ stage: number + 1, of: stages.length, title: stage.title, done: made });
    } catch (e) {
      if (!(e instanceof Cancelled)) throw e;
      stopped = true;
      break;
    }
  }
  const rest: TaskContext = { progress: () => undefined, breath: async () => undefined, parallel: 1 };
  const problem =
    last && last.model === model
      ? last
      : new FitProblem(
          model,
          input.patterns,
          chosen(free.size ? free : new Set(['scale', 'background']), held, model, unseen),
        );
  const { result, model: final } = await readFit(problem, rest);
  const undone = done.filter((d) => d.undone);
  const message = `${stopped ? 'Stopped; the stages before it are kept. ' : ''}Rwp ${(100 * result.rwp).toFixed(2)} %, S ${result.s.toFixed(2)}${undone.length ? `. Undone: ${undone.map((d) => `${d.title} (${d.undone})`).join(' ')}` : '.'}`;
  return { stages: done, model: final, result, message, stopped };
}

/** Freed kinds spread over the phases that can bear them. */
function chosen(
  free: ReadonlySet<string>,
  held: ReadonlySet<string>,
  m: FitModel,
  unseen: ReadonlySet<string>,
): Set<string> {
  const out = new Set<string>();
  const whole: readonly string[] = [
    'background',
    'zero',
    'displacement',
    'absorption',
    'instrument widths',
    'Gaussian widths',
    'axial divergence',
  ];
  for (const f of free) {
    const [kind, phase] = f.split(':') as [string, string | undefined];
    if (held.has(kind)) continue;
    if (whole.includes(kind)) {
      out.add(kind);
      continue;
    }
    for (const p of m.phases) {
      if ((phase && phase !== p.id) || held.has(`${kind}:${p.id}`)) continue;
      if (unseen.has(p.id) && kind !== 'scale') continue;
      out.add(`${kind}:${p.id}`);
    }
  }
  for (const p of m.phases) if (p.extraction === 'Pawley') out.add(`intensities:${p.id}`);
  return out;
}

function plain(stage: Stage, model: FitModel, patterns: readonly Pattern[]): StageResult {
  const problem = new FitProblem(model, patterns, new Set());
  return { title: stage.title, says: stage.says, model, figures: overall(problem), cycles: 1 };
}

const SMOOTHEST = 24;

/** Adds Chebyshev terms while the sum of weighted squares falls by more than the price of the parameters (Schwarz 1978, Ann. Statist. 6, 461). */
async function refineBackground(
  stage: Stage,
  start: FitModel,
  patterns: readonly Pattern[],
  free: Set<string>,
  context: TaskContext<FitCycle>,
): Promise<StageResult> {
  let model = start;
  const quiet: TaskContext<FitCycle> = { ...context, progress: () => undefined };
  const first = new FitProblem(start, patterns, new Set());
  let cost = first.cost();
  const price = 2 * start.patterns.length * Math.log(first.observations);
  let added = 0,
    failed = 0,
    trial = start;
  const only = new Set([...free].filter((f) => f === 'background' || f.startsWith('scale')));
  // A hump may need four terms before two more show.
  while (failed < 2 && trial.patterns[0]!.background.chebyshev.length + 2 <= SMOOTHEST) {
    trial = {
      ...trial,
      patterns: trial.patterns.map((p) => ({
        ...p,
        background: { ...p.background, chebyshev: [...p.background.chebyshev, 0, 0] },
      })),
    };
    const out = await fitStage(trial, patterns, { free: only, cycles: 3 }, quiet);
    const now = out.problem.cost();
    trial = out.model;
    if (cost - now > price * (failed + 1)) {
      added += 2 * (failed + 1);
      cost = now;
      model = trial;
      failed = 0;
    } else failed++;
  }
  const out = await fitStage(model, patterns, { free, cycles: stage.cycles ?? 12 }, context);
  return {
    title: stage.title,
    says: stage.says,
    model: out.away ? model : out.model,
    figures: out.figures,
    cycles: out.cycles,
    note: added ? `${added} terms added` : 'no more terms are needed',
  };
}

async function tryOrientations(
  stage: Stage,
  start: FitModel,
  patterns: readonly Pattern[],
  free: Set<string>,
  context: TaskContext<FitCycle>,
): Promise<StageResult> {
  let model = start;
  let rwp = overall(new FitProblem(model, patterns, new Set())).rwp;
  let figures = overall(new FitProblem(model, patterns, new Set()));
  const notes: string[] = [];
  const quiet: TaskContext<FitCycle> = { ...context, progress: () => undefined };
  for (const p of start.phases) {
    if (p.extraction || p.orientation || !free.has(`scale:${p.id}`) || !free.has(`cell:${p.id}`)) continue;
    let best: { axis: Vec3; model: FitModel; rwp: number } | undefined;
    for (const axis of AXES) {
      const trial: FitModel = {
        ...model,
        phases: model.phases.map((x) => (x.id === p.id ? { ...x, orientation: { axis, r: 1 } } : x)),
      };
      const only = new Set([...free].filter((f) => f === 'background' || f.startsWith('scale')));
      only.add(`orientation:${p.id}`);
      const out = await fitStage(trial, patterns, { free: only, cycles: 4 }, quiet);
      if (!out.away && (!best || out.figures.rwp < best.rwp)) best = { axis, model: out.model, rwp: out.figures.rwp };
    }
    if (best && best.rwp < rwp * 0.98) {
      notes.push(`${p.name} is oriented along [${best.axis.join(' ')}]`);
      model = best.model;
      rwp = best.rwp;
    }
  }
  if (model !== start) {
    const all = new Set(free);
    for (const p of model.phases) if (p.orientation) all.add(`orientation:${p.id}`);
    const out = await fitStage(model, patterns, { free: all, cycles: stage.cycles ?? 10 }, context);
    if (!out.away) {
      model = out.model;
      figures = out.figures;
    }
  }
  return {
    title: stage.title,
    says: stage.says,
    model,
    figures,
    cycles: stage.cycles ?? 10,
    note: notes.length ? notes.join('; ') : 'no phase shows any',
  };
}
