/** The way from raw intensities to candidate models: seeds phased side by side, each judged by its symmetry and built into a model. */
import { prettySymbol } from '../crystal/settings.ts';
import type { Cell } from '../crystal/cell.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import type { Formula } from '../crystal/formula.ts';
import type { TaskContext } from '../task-context.ts';
import { Candidates, type Candidate } from './candidates.ts';
import type { FlippingReport } from './charge-flipping.ts';
import { expandToP1, laueExpansionGroup, type PhasingData } from './expand.ts';
import { SeedJudge, type JudgeReport } from './judge-seed.ts';
import type { PhaseResult } from './phase.ts';
import { analyseIntake, candidateGroups, mergeForLaue } from './prepare.ts';
import { SeedQueue } from './seed-queue.ts';

export interface SolveInput {
  raw: RawReflections;
  cell: Cell;
  wavelength: number;
  formula?: Formula;
  z?: number;
  /** Only this group is tried; the data must be in its cell. */
  spaceGroup?: SpaceGroup;
  /** Groups to try instead of the ranked ones, most likely first. */
  groups?: SpaceGroup[];
  seed: number;
  /** Seeds to try at most. */
  seeds: number;
  seconds: number;
}

export type SolveReport =
  | JudgeReport
  | ({ kind: 'seed' } & FlippingReport)
  | { kind: 'seed-ended'; seed: number; iterations: number; groups: { symbol: string; score: number }[] };

export interface SolveResult {
  /** Best first. */
  candidates: Candidate[];
  seedsTried: number;
  /** Number to continue from. */
  nextSeed: number;
  seconds: number;
  /** One sentence on how it ended. */
  message: string;
}

/** Candidates that are handed on. */
const KEPT = 8;
/** Fewer reflections do not make a structure. */
const FEWEST_REFLECTIONS = 50;

/** Data in the cell of the groups that are tried. */
interface Tried {
  readonly raw: RawReflections;
  readonly cell: Cell;
  readonly groups: readonly SpaceGroup[];
}

function groupsToTry(input: SolveInput): Tried {
  const { raw, cell } = input;
  if (input.spaceGroup) return { raw, cell, groups: [input.spaceGroup] };
  if (input.groups?.length) return { raw, cell, groups: input.groups };
  const analysis = analyseIntake(raw, cell, input.wavelength);
  return { raw: analysis.raw, cell: analysis.cell, groups: candidateGroups(analysis.ranking) };
}

/** Amplitudes over the whole sphere, merged in the highest of the Laue groups. Throws RangeError where too few are left. */
function phasingData({ raw, cell, groups }: Tried): PhasingData {
  const highest = groups.reduce((p, q) => (q.representatives.length > p.representatives.length ? q : p));
  const laue = laueExpansionGroup(laueRotations(rotationsOf(highest)), highest.centring);
  const data = expandToP1(mergeForLaue(raw, cell, highest), cell, laue);
  if (data.h.length < FEWEST_REFLECTIONS)
    throw new RangeError(
      `Only ${data.h.length} reflections are left after merging; a structure cannot be solved from so few.`,
    );
  return data;
}

/** Iterations a seed may use, more for larger cells where solutions take longer to appear; few where no symmetry can tell when to stop. */
function iterationsFor({ grid: { nx, ny, nz } }: PhasingData, groups: readonly SpaceGroup[]): number {
  const symmetric = groups.some((g) => g.representatives.length > 1);
  return symmetric ? Math.round(Math.min(4000, 900 + (nx * ny * nz) / 40)) : 400;
}

/**
 * Solves a structure from its intensities: phases in P1 by charge flipping, groups that they obey, models built in these.
 * Candidates come best first; an empty list says in its message what to do. Throws RangeError for too few reflections.
 */
export async function solveStructure(input: SolveInput, context: TaskContext<SolveReport>): Promise<SolveResult> {
  const started = performance.now();
  const elapsed = (): number => (performance.now() - started) / 1000;
  context.progress({ kind: 'stage', text: 'Looking at symmetry and statistics' });
  const tried = groupsToTry(input);
  const { groups } = tried;
  await context.breath();
  const data = phasingData(tried);
  const candidates = new Candidates();
  const { formula, z, wavelength } = input;
  const judge = new SeedJudge(
    { ...tried, wavelength, formula, z, data },
    candidates,
    context as TaskContext<JudgeReport>,
  );
  const seeds = new SeedQueue(
    { data, groups, maxIterations: iterationsFor(data, groups) },
    input.seed,
    input.seed + input.seeds - 1,
    { ...context, progress: (report) => context.progress({ kind: 'seed', ...report }) },
  );
  let seedsTried = 0,
    solved = false;
  context.progress({ kind: 'stage', text: `Phasing ${data.h.length} reflections in P1` });
  try {
    while (!solved && !seeds.isEmpty && elapsed() < input.seconds) {
      const phased = await seeds.take(input.seconds - elapsed());
      if (phased === 'time') break;
      seedsTried++;
      context.progress(seedEnded(phased, groups));
      solved = await judge.judge(phased, () => elapsed() <= input.seconds / 2);
    }
  } finally {
    seeds.cancel();
  }
  const message = howItEnded(candidates.best, seedsTried);
  return { candidates: candidates.first(KEPT), seedsTried, nextSeed: seeds.current, seconds: elapsed(), message };
}

const seedEnded = ({ seed, iterations, matches }: PhaseResult, groups: readonly SpaceGroup[]): SolveReport => ({
  kind: 'seed-ended',
  seed,
  iterations,
  groups: matches.slice(0, 4).map((m) => ({ symbol: groups[m.group]!.symbol, score: m.score })),
});

function howItEnded(best: Candidate | undefined, seedsTried: number): string {
  if (!best)
    return `No model came of ${seedsTried} seeds. Continue with more seeds, check the cell and the formula, or choose another space group at Intake.`;
  const { spaceGroup, sites } = best.structure;
  return `${prettySymbol(spaceGroup.symbol)}, R1 ${(100 * best.r1).toFixed(1)} % with ${sites.length} atoms, from seed ${best.seed} of ${seedsTried} tried.`;
}
