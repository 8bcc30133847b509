/** The way from raw intensities to candidate models: seeds phased side by side, each judged by its symmetry and built into a model. */
import { prettySymbol } from '../crystal/settings.ts';
import type { Cell } from '../crystal/cell.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import { modelContents, type Structure } from '../crystal/structure.ts';
import { cellVolume } from '../crystal/cell.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import { proposeZ, scaleFormula, type Formula } from '../crystal/formula.ts';
import type { TaskContext } from '../task-context.ts';
import {
  buildModel,
  expectedAtoms,
  peaksFromPhases,
  type BuildInput,
  type BuildReport,
  type BuiltModel,
} from './build-model.ts';
import { dominantElement, isBeyondImages, withoutGhosts } from './ghosts.ts';
import type { FlippingReport } from './charge-flipping.ts';
import { expandToP1, laueExpansionGroup } from './expand.ts';
import type { GroupMatch, PhaseInput, PhaseResult } from './phase.ts';
import { phaseSeed } from './phase.ts';
import { analyseIntake, candidateGroups, mergeForGroup, mergeForLaue } from './prepare.ts';
import { PhaseIndex } from './symmetry-from-phases.ts';

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

export interface Candidate {
  readonly seed: number;
  readonly structure: Structure;
  readonly r1: number;
  readonly completeness: number;
  readonly guessed: boolean;
  /** Mean phase agreement with the group's operators. */
  readonly agreement: number;
}

export type SolveReport =
  | { kind: 'stage'; text: string }
  | ({ kind: 'seed' } & FlippingReport)
  | { kind: 'seed-ended'; seed: number; iterations: number; groups: { symbol: string; score: number }[] }
  | ({ kind: 'building'; seed: number; symbol: string } & BuildReport)
  | { kind: 'candidate'; candidate: Candidate };

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

/** Good enough to stop: most of the contents found and an R1 that a false model does not reach. */
const GOOD_R1 = 0.22;

/** Orders candidates: a low R1 counts, contents left unexplained count against it, and a subgroup with twice the atoms must lower R1 by a fifth to be preferred. */
export const candidateRank = (c: Pick<Candidate, 'r1' | 'completeness' | 'structure'>): number =>
  (c.r1 + 0.3 * Math.max(0, 0.97 - c.completeness)) * c.structure.sites.length ** 0.29;

/** The same model again and again, though its R1 stays high (disorder, a twin): more seeds would not change it. */
const sameAgain = (list: readonly Candidate[]): boolean => {
  const best = list[0];
  return (
    !!best &&
    best.completeness > 0.88 &&
    list.filter(
      (c) =>
        c.structure.spaceGroup.hall === best.structure.spaceGroup.hall &&
        Math.abs(c.r1 - best.r1) < 0.012 &&
        c.structure.sites.length === best.structure.sites.length,
    ).length >= 4
  );
};

/** Iterations a seed may use, more for larger cells where solutions take longer to appear. */
const iterationsFor = (points: number): number => Math.round(Math.min(4000, 900 + points / 40));

/** What was made of the phases of a seed in one group. */
interface Built {
  readonly build: BuildInput;
  readonly match: GroupMatch;
  readonly model: BuiltModel;
}

/** Models in whose place one without images could become the best, most likely first. */
function worthClearing(built: readonly Built[]): Built[] {
  const ranked = built.map((b) => ({ ...b, rank: candidateRank(b.model) })).sort((p, q) => p.rank - q.rank);
  return ranked.filter((b) => b.rank < 1.15 * ranked[0]!.rank);
}

export async function solveStructure(input: SolveInput, context: TaskContext<SolveReport>): Promise<SolveResult> {
  const started = performance.now();
  const elapsed = (): number => (performance.now() - started) / 1000;
  context.progress({ kind: 'stage', text: 'Looking at symmetry and statistics' });
  let raw = input.raw,
    cell = input.cell;
  let groups: SpaceGroup[];
  if (input.spaceGroup) groups = [input.spaceGroup];
  else if (input.groups?.length) groups = input.groups;
  else {
    const analysis = analyseIntake(raw, cell, input.wavelength);
    raw = analysis.raw;
    cell = analysis.cell;
    groups = candidateGroups(analysis.ranking);
  }
  await context.breath();
  const laueOf = groups.reduce((p, q) => (q.representatives.length > p.representatives.length ? q : p));
  const laue = mergeForLaue(raw, cell, laueOf);
  const data = expandToP1(laue, cell, laueExpansionGroup(laueRotations(rotationsOf(laueOf)), laueOf.centring));
  if (data.h.length < 50)
    throw new RangeError(
      `Only ${data.h.length} reflections are left after merging; a structure cannot be solved from so few.`,
    );
  const index = new PhaseIndex(data);
  const points = data.grid.nx * data.grid.ny * data.grid.nz;
  const symmetric = groups.some((g) => g.representatives.length > 1);
  const maxIterations = symmetric ? iterationsFor(points) : 400;
  const candidates: Candidate[] = [];
  const merged = new Map<number, BuildInput['reflections']>();
  const contentsOf = (g: SpaceGroup): Formula | undefined => {
    if (!input.formula) return undefined;
    const z = input.z ?? proposeZ(input.formula, cellVolume(cell), g.representatives.length * g.centring.length);
    return scaleFormula(input.formula, z);
  };
  const lastSeed = input.seed + input.seeds - 1;
  const running = new Map<number, { result: Promise<PhaseResult | Error>; cancel(): void }>();
  let next = input.seed;
  const launch = (): void => {
    const room = Math.max(1, context.parallel);
    while (running.size < room && next <= lastSeed) {
      const seed = next++;
      const payload: PhaseInput = { data, groups, seed, maxIterations };
      const onProgress = (report: unknown): void => context.progress({ kind: 'seed', ...(report as FlippingReport) });
      if (context.fork) {
        const fork = context.fork<PhaseResult>('phase', payload, onProgress);
        running.set(seed, { cancel: fork.cancel, result: fork.result.catch((e: Error) => e) });
      } else
        running.set(seed, {
          cancel: () => undefined,
          result: phaseSeed(payload, { ...context, progress: onProgress } as TaskContext<FlippingReport>).catch(
            (e: Error) => e,
          ),
        });
      if (!context.fork) break;
    }
  };
  const building = (seed: number, { symbol }: SpaceGroup): TaskContext<BuildReport> => ({
    ...context,
    progress: (p) => context.progress({ kind: 'building', seed, symbol, ...p }),
  });
  const add = (seed: number, match: GroupMatch, model: BuiltModel): Candidate => {
    const { structure, r1, completeness, guessed } = model;
    const candidate: Candidate = { seed, structure, r1, completeness, guessed, agreement: match.score };
    candidates.push(candidate);
    candidates.sort((p, q) => candidateRank(p) - candidateRank(q));
    context.progress({ kind: 'candidate', candidate });
    return candidate;
  };
  const isSolved = (c: Candidate): boolean => (c.r1 < GOOD_R1 && c.completeness > 0.88) || sameAgain(candidates);
  let seedsTried = 0,
    solved = false,
    current = input.seed;
  context.progress({ kind: 'stage', text: `Phasing ${data.h.length} reflections in P1` });
  try {
    while (!solved && current <= lastSeed && elapsed() < input.seconds) {
      launch();
      const job = running.get(current)!;
      // Seeds are judged in order, so the answer does not depend on which worker was quicker.
      const result = await whenDone(job.result, context, input.seconds - elapsed());
      if (result === 'time') break;
      if (result instanceof Error) throw result;
      running.delete(current++);
      launch();
      seedsTried++;
      context.progress({
        kind: 'seed-ended',
        seed: result.seed,
        iterations: result.iterations,
        groups: result.matches.slice(0, 4).map((m) => ({ symbol: groups[m.group]!.symbol, score: m.score })),
      });
      const built: Built[] = [];
      // In the shadow of a heavy atom R1 alone does not say which group is right.
      let dominated = false;
      for (const [n, match] of result.matches.entries()) {
        if (n >= (dominated ? 6 : 3)) break;
        const group = groups[match.group]!;
        if (!merged.has(match.group)) merged.set(match.group, mergeForGroup(raw, cell, group).reflections);
        const contents = contentsOf(group);
        const build: BuildInput = {
          cell,
          group,
          reflections: merged.get(match.group)!,
          wavelength: input.wavelength,
          ...(contents ? { contents } : {}),
        };
        const peaks = peaksFromPhases(
          build,
          data,
          index,
          result.phases,
          match.origin,
          Math.ceil(expectedAtoms(build) * 1.4) + 5,
        );
        const model = await buildModel(build, peaks, building(result.seed, group));
        if (!model || model.r1 > 0.5) continue;
        built.push({ build, match, model });
        const candidate = add(result.seed, match, model);
        const dominant = dominantElement(contents ?? modelContents(model.structure));
        dominated = !!dominant && !isBeyondImages(model, dominant);
        if (!dominated && isSolved(candidate)) {
          solved = true;
          break;
        }
      }
      if (dominated) {
        context.progress({ kind: 'stage', text: 'Telling light atoms from the images that heavy ones make of them' });
        for (const { build, match, model } of worthClearing(built)) {
          if (elapsed() > input.seconds / 2) break;
          const clear = await withoutGhosts(model, build, building(result.seed, build.group));
          if (clear) add(result.seed, match, clear);
        }
        solved = !!candidates[0] && isSolved(candidates[0]);
      }
    }
  } finally {
    for (const job of running.values()) job.cancel();
  }
  const best = candidates[0];
  const message = best
    ? `${prettySymbol(best.structure.spaceGroup.symbol)}, R1 ${(100 * best.r1).toFixed(1)} % with ${best.structure.sites.length} atoms, from seed ${best.seed} of ${seedsTried} tried.`
    : `No model came of ${seedsTried} seeds. Continue with more seeds, check the cell and the formula, or choose another space group at Intake.`;
  return { candidates: candidates.slice(0, 8), seedsTried, nextSeed: current, seconds: elapsed(), message };
}

/** Waits for a job while staying open to cancellation and the clock. */
async function whenDone<T>(job: Promise<T>, context: TaskContext<SolveReport>, seconds: number): Promise<T | 'time'> {
  let done = false;
  const finished = job.then((value) => {
    done = true;
    return value;
  });
  const until = performance.now() + 1000 * seconds;
  for (;;) {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const tick = new Promise<'tick'>((resolve) => (timer = setTimeout(() => resolve('tick'), 100)));
    const answer = await Promise.race([finished, tick]);
    clearTimeout(timer);
    if (done) return answer as T;
    await context.breath();
    if (performance.now() > until) return 'time';
  }
}
