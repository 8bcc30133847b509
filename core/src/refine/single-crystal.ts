/** Full-matrix least squares on F² against all data. */
import { elementOf } from '../crystal/elements.ts';
import type { Experiment, Weights } from '../crystal/experiment.ts';
import type { Displacement, Site, Structure } from '../crystal/structure.ts';
import type { TwinComponent } from '../crystal/treatment.ts';
import type { TaskContext } from '../task-context.ts';
import { expandShift, plainMap, type ConstraintMap } from './constraint-map.ts';
import { largestCorrelations, packLower, type Correlation, type CovarianceData } from './covariance.ts';
import { obeyControls } from './holds.ts';
import { covarianceMatrix, LevenbergMarquardt, type DampingPolicy, type ShiftReading } from './least-squares.ts';
import { DISPLACEMENT, EXTINCTION, OCCUPANCY, SCALE, siteOffset, twinOffset } from './parameters.ts';
import { SingleCrystalProblem, type RefineOptions } from './single-crystal-problem.ts';
import { optimizeWeights } from './weights.ts';

export interface Readings {
  readonly r1: number;
  readonly r1All: number;
  readonly wr2: number;
  readonly s: number;
  readonly parameters: number;
  readonly restraints: number;
  readonly reflections: number;
  readonly observed: number;
  readonly maxShiftOverSu: number;
  readonly meanShiftOverSu: number;
  readonly weights: Weights;
  readonly scale: number;
  readonly extinction?: { readonly value: number; readonly su: number };
  /** Twin components beyond the first, with refined fractions. */
  readonly twins?: readonly TwinComponent[];
  /** Correlations above 0.5, largest first, at most twenty. */
  readonly correlations?: readonly Correlation[];
}

export interface CycleReport {
  cycle: number;
  r1: number;
  wr2: number;
  s: number;
  maxShiftOverSu: number;
  maxShiftOf: string;
}

export interface RefineResult {
  readonly structure: Structure;
  readonly readings: Readings;
  readonly history: readonly CycleReport[];
  readonly state: 'settled' | 'moving' | 'diverged';
  /** One sentence on how it ended. */
  readonly message: string;
  readonly covariance?: CovarianceData;
  /** Labels of parameters the data do not determine. */
  readonly undetermined: readonly string[];
}

/** Structure with the values of physical parameters, s.u. attached where given. */
export function structureFromPhysical(s: Structure, p: Float64Array, su?: Float64Array): Structure {
  const held = new Map(
    (s.controls?.hydrogens ?? []).flatMap((g) =>
      g.hydrogens.map(
        (h) => [h, { position: g.hold === 'riding' || g.hold === 'rotating', u: g.uFactor > 0 }] as const,
      ),
    ),
  );
  const sites = s.sites.map((site, j): Site => {
    const at = siteOffset(j);
    // What rides has no s.u. of its own.
    if (su && held.get(site.id)?.position) su.fill(0, at, at + 3);
    if (su && held.get(site.id)?.u) su[at + DISPLACEMENT] = 0;
    const slice = (array: Float64Array, n: number, from: number): number[] =>
      Array.from(array.subarray(at + from, at + from + n));
    const displacement: Displacement =
      site.displacement.kind === 'iso'
        ? { kind: 'iso', u: p[at + DISPLACEMENT]!, su: su?.[at + DISPLACEMENT] ?? 0 }
        : {
            kind: 'aniso',
            u: slice(p, 6, DISPLACEMENT) as never,
            su: (su ? slice(su, 6, DISPLACEMENT) : [0, 0, 0, 0, 0, 0]) as never,
          };
    return {
      ...site,
      position: slice(p, 3, 0) as never,
      positionSu: (su ? slice(su, 3, 0) : [0, 0, 0]) as never,
      occupancy: p[at + OCCUPANCY]!,
      occupancySu: su?.[at + OCCUPANCY] ?? 0,
      displacement,
    };
  });
  return { ...s, sites };
}

/** No start: undamped steps are the best ones for data that determine the model. */
const DAMPING: DampingPolicy = { start: 0, afterFailure: 0.003, relax: 8, vanish: 1e-4, tries: 6, slack: 0.001 };

/** How far a run has come. */
interface Progress {
  readonly history: readonly CycleReport[];
  readonly state: RefineResult['state'];
  readonly message: string;
  readonly undetermined: readonly string[];
  readonly maxShift: number;
  readonly meanShift: number;
}

/** Weights and model settle together; after a few rounds the weights stay, or the two chase each other for ever. */
const MOST_WEIGHT_ROUNDS = 7;
/** Cycles that stages of a settle run may add to settle with new weights. */
export const EXTRA_CYCLES = 4;

const cyclesOf = (n: number): string => `${n} ${n === 1 ? 'cycle' : 'cycles'}`;

/** The cycles of one refinement: what moves, when it has come to rest, and when weights are sought anew. */
class Run {
  private readonly solver: LevenbergMarquardt;
  private readonly history: CycleReport[] = [];
  private undetermined: string[] = [];
  private last = { maxShift: Infinity, meanShift: Infinity, name: '' };
  private extra = 0;
  private weightRounds = 0;

  constructor(
    private readonly problem: SingleCrystalProblem,
    private readonly options: RefineOptions,
    private readonly context: TaskContext<CycleReport>,
  ) {
    this.solver = new LevenbergMarquardt(problem, DAMPING);
  }

  async toTheEnd(): Promise<Progress> {
    const planned = Math.max(1, this.options.cycles);
    for (let cycle = 1; cycle <= planned + this.extra; cycle++) {
      const done = await this.solver.cycle(this.context as TaskContext);
      this.undetermined = done.weak.map((i) => this.problem.nameOf(i));
      const shifts = this.solver.shiftsOverSu(done);
      this.report(cycle, shifts);
      if (!done.accepted) return this.blocked(cycle);
      const quietly = shifts.max < (this.options.settled ?? 0.01);
      const quiet = quietly || this.isStill(done.shift);
      if (this.mayReweigh(shifts.max, cycle, planned) && this.reweigh()) {
        if (cycle >= planned) this.extra++;
        continue;
      }
      if (quiet)
        return this.end(
          'settled',
          quietly
            ? `Settled after ${cyclesOf(cycle)}: the largest shift is ${shifts.max.toFixed(3)} s.u. (${this.last.name}).`
            : `Settled after ${cyclesOf(cycle)}: no parameter of the model moves any more.`,
        );
    }
    const { maxShift, name } = this.last;
    return maxShift < 0.05
      ? this.end('settled', `Settled: the largest shift is ${maxShift.toFixed(3)} s.u. (${name}).`)
      : this.end(
          'moving',
          `Still moving after ${cyclesOf(this.history.length)}: ${name} by ${maxShift.toFixed(2)} s.u.`,
        );
  }

  private report(cycle: number, shifts: ShiftReading): void {
    const { r1, wr2, s } = this.problem.figures();
    this.last = { maxShift: shifts.max, meanShift: shifts.mean, name: this.problem.nameOf(shifts.at) };
    const row = { cycle, r1, wr2, s, maxShiftOverSu: shifts.max, maxShiftOf: this.last.name };
    this.history.push(row);
    this.context.progress(row);
  }

  /** With hardly any noise the s.u. vanish too; then the shifts themselves decide. Scale and extinction do not count. */
  private isStill(shift: Float64Array): boolean {
    return expandShift(this.problem.map, shift).every((x, p) => p < siteOffset(0) || Math.abs(x) < 1e-7);
  }

  /** New weights need a cycle after them: the last one allowed leaves them as they are. */
  private mayReweigh(max: number, cycle: number, planned: number): boolean {
    const { optimizeWeights, overrun = 0 } = this.options;
    const nearTheEnd = cycle >= planned - (overrun ? 0 : 1);
    return (
      optimizeWeights &&
      this.weightRounds < MOST_WEIGHT_ROUNDS &&
      (max < 0.5 || nearTheEnd) &&
      cycle < planned + overrun
    );
  }

  /** Seeks weights anew; whether they changed. */
  private reweigh(): boolean {
    this.weightRounds++;
    const { problem } = this;
    const c = problem.calculated();
    const before = problem.weights;
    const next = optimizeWeights(c.fo2, c.fc2, c.sigma, problem.map.independent, before);
    problem.weights = next;
    return Math.abs(next.a - before.a) > 0.0005 || Math.abs(next.b - before.b) > 0.01 * Math.max(0.01, before.b);
  }

  private blocked(cycle: number): Progress {
    const { maxShift, name } = this.last;
    return cycle > 1 && maxShift < 0.3
      ? this.end(
          'settled',
          `No step lowers the residual any further; the largest shift was ${maxShift.toFixed(2)} s.u. (${name}).`,
        )
      : this.end(
          'diverged',
          `The refinement runs away (${name}); the model of cycle ${cycle - 1} was kept. Look at that atom's element, occupancy and displacement.`,
        );
  }

  private end(state: RefineResult['state'], message: string): Progress {
    const { history, last, undetermined } = this;
    return { history, state, message, undetermined, maxShift: last.maxShift, meanShift: last.meanShift };
  }
}

/**
 * Refines until settled, diverged or out of cycles. Shifts are limited, and damped further whenever they would raise the sum
 * of squares. Never returns a model worse than the one it was given. Throws RangeError where there is nothing to refine or
 * too few reflections, Contradiction where two rules of the model cannot both hold.
 */
export async function refineStructure(
  given: Experiment,
  options: RefineOptions,
  context: TaskContext<CycleReport>,
): Promise<RefineResult> {
  if (!given.structure.sites.length)
    throw new RangeError('There are no atoms to refine. Solve the structure or add atoms first.');
  for (const site of given.structure.sites) elementOf(site.element);
  const e: Experiment = { ...given, structure: obeyControls(given.structure) };
  const problem = new SingleCrystalProblem(e, options);
  const n = problem.map.independent;
  if (problem.used.length + problem.restraints.length < n)
    throw new RangeError(
      `${n} parameters cannot be refined against ${problem.used.length} reflections. Use isotropic displacements or more data.`,
    );
  const end = await new Run(problem, options, context).toTheEnd();
  return finish(e, problem, options, end, context as TaskContext);
}

/** S.u. of the physical parameters from the covariance of the independent ones. */
function physicalDeviations(map: ConstraintMap, full: Float64Array, variance: number): Float64Array {
  const n = map.independent;
  const su = new Float64Array(map.physical);
  for (let p = 0; p < map.physical; p++) {
    let sum = 0;
    for (let e = map.start[p]!; e < map.start[p + 1]!; e++)
      for (let f = map.start[p]!; f < map.start[p + 1]!; f++)
        sum += map.value[e]! * map.value[f]! * full[map.column[e]! * n + map.column[f]!]!;
    su[p] = Math.sqrt(Math.max(0, sum) * variance);
  }
  return su;
}

async function finish(
  { treatment }: Experiment,
  problem: SingleCrystalProblem,
  options: RefineOptions,
  end: Progress,
  context: TaskContext,
): Promise<RefineResult> {
  const figures = problem.figures();
  const { map, structure } = problem;
  let su: Float64Array | undefined;
  let covariance: CovarianceData | undefined;
  if (options.covariance !== false) {
    const full = await covarianceMatrix(problem, context, () => 1);
    const variance = figures.s ** 2;
    su = physicalDeviations(map, full, variance);
    covariance = {
      packed: packLower(full, map.independent, variance),
      map: plainMap(map),
      siteIds: structure.sites.map((s) => s.id),
    };
  }
  const firstTwin = twinOffset(structure.sites.length);
  const readings: Readings = {
    ...figures,
    parameters: map.independent,
    restraints: problem.restraints.filter((r) => !r.silent).length,
    reflections: problem.used.length,
    maxShiftOverSu: end.maxShift,
    meanShiftOverSu: end.meanShift,
    weights: problem.weights,
    scale: problem.physical[SCALE]!,
    ...(covariance ? { correlations: largestCorrelations(covariance, structure, 0.5) } : {}),
    ...(treatment.extinction
      ? { extinction: { value: problem.physical[EXTINCTION]!, su: su?.[EXTINCTION] ?? 0 } }
      : {}),
    ...(treatment.twins?.length
      ? {
          twins: treatment.twins.map((c, i) => ({
            ...c,
            fraction: problem.twinFractions[i]!,
            su: su?.[firstTwin + i] ?? 0,
          })),
        }
      : {}),
  };
  return {
    structure: structureFromPhysical(structure, problem.physical, su),
    readings,
    history: end.history,
    state: end.state,
    message: end.message,
    undetermined: end.undetermined,
    ...(covariance ? { covariance } : {}),
  };
}
