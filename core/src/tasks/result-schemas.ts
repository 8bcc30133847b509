/** Zod schemas of what our own computations give, for the doors it comes back through: storage, files, the network. */
import { z } from 'zod';
import type { IntensityReading, LTest } from '../data/intensity-statistics.ts';
import type { MergeResult, MergeStatistics } from '../data/merge.ts';
import type { BatchReading } from '../data/scaling.ts';
import { instrumentSchema } from '../formats/pattern-file.ts';
import type { IndexedCell } from '../powder/index-cells.ts';
import type { Match } from '../powder/identify.ts';
import type { PatternModel, PhaseModel } from '../powder/model.ts';
import type { FitResult } from '../powder/results.ts';
import type { SeriesStep } from '../powder/series.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import type { Readings } from '../refine/single-crystal.ts';
import type { MapResult } from '../settle/stage.ts';
import type { Candidate } from '../solve/candidates.ts';
import {
  cellSchema,
  mergedSchema,
  residualPeakSchema,
  structureSchema,
  twinSchema,
  vec3Schema,
  weightsSchema,
} from './schemas.ts';
import type { AllTrue, SameBut, SameType } from './same-type.ts';

const text = z.string();
const number = z.number();
/** A figure that may be unknown (NaN), such as R_int of a list without equivalents. */
export const figure = z.custom<number>((v) => typeof v === 'number', 'is not a number');
const count = z.number().int();
const floats = z.instanceof(Float64Array);
const singles = z.instanceof(Float32Array);
const shorts = z.instanceof(Int16Array);
const integers = z.instanceof(Int32Array);

export const readingsSchema = z.strictObject({
  r1: figure,
  r1All: figure,
  wr2: figure,
  s: figure,
  parameters: count,
  restraints: count,
  reflections: count,
  observed: count,
  maxShiftOverSu: figure,
  meanShiftOverSu: figure,
  weights: weightsSchema,
  scale: figure,
  extinction: z.strictObject({ value: figure, su: figure }).optional(),
  twins: z.array(twinSchema).optional(),
  correlations: z.array(z.strictObject({ value: figure, between: z.tuple([text, text]) })).optional(),
});

export const mapSchema = z.strictObject({
  grid: z.strictObject({ nx: count, ny: count, nz: count }),
  values: singles,
  sigma: figure,
  peaks: z.array(residualPeakSchema),
  holes: z.array(residualPeakSchema),
});

export const covarianceSchema = z.strictObject({
  packed: singles,
  // Not strict: earlier versions stored the rigid groups of the refinement with it, which nobody reads.
  map: z.object({ physical: count, independent: count, start: integers, column: integers, value: floats }),
  siteIds: z.array(text),
});

const shellSchema = z.strictObject({
  dMax: figure,
  dMin: figure,
  measured: count,
  unique: count,
  possible: count,
  completeness: figure,
  meanIOverSigma: figure,
  rInt: figure,
  rMeas: figure,
  ccHalf: figure,
});
export const statisticsSchema = z.strictObject({
  measured: count,
  unique: count,
  rejected: count,
  absent: count,
  rInt: figure,
  rMeas: figure,
  rSigma: figure,
  ccHalf: figure,
  redundancy: figure,
  completeness: figure,
  dMin: figure,
  dMax: figure,
  meanIOverSigma: figure,
  shells: z.array(shellSchema),
});
const outlierSchema = z.strictObject({
  h: count,
  k: count,
  l: count,
  intensity: figure,
  sigma: figure,
  mean: figure,
  deviation: figure,
});
export interface MergedData extends MergeResult {
  reading: IntensityReading;
  /** Of acentric groups; rows stored before it was made lack it. */
  local?: LTest;
}

export const intensityReadingSchema = z.strictObject({
  meanE2Minus1: figure,
  nz: z.array(figure),
  reflections: count,
});
/** What merging gives, with the reading of the intensities. */
export const mergedDataSchema = z.strictObject({
  reflections: mergedSchema,
  statistics: statisticsSchema,
  outliers: z.array(outlierSchema),
  reading: intensityReadingSchema,
  local: z.strictObject({ meanL: figure, meanL2: figure, pairs: count }).optional(),
});

export const candidateSchema = z.strictObject({
  seed: number,
  structure: structureSchema,
  r1: figure,
  completeness: figure,
  guessed: z.boolean(),
  agreement: figure,
});

export const batchSchema = z.strictObject({
  batch: number,
  observations: count,
  scale: figure,
  decay: figure,
  r: figure,
  rBefore: figure,
  spoils: z.boolean(),
});

const extractedSchema = z.strictObject({ h: shorts, k: shorts, l: shorts, f2: floats, su: floats.optional() });
const phaseSchema = z.strictObject({
  id: text,
  name: text,
  structure: structureSchema,
  inverseSize: number,
  anisotropicSize: z.strictObject({ axis: vec3Schema, inverseAcross: number }).optional(),
  strain: number,
  stephens: z.array(number).optional(),
  orientation: z.strictObject({ axis: vec3Schema, r: number }).optional(),
  extraction: z.enum(['Le Bail', 'Pawley']).optional(),
  extracted: extractedSchema.optional(),
  weighed: number.optional(),
});
const range = z.tuple([number, number]);
const patternModelSchema = z.strictObject({
  instrument: instrumentSchema,
  background: z.strictObject({
    chebyshev: z.array(number),
    peaks: z.array(z.strictObject({ position: number, height: number, width: number })),
    points: z.array(range),
  }),
  zero: number,
  displacement: number,
  absorption: number,
  excluded: z.array(range),
  range: range.optional(),
  scales: z.array(number),
});
export const fitModelSchema = z.strictObject({ phases: z.array(phaseSchema), patterns: z.array(patternModelSchema) });

const value = z.strictObject({ value: figure, su: figure });
/** Of a phase that has none, the place is kept: undefined in memory, null where a file was written from it. */
const valueOrNone = z.union([value, z.undefined(), z.null().transform(() => undefined)]);
const figures = { rp: figure, rwp: figure, rExp: figure, s: figure };
const phaseFitSchema = z.strictObject({
  id: text,
  name: text,
  cell: cellSchema,
  cellSu: z.array(figure),
  density: figure,
  size: value.optional(),
  sizeAcross: value.optional(),
  strain: value,
  orientation: value.optional(),
  reflections: count,
});
const patternFitSchema = z.strictObject({
  ...figures,
  points: count,
  weightFractions: z.array(valueOrNone),
  absolute: z.array(valueOrNone).optional(),
  amorphous: value.optional(),
  rBragg: z.array(figure),
  zero: value,
  displacement: value,
});
export const fitResultSchema = z.strictObject({
  ...figures,
  parameters: count,
  phases: z.array(phaseFitSchema),
  patterns: z.array(patternFitSchema),
  correlations: z.array(z.strictObject({ value: figure, between: z.tuple([text, text]) })),
});
export const seriesStepSchema = z.strictObject({
  pattern: text,
  at: number,
  model: fitModelSchema,
  result: fitResultSchema,
  message: text,
});

export const indexedCellSchema = z.strictObject({
  cell: cellSchema,
  system: z.enum(['cubic', 'tetragonal', 'hexagonal', 'orthorhombic', 'monoclinic', 'triclinic']),
  centring: text,
  volume: figure,
  m20: figure,
  f20: figure,
  lines: count,
  indexed: z.array(z.strictObject({ line: count, h: count, k: count, l: count, delta: figure })),
  zero: figure,
  groups: z.array(z.strictObject({ symbol: text, possible: count })),
});

export const matchSchema = z.strictObject({
  id: text,
  name: text,
  formula: text,
  merit: figure,
  found: figure,
  agree: figure,
  share: figure,
  stretch: figure,
  scale: figure,
  fresh: figure,
  peaks: z.array(count),
  quality: z.enum(['A', 'B', 'C', 'own']),
  warnings: z.array(text),
});

/** What the schemas say and what the types say are the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof readingsSchema, Readings>,
    SameType<typeof mapSchema, MapResult>,
    SameType<typeof covarianceSchema, CovarianceData>,
    SameType<typeof statisticsSchema, MergeStatistics>,
    SameType<typeof mergedDataSchema, MergedData>,
    SameBut<typeof candidateSchema, Candidate, 'structure'>,
    SameType<typeof batchSchema, BatchReading>,
    SameBut<typeof phaseSchema, PhaseModel, 'structure'>,
    SameType<typeof patternModelSchema, PatternModel>,
    SameType<typeof fitResultSchema, FitResult>,
    SameBut<typeof seriesStepSchema, SeriesStep, 'model'>,
    SameType<typeof indexedCellSchema, IndexedCell>,
    SameType<typeof matchSchema, Match>,
  ]
>;
