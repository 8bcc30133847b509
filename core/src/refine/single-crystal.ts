/** Full-matrix least squares on F² against all data. */
import { choleskyInPlace, choleskyInverse, choleskySolve } from '../math/linear.ts';
import { elementOf } from '../crystal/elements.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import type { Displacement, Site, Structure } from '../crystal/structure.ts';
import type { TaskContext } from '../task-context.ts';
import { largestCorrelations, packLower, type Correlation, type CovarianceData } from './covariance.ts';
import { obeyControls } from './holds.ts';
import type { TwinComponent } from '../crystal/treatment.ts';
import { DISPLACEMENT, EXTINCTION, expandShift, OCCUPANCY, SCALE, siteOffset, twinOffset } from './parameters.ts';
import { SingleCrystalProblem, type RefineOptions } from './single-crystal-problem.ts';
import { optimizeWeights, type Weights } from './weights.ts';

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
  readonly history: CycleReport[];
  readonly state: 'settled' | 'moving' | 'diverged';
  /** One sentence on how it ended. */
  readonly message: string;
  readonly covariance?: CovarianceData;
  /** Labels of parameters the data do not determine. */
  readonly undetermined: string[];
}

/** Largest sensible move per cycle: 0.25 Å for coordinates, half of the value or 0.03 Å² for displacements, 0.3 for occupancies. */
function limitShift(problem: SingleCrystalProblem, shift: Float64Array): number {
  let factor = 1;
  const { a, b, c } = problem.structure.cell;
  const lengths = [a, b, c];
  problem.structure.sites.forEach((site, j) => {
    const at = siteOffset(j);
    for (let k = 0; k < 3; k++)
      factor = Math.min(factor, 0.25 / Math.max(1e-9, Math.abs(shift[at + k]!) * lengths[k]!));
    factor = Math.min(factor, 0.3 / Math.max(1e-9, Math.abs(shift[at + OCCUPANCY]!)));
    const count = site.displacement.kind === 'iso' ? 1 : 6;
    for (let k = 0; k < count; k++)
      factor = Math.min(
        factor,
        Math.max(0.03, 0.6 * Math.abs(problem.physical[at + DISPLACEMENT + k]!)) /
          Math.max(1e-9, Math.abs(shift[at + DISPLACEMENT + k]!)),
      );
  });
  return Math.max(0.05, factor);
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

/** Keeps isotropic displacements physical between cycles; returns whether anything was held. */
function holdPositive(problem: SingleCrystalProblem, p: Float64Array): void {
  problem.structure.sites.forEach((site, j) => {
    const at = siteOffset(j) + DISPLACEMENT;
    if (site.displacement.kind === 'iso') p[at] = Math.min(1, Math.max(0.0005, p[at]!));
  });
  p[SCALE] = Math.max(1e-12, p[SCALE]!);
}

/**
 * Refines until settled, diverged or out of cycles. Shifts are limited, and damped further (Levenberg 1944; Marquardt 1963)
 * whenever they would raise the sum of squares. Never returns a model worse than the one it was given.
 */
export async function refineStructure(
  structure: Structure,
  reflections: MergedReflections,
  wavelength: number,
  options: RefineOptions,
  context: TaskContext<CycleReport>,
): Promise<RefineResult> {
  if (!structure.sites.length)
    throw new RangeError('There are no atoms to refine. Solve the structure or add atoms first.');
  for (const site of structure.sites) elementOf(site.element);
  structure = obeyControls(structure);
  const problem = new SingleCrystalProblem(structure, reflections, wavelength, options);
  const n = problem.map.independent;
  if (problem.used.length + problem.restraints.length < n)
    throw new RangeError(
      `${n} parameters cannot be refined against ${problem.used.length} reflections. Use isotropic displacements or more data.`,
    );
  const history: CycleReport[] = [];
  const settledBelow = options.settled ?? 0.01;
  let damping = 0,
    state: RefineResult['state'] = 'moving',
    message = '';
  let undetermined: string[] = [];
  let last = { maxShift: Infinity, meanShift: Infinity, name: '' };
  let inverse: Float64Array | undefined;
  let extra = 0,
    weightRounds = 0;
  const plannedCycles = Math.max(1, options.cycles);
  for (let cycle = 1; cycle <= plannedCycles + extra; cycle++) {
    const { normal, cost, weight } = await problem.assemble(context as TaskContext);
    const matrix = normal.complete();
    const diagonal = Float64Array.from({ length: n }, (_, i) => Math.sqrt(matrix[i * n + i]!) || 1);
    const scaled = new Float64Array(n * n);
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) scaled[i * n + j] = matrix[i * n + j]! / (diagonal[i]! * diagonal[j]!);
    const right = normal.vector.map((x, i) => x / diagonal[i]!);
    let accepted = false,
      shift = new Float64Array(n);
    const data = problem.used.length;
    for (let attempt = 0; attempt < 6 && !accepted; attempt++) {
      const factor = scaled.slice();
      for (let i = 0; i < n; i++) factor[i * n + i]! *= 1 + damping;
      const weak = choleskyInPlace(factor, n);
      undetermined = weak.map((i) => problem.nameOf(i));
      shift = choleskySolve(factor, n, right).map((x, i) => x / diagonal[i]!);
      let physical = expandShift(problem.map, shift);
      const limit = Math.min(1, limitShift(problem, physical));
      if (limit < 1) {
        physical = physical.map((x) => x * limit);
        shift = shift.map((x) => x * limit);
      }
      const moved = problem.moved(shift, physical);
      holdPositive(problem, moved);
      const trial = problem.trial(moved, weight);
      if (trial <= cost * 1.001 + 1e-12) {
        problem.physical = moved;
        accepted = true;
        damping = damping > 1e-4 ? damping / 8 : 0;
        inverse = factor;
      } else damping = damping ? damping * 10 : 0.003;
      await context.breath();
    }
    const figures = problem.figures();
    const chi = Math.sqrt(cost / Math.max(1, data - n));
    // S.u. for the convergence test come from the factor already at hand: diag(N⁻¹) by columns would cost an inversion.
    const variances = accepted && inverse ? diagonalOfInverse(inverse, n) : new Float64Array(n).fill(NaN);
    let max = 0,
      sum = 0,
      at = 0;
    for (let i = 0; i < n; i++) {
      const su = (Math.sqrt(variances[i]!) / diagonal[i]!) * chi;
      const ratio = su > 0 ? Math.abs(shift[i]!) / su : 0;
      sum += ratio;
      if (ratio > max) {
        max = ratio;
        at = i;
      }
    }
    last = { maxShift: max, meanShift: sum / n, name: problem.nameOf(at) };
    history.push({ cycle, r1: figures.r1, wr2: figures.wr2, s: figures.s, maxShiftOverSu: max, maxShiftOf: last.name });
    context.progress(history[history.length - 1]!);
    if (!accepted) {
      state = cycle > 1 && last.maxShift < 0.3 ? 'settled' : 'diverged';
      message =
        state === 'settled'
          ? `No step lowers the residual any further; the largest shift was ${max.toFixed(2)} s.u. (${last.name}).`
          : `The refinement runs away (${last.name}); the model of cycle ${cycle - 1} was kept. Look at that atom's element, occupancy and displacement.`;
      break;
    }
    // With hardly any noise the s.u. vanish too; then the shifts themselves decide.
    const still = accepted && expandShift(problem.map, shift).every((x, p) => p < 2 || Math.abs(x) < 1e-7);
    const quiet = max < settledBelow || still;
    // Weights and model settle together; after a few rounds the weights stay, or the two chase each other for ever.
    if (options.optimizeWeights && weightRounds < 7 && (max < 0.5 || cycle === plannedCycles) && extra < 4) {
      weightRounds++;
      const c = problem.calculated();
      const next = optimizeWeights(c.fo2, c.fc2, c.sigma, n, problem.weights);
      const changed =
        Math.abs(next.a - problem.weights.a) > 0.0005 ||
        Math.abs(next.b - problem.weights.b) > 0.01 * Math.max(0.01, problem.weights.b);
      problem.weights = next;
      if (changed && cycle >= plannedCycles) extra++;
      if (changed) continue;
    }
    if (quiet) {
      state = 'settled';
      message = `Settled after ${cycle} cycles: the largest shift is ${max.toFixed(3)} s.u. (${last.name}).`;
      break;
    }
  }
  if (!message) {
    state = last.maxShift < 0.05 ? 'settled' : 'moving';
    message =
      state === 'settled'
        ? `Settled: the largest shift is ${last.maxShift.toFixed(3)} s.u. (${last.name}).`
        : `Still moving after ${history.length} cycles: ${last.name} by ${last.maxShift.toFixed(2)} s.u.`;
  }
  return finish(
    problem,
    options,
    { history, state, message, undetermined, maxShift: last.maxShift, meanShift: last.meanShift },
    context as TaskContext,
  );
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

async function finish(
  problem: SingleCrystalProblem,
  options: RefineOptions,
  end: {
    history: CycleReport[];
    state: RefineResult['state'];
    message: string;
    undetermined: string[];
    maxShift: number;
    meanShift: number;
  },
  context: TaskContext,
): Promise<RefineResult> {
  const figures = problem.figures();
  const n = problem.map.independent;
  let su: Float64Array | undefined;
  let covariance: CovarianceData | undefined;
  let extinctionSu = 0;
  if (options.covariance !== false) {
    const { normal } = await problem.assemble(context);
    const matrix = normal.complete();
    const diagonal = Float64Array.from({ length: n }, (_, i) => Math.sqrt(matrix[i * n + i]!) || 1);
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) matrix[i * n + j]! /= diagonal[i]! * diagonal[j]!;
    choleskyInPlace(matrix, n);
    const full = choleskyInverse(matrix, n);
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) full[i * n + j]! /= diagonal[i]! * diagonal[j]!;
    const { map } = problem;
    const variance = figures.s ** 2;
    su = new Float64Array(map.physical);
    for (let p = 0; p < map.physical; p++) {
      let sum = 0;
      for (let e = map.start[p]!; e < map.start[p + 1]!; e++)
        for (let f = map.start[p]!; f < map.start[p + 1]!; f++)
          sum += map.value[e]! * map.value[f]! * full[map.column[e]! * n + map.column[f]!]!;
      su[p] = Math.sqrt(Math.max(0, sum) * variance);
    }
    extinctionSu = su[EXTINCTION]!;
    covariance = { packed: packLower(full, n, variance), map, siteIds: problem.structure.sites.map((s) => s.id) };
  }
  return {
    structure: structureFromPhysical(problem.structure, problem.physical, su),
    readings: {
      ...figures,
      parameters: n,
      restraints: problem.restraints.filter((r) => !r.silent).length,
      reflections: problem.used.length,
      maxShiftOverSu: end.maxShift,
      meanShiftOverSu: end.meanShift,
      weights: problem.weights,
      scale: problem.physical[SCALE]!,
      ...(covariance
        ? {
            correlations: largestCorrelations(
              covariance,
              problem.structure.sites.map((x) => x.label),
              0.5,
            ),
          }
        : {}),
      ...(options.extinction ? { extinction: { value: problem.physical[EXTINCTION]!, su: extinctionSu } } : {}),
      ...(options.treatment?.twins?.length
        ? {
            twins: options.treatment.twins.map((c, i) => ({
              ...c,
              fraction: problem.twinFractions[i]!,
              su: su?.[twinOffset(problem.structure.sites.length) + i] ?? 0,
            })),
          }
        : {}),
    },
    history: end.history,
    state: end.state,
    message: end.message,
    undetermined: end.undetermined,
    ...(covariance ? { covariance } : {}),
  };
}
