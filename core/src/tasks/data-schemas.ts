/** Zod schemas of files as they are recognised and of what is read off measured data. */
import { z } from 'zod';
import type { AnisotropyReading, RingReading, SetComparison } from '../data/diagnostics.ts';
import type { LatticeAnalysis } from '../data/lattice-analysis.ts';
import type { LatticePoints } from '../data/lattice-points.ts';
import type { ScalingResult } from '../data/scaling.ts';
import type { Ranking } from '../data/space-group-ranking.ts';
import { instrumentSchema } from '../formats/pattern-file.ts';
import type { Recognised } from '../formats/recognise.ts';
import type { PlotData } from '../refine/data-plots.ts';
import type { IntakeAnalysis } from '../solve/prepare.ts';
import { batchSchema, figure, intensityReadingSchema, statisticsSchema } from './result-schemas.ts';
import type { AllTrue, SameBut, SameType } from './same-type.ts';
import {
  cellSchema,
  experimentSchema,
  mat3Schema,
  rawSchema,
  spaceGroupSchema,
  structureSchema,
  treatmentSchema,
  vec3Schema,
} from './schemas.ts';

import { settingSchema, superstructureSchema } from './symmetry-schemas.ts';

const text = z.string();
const count = z.number().int();
const flag = z.boolean();
const singles = z.instanceof(Float32Array);
const shorts = z.instanceof(Int16Array);

const evidenceSchema = z.strictObject({
  element: text,
  condition: text,
  reflections: count,
  meanIOverSigma: figure,
  strongest: z.strictObject({ h: count, k: count, l: count, iOverSigma: figure }).optional(),
  support: figure,
});
const latticeSchema = z.strictObject({
  centring: text,
  centringEvidence: z.array(z.strictObject({ symbol: text, reflections: count, meanIOverSigma: figure })),
  metricDeviation: figure,
  latticeClass: text,
  laueClass: text,
  agreements: z.array(
    z.strictObject({ rotation: mat3Schema, r: figure, expected: figure, pairs: count, accepted: flag }),
  ),
  laue: z.array(mat3Schema),
  p: mat3Schema,
  cell: cellSchema,
  changed: flag,
  reducedCell: cellSchema,
});
const rankingSchema = z.strictObject({
  groups: z.array(
    z.strictObject({
      setting: settingSchema,
      number: count,
      symbol: text,
      hall: text,
      score: figure,
      centric: flag,
      elements: z.array(evidenceSchema),
      violations: count,
      absentCount: count,
      rInt: figure,
    }),
  ),
  elements: z.array(evidenceSchema),
  statistics: intensityReadingSchema,
});
/** What is kept of an analysis beside its data. */
export const keptAnalysisSchema = z.strictObject({
  lattice: latticeSchema,
  ranking: rankingSchema,
  cell: cellSchema,
  dropped: count,
  volume: figure,
  beyond: z
    .strictObject({
      count,
      named: z.array(
        z.strictObject({
          hkl: z.tuple([z.number(), z.number(), z.number()]),
          place: z.number().int(),
          line: z.number().int().optional(),
        }),
      ),
      kept: z.literal(true).optional(),
    })
    .optional(),
});
export const analysisSchema = keptAnalysisSchema.extend({ raw: rawSchema });
export const scalingSchema = z.strictObject({
  raw: rawSchema,
  before: statisticsSchema,
  after: statisticsSchema,
  parameters: count,
  used: count,
  batches: z.array(batchSchema),
  directionRange: z.tuple([figure, figure]).optional(),
  transmission: z.tuple([figure, figure]).optional(),
});
const anisotropySchema = z.strictObject({
  directions: z.array(
    z.strictObject({ name: z.enum(['a*', 'b*', 'c*']), reflections: count, meanIOverSigma: figure, limit: figure }),
  ),
  principal: z.tuple([figure, figure, figure]),
  axes: z.tuple([vec3Schema, vec3Schema, vec3Schema]),
  spread: figure,
  su: figure,
});
const ringSchema = z.strictObject({ d: figure, width: figure, observations: count, share: figure, ice: flag });
export const diagnosisSchema = z.strictObject({
  anisotropy: anisotropySchema,
  rings: z.array(ringSchema),
  superstructure: z.array(superstructureSchema),
  batches: z.array(batchSchema),
});
export const comparisonSchema = z.strictObject({ common: count, scale: figure, r: figure, correlation: figure });
export const latticePointsSchema = z.strictObject({
  count,
  h: shorts,
  k: shorts,
  l: shorts,
  intensity: singles,
  strength: singles,
  absent: z.instanceof(Uint8Array),
  position: singles,
});
export const plotsSchema = z.strictObject({
  index: z.instanceof(Int32Array),
  h: shorts,
  k: shorts,
  l: shorts,
  fo: singles,
  fc: singles,
  d: singles,
  iOverSigma: singles,
  delta: singles,
  expected: singles,
  shells: z.array(z.strictObject({ dMin: figure, count, r1: figure, iOverSigma: figure, meanWeighted: figure })),
  variance: z.array(z.strictObject({ fc: figure, mean: figure, count })),
});

/** Of one batch of raw intensities against the model. */
export const batchScaleSchema = z.strictObject({ batch: count, scale: figure, count });

export const patternSchema = z.strictObject({
  name: text,
  twoTheta: z.instanceof(Float64Array),
  intensity: z.instanceof(Float64Array),
  sigma: z.instanceof(Float64Array),
  sigmaFrom: z.enum(['file', 'counts']),
  at: z.number().optional(),
});
export const asidesSchema = z.array(z.strictObject({ line: z.number().int().optional(), text }));
export const recognisedSchema = z.strictObject({
  name: text,
  sentence: text,
  cell: cellSchema.optional(),
  spaceGroup: spaceGroupSchema.optional(),
  experiment: experimentSchema,
  raw: rawSchema.optional(),
  structure: structureSchema.optional(),
  items: z.record(text, text).optional(),
  treatment: treatmentSchema.optional(),
  powder: z
    .strictObject({
      pattern: patternSchema,
      axis: z.enum(['2θ', 'd', 'Q']),
      even: flag,
      columns: z.union([z.literal(2), z.literal(3)]),
      lines: z.array(z.strictObject({ wavelength: z.number(), weight: z.number() })).optional(),
    })
    .optional(),
  instrument: instrumentSchema.optional(),
  asides: asidesSchema.optional(),
});

/** What the schemas say and what the types say are the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof latticeSchema, LatticeAnalysis>,
    SameType<typeof rankingSchema, Ranking>,
    SameType<typeof analysisSchema, IntakeAnalysis>,
    SameType<typeof scalingSchema, ScalingResult>,
    SameType<typeof anisotropySchema, AnisotropyReading>,
    SameType<typeof ringSchema, RingReading>,
    SameType<typeof comparisonSchema, SetComparison>,
    SameType<typeof latticePointsSchema, LatticePoints>,
    SameType<typeof plotsSchema, PlotData>,
    SameBut<typeof recognisedSchema, Recognised, 'structure'>,
  ]
>;
