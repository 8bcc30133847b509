/** What every part of a stored project must be, row by row: strict, so that nothing unknown is kept and nothing known is lost. */
import { z } from 'zod';
import { instrumentSchema } from '@nagare/core/formats/pattern-file';
import {
  absoluteSchema,
  cellSchema,
  experimentSchema,
  faceSchema,
  rawSchema,
  spaceGroupSchema,
  structureSchema,
  treatmentSchema,
} from '@nagare/core/tasks/schemas';
import {
  batchSchema,
  candidateSchema,
  covarianceSchema,
  fitModelSchema,
  fitResultSchema,
  indexedCellSchema,
  mapSchema,
  matchSchema,
  mergedDataSchema,
  readingsSchema,
  seriesStepSchema,
} from '@nagare/core/tasks/result-schemas';
import { patternSchema, peakSchema } from '@nagare/core/tasks/powder-tasks';
import type { AllTrue, SameBut, SameType } from '@nagare/core/tasks/same-type';
import { asidesSchema, keptAnalysisSchema } from '@nagare/core/tasks/data-schemas';
import type { IntakeRow, PatternRow, PowderRow, Project, ResultRow, SolveRow } from './db.ts';
import type { Mark } from './marks.ts';

const text = z.string();
const number = z.number();
const texts = z.array(text);

export const projectSchema = z.strictObject({
  id: text,
  name: text,
  created: number,
  updated: number,
  head: text.optional(),
  source: z
    .strictObject({
      fileName: text,
      sentence: text,
      items: z.record(text, text).readonly().optional(),
      asides: asidesSchema.readonly().optional(),
    })
    .optional(),
  explanations: z.record(text, z.strictObject({ title: text, family: text, text })).optional(),
  cell: cellSchema.optional(),
  experiment: experimentSchema,
  group: spaceGroupSchema.optional(),
});

const kind = z.enum(['import', 'solve', 'refine', 'settle', 'edit', 'fit']);
const basis = z.tuple([number, number, number, number, number, number, number, number, number]);
const residual = z.strictObject({ peak: number, hole: number, sigma: number });
const markBase = {
  id: text,
  projectId: text,
  parent: text.optional(),
  created: number,
  revision: number,
  kind,
  title: text,
  message: text.optional(),
  name: text.optional(),
  model: text,
};
const ofStructure = { ...markBase, sites: number, group: text, basis: basis.optional() };
const crystalFigures = {
  r1: number.optional(),
  wr2: number.optional(),
  readings: readingsSchema.optional(),
  residual: residual.optional(),
  absolute: absoluteSchema.optional(),
  decisions: texts.optional(),
};
export const markSchema = z.discriminatedUnion('type', [
  z.strictObject({ ...ofStructure, type: z.literal('crystal'), ...crystalFigures }),
  z.strictObject({ ...ofStructure, type: z.literal('structure') }),
  z.strictObject({
    ...markBase,
    type: z.literal('fit'),
    rwp: number.optional(),
    phases: texts,
    parameters: number.optional(),
    s: number.optional(),
  }),
]);

const fitSchema = z.strictObject({
  model: fitModelSchema,
  patterns: texts,
  result: fitResultSchema.optional(),
  free: texts.optional(),
});
const rowBase = { id: text, projectId: text };
export const modelSchema = z.discriminatedUnion('kind', [
  z.strictObject({
    ...rowBase,
    kind: z.literal('structure'),
    structure: structureSchema,
    treatment: treatmentSchema.optional(),
  }),
  z.strictObject({ ...rowBase, kind: z.literal('fit'), fit: fitSchema }),
]);

/** A mark up to version 3 of the database, version 1 of the file: its model inside. */
export const markBefore4Schema = z.strictObject({
  id: text,
  projectId: text,
  parent: text.optional(),
  created: number,
  kind,
  title: text,
  structure: structureSchema,
  treatment: treatmentSchema.optional(),
  fit: fitSchema.optional(),
  message: text.optional(),
  name: text.optional(),
  basis: basis.optional(),
  ...crystalFigures,
});

export const resultSchema = z.strictObject({
  markId: text,
  projectId: text,
  map: mapSchema.optional(),
  covariance: covarianceSchema.optional(),
});

const correctionSchema = z.strictObject({
  stamp: number,
  wish: z.strictObject({
    batches: z.boolean(),
    decay: z.boolean(),
    harmonics: number,
    without: z.array(number).readonly().optional(),
    faces: z.strictObject({ faces: z.array(faceSchema), mu: number }).optional(),
  }),
  rIntBefore: number,
  rIntAfter: number,
  parameters: number,
  used: number,
  batches: z.array(batchSchema),
  directionRange: z.tuple([number, number]).optional(),
  transmission: z.tuple([number, number]).optional(),
  rings: z.array(number).optional(),
});
export const intakeSchema = z.strictObject({
  projectId: text,
  analysis: keptAnalysisSchema.optional(),
  raw: rawSchema,
  merge: mergedDataSchema.optional(),
  mergedFor: text.optional(),
  keptAxes: z.boolean().optional(),
  correction: correctionSchema.optional(),
  uncorrected: rawSchema.optional(),
});

export const solveSchema = z.strictObject({
  projectId: text,
  candidates: z.array(candidateSchema),
  nextSeed: number,
  chosen: text.optional(),
  message: text.optional(),
});

export const patternRowSchema = z.strictObject({
  id: text,
  projectId: text,
  order: number,
  fileName: text,
  file: z.strictObject({
    pattern: patternSchema,
    axis: z.enum(['2θ', 'd', 'Q']),
    even: z.boolean(),
    columns: z.union([z.literal(2), z.literal(3)]),
  }),
});

export const powderSchema = z.strictObject({
  projectId: text,
  instrument: instrumentSchema,
  instrumentKnown: z.boolean().optional(),
  peaks: z.record(text, peakSchema).optional(),
  elements: texts.optional(),
  matches: z.array(matchSchema).optional(),
  cells: z.array(indexedCellSchema).optional(),
  weighed: z.record(text, number).optional(),
  series: z.array(seriesStepSchema).optional(),
});

/** Schemas and types say the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof projectSchema, Project>,
    SameType<typeof markSchema, Mark>,
    SameType<typeof resultSchema, ResultRow>,
    SameType<typeof intakeSchema, IntakeRow>,
    SameBut<typeof solveSchema, SolveRow, 'candidates'>,
    SameType<typeof patternRowSchema, PatternRow>,
    SameBut<typeof powderSchema, PowderRow, 'series'>,
  ]
>;
