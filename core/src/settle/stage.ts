/** One stage of a settle run: a refinement with its map, and how the model stands. */
import { experiment, type Experiment, type Weights } from '../crystal/experiment.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import type { Structure } from '../crystal/structure.ts';
import { modelMap, residualPeaks, type ResidualPeak } from '../maps/residual.ts';
import type { Grid } from '../math/fft.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import {
  EXTRA_CYCLES,
  refineStructure,
  type CycleReport,
  type Readings,
  type RefineResult,
} from '../refine/single-crystal.ts';
import type { Treatment } from '../crystal/treatment.ts';
import type { TaskContext } from '../task-context.ts';

/** A residual map and its extremes, as the scene and the peak list need them. */
export interface MapResult {
  grid: Grid;
  values: Float32Array;
  sigma: number;
  peaks: ResidualPeak[];
  holes: ResidualPeak[];
}

/** Figures of a model as it stands, and its residual map. The scale is fitted unless given. */
export function residualOf(
  e: Experiment,
  scale?: number,
): {
  map: MapResult;
  figures: ReturnType<typeof evaluateStructure>['figures'];
  scale: number;
  evaluated: ReturnType<typeof evaluateStructure>;
} {
  const evaluated = evaluateStructure(e, scale);
  const map = modelMap('difference', e.structure, e.reflections, evaluated.data);
  return {
    figures: evaluated.figures,
    scale: evaluated.scale,
    evaluated,
    map: {
      grid: map.grid,
      values: Float32Array.from(map.values),
      sigma: map.sigma,
      ...residualPeaks(map, e.structure),
    },
  };
}

/** A model as a refinement left it: with its weights, extinction and twin fractions. */
export const refinedExperiment = (before: Experiment, result: RefineResult): Experiment => ({
  ...before,
  structure: result.structure,
  treatment: refinedTreatment(before.treatment, result.readings),
  weights: result.readings.weights,
  extinction: result.readings.extinction?.value ?? 0,
});

/** A treatment with the twin fractions a refinement ended with. */
export const refinedTreatment = (t: Treatment, r: Readings): Treatment => (r.twins ? { ...t, twins: r.twins } : t);

export interface Stage {
  readonly title: string;
  readonly cycles: number;
  readonly structure: Structure;
  readonly readings: Readings;
  readonly map: MapResult;
  readonly treatment: Treatment;
  readonly state: RefineResult['state'];
  readonly message: string;
  readonly covariance?: CovarianceData;
}

/** What all stages of a run share: the data, and who hears of the cycles. */
export interface StageSurroundings {
  readonly reflections: MergedReflections;
  readonly wavelength: number;
  readonly context: TaskContext<unknown>;
  readonly onCycle: (title: string, c: CycleReport) => void;
}

/** Stages before the last begin with weights that let the model move. */
const STAGE_WEIGHTS: Weights = { a: 0.05, b: 0 };

export interface StageOptions {
  readonly cycles: number;
  readonly weights?: Weights;
  readonly optimizeWeights?: boolean;
  readonly settled?: number;
  readonly covariance?: boolean;
  readonly occupancies?: readonly number[];
  readonly extinctionStart?: number;
}

/** Refines and maps. */
export async function refineStage(
  around: StageSurroundings,
  title: string,
  structure: Structure,
  treatment: Treatment,
  options: StageOptions,
): Promise<Stage> {
  const start = experiment(structure, around.reflections, around.wavelength, {
    treatment,
    weights: options.weights ?? STAGE_WEIGHTS,
    extinction: options.extinctionStart,
  });
  const result = await refineStructure(
    start,
    {
      cycles: options.cycles,
      optimizeWeights: options.optimizeWeights ?? false,
      overrun: EXTRA_CYCLES,
      settled: options.settled ?? 0.05,
      covariance: options.covariance ?? false,
      ...(options.occupancies ? { occupancies: options.occupancies } : {}),
    },
    { ...around.context, progress: (c: CycleReport) => around.onCycle(title, c) } as TaskContext<CycleReport>,
  );
  const { readings } = result;
  const after = refinedExperiment(start, result);
  const { map } = residualOf(after, readings.scale);
  return {
    title,
    cycles: result.history.length,
    structure: result.structure,
    readings,
    map,
    treatment: after.treatment,
    state: result.state,
    message: result.message,
    ...(result.covariance ? { covariance: result.covariance } : {}),
  };
}
