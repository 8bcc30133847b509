/** What every stage of a settle run shares: one refinement with its map, and how the model stands. */
import type { MergedReflections } from '../crystal/reflections.ts';
import type { Structure } from '../crystal/structure.ts';
import { modelMap, residualPeaks, type ResidualPeak } from '../maps/residual.ts';
import type { Grid } from '../math/fft.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { refineStructure, type CycleReport, type Readings, type RefineResult } from '../refine/single-crystal.ts';
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

export function residualOf(
  structure: Structure,
  reflections: MergedReflections,
  wavelength: number,
  weights: { a: number; b: number },
  extinction: number,
  scale?: number,
  treatment?: Treatment,
): {
  map: MapResult;
  figures: ReturnType<typeof evaluateStructure>['figures'];
  scale: number;
  evaluated: ReturnType<typeof evaluateStructure>;
} {
  const e = evaluateStructure(structure, reflections, wavelength, weights, extinction, scale, treatment);
  const map = modelMap('difference', structure, reflections, e.data);
  return {
    figures: e.figures,
    scale: e.scale,
    evaluated: e,
    map: { grid: map.grid, values: Float32Array.from(map.values), sigma: map.sigma, ...residualPeaks(map, structure) },
  };
}

/** A treatment with the twin fractions a refinement ended with. */
export const refinedTreatment = (t: Treatment, r: Readings): Treatment => (r.twins ? { ...t, twins: r.twins } : t);

export interface Stage {
  readonly title: string;
  readonly cycles: number;
  readonly structure: Structure;
  readonly readings: Readings;
  readonly map: MapResult;
  readonly treatment: Treatment;
  readonly message: string;
  readonly covariance?: CovarianceData;
}

export interface Bench {
  readonly reflections: MergedReflections;
  readonly wavelength: number;
  readonly context: TaskContext<unknown>;
  readonly onCycle: (title: string, c: CycleReport) => void;
}

/** Refines and maps. */
export async function refineStage(
  bench: Bench,
  title: string,
  structure: Structure,
  treatment: Treatment,
  options: {
    cycles: number;
    weights?: { a: number; b: number };
    optimizeWeights?: boolean;
    settled?: number;
    covariance?: boolean;
    occupancies?: readonly number[];
    extinctionStart?: number;
  },
): Promise<Stage & { result: RefineResult }> {
  const result = await refineStructure(
    structure,
    bench.reflections,
    bench.wavelength,
    {
      cycles: options.cycles,
      weights: options.weights ?? { a: 0.05, b: 0 },
      optimizeWeights: options.optimizeWeights ?? false,
      extinction: treatment.extinction ?? false,
      ...(options.extinctionStart !== undefined ? { extinctionStart: options.extinctionStart } : {}),
      treatment,
      settled: options.settled ?? 0.05,
      covariance: options.covariance ?? false,
      ...(options.occupancies ? { occupancies: options.occupancies } : {}),
    },
    { ...bench.context, progress: (c: CycleReport) => bench.onCycle(title, c) } as TaskContext<CycleReport>,
  );
  const { readings } = result;
  const after = refinedTreatment(treatment, readings);
  const { map } = residualOf(
    result.structure,
    bench.reflections,
    bench.wavelength,
    readings.weights,
    readings.extinction?.value ?? 0,
    readings.scale,
    after,
  );
  return {
    title,
    cycles: result.history.length,
    structure: result.structure,
    readings,
    map,
    treatment: after,
    message: result.message,
    result,
    ...(result.covariance ? { covariance: result.covariance } : {}),
  };
}
