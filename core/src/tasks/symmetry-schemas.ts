/** Zod schemas of what the tasks of Symmetry take and give. */
import { z } from 'zod';
import { ELEMENT_KINDS } from '../symmetry/elements.ts';
import type { Operator } from '../crystal/operator.ts';
import type { Setting } from '../crystal/settings.ts';
import type { Superstructure } from '../symmetry/opinion.ts';
import type { Raised } from '../symmetry/raise.ts';
import type { SymmetryReport } from '../symmetry/report.ts';
import type { MissedGroup } from '../symmetry/supergroups.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameBut, SameType } from './same-type.ts';
import { cellSchema, mat3Schema, spaceGroupSchema, structureSchema, twinSchema, vec3Schema } from './schemas.ts';

const text = z.string();
const count = z.number().int();
const flag = z.boolean();

const operatorSchema = z.strictObject({ r: mat3Schema, t: vec3Schema });
export const settingSchema = z.strictObject({ index: count, number: count, code: text, symbol: text, hall: text });
const changeSchema = z.strictObject({ p: mat3Schema, origin: vec3Schema });
const foundOperationSchema = z.strictObject({
  operator: operatorSchema,
  maxDeviation: figure,
  rms: figure,
  fit: figure,
  misfits: z.array(z.strictObject({ site: count, distance: figure })),
});
const missed = {
  group: spaceGroupSchema,
  change: changeSchema,
  cell: cellSchema,
  index: figure,
  maxDeviation: figure,
  rms: figure,
  fit: figure,
  misfits: foundOperationSchema.shape.misfits,
  metricMisfit: figure,
  operators: z.array(operatorSchema),
};
/** A supergroup may come with the opinion that the report adds to it. */
const opinion = {
  opinion: z
    .strictObject({
      laueNow: text,
      laueThen: text,
      rIntNow: figure,
      rIntThen: figure,
      absent: count,
      absentSnr: figure,
      violations: count,
      meanE2Minus1: figure,
      verdict: z.enum(['for', 'against', 'silent']),
      words: text,
    })
    .optional(),
  likely: flag,
  words: text,
};
export const missedGroupSchema = z.strictObject(missed);
export const judgedGroupSchema = z.strictObject({ ...missed, ...opinion });
export const superstructureSchema = z.strictObject({
  translation: vec3Schema,
  words: text,
  ratio: figure,
  reflections: count,
});
const elementSchema = z.strictObject({
  kind: z.enum(ELEMENT_KINDS),
  order: count,
  screw: count,
  direction: vec3Schema,
  plane: vec3Schema.optional(),
  at: vec3Schema,
  glide: vec3Schema,
  operator: operatorSchema,
  symbol: text,
  words: text,
});
export const symmetryReportSchema = z.strictObject({
  group: spaceGroupSchema,
  system: text,
  crystalClass: text,
  laueClass: text,
  operators: z.array(text),
  parts: z.array(z.strictObject({ text, direction: text, words: text })),
  conditions: z.array(z.strictObject({ condition: text, because: text })),
  elements: z.array(elementSchema),
  positions: z.array(
    z.strictObject({
      multiplicity: count,
      siteSymmetry: text,
      coordinates: text,
      freedom: count,
      projection: mat3Schema,
      shift: vec3Schema,
      equivalent: z.array(text),
      sites: z.array(count),
    }),
  ),
  settings: z.array(
    z.strictObject({
      setting: settingSchema,
      group: spaceGroupSchema,
      change: changeSchema,
      cell: cellSchema,
      present: flag,
      standard: flag,
      reasons: z.array(text),
    }),
  ),
  reduced: z.strictObject({ cell: cellSchema, words: text }),
  subgroups: z.array(
    z.strictObject({
      group: spaceGroupSchema,
      index: count,
      lost: z.array(z.strictObject({ operator: operatorSchema, words: text })),
      twins: z.array(twinSchema),
    }),
  ),
  missed: z.array(judgedGroupSchema),
  pseudoTranslations: z.array(foundOperationSchema),
  superstructure: z.array(superstructureSchema),
  tolerance: figure,
});
export const raisedSchema = z.strictObject({
  structure: structureSchema,
  merged: z.array(z.strictObject({ kept: text, from: z.array(text), deviation: figure })),
  disordered: z.array(text),
});

/** What the schemas say and what the types say are the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof operatorSchema, Operator>,
    SameType<typeof settingSchema, Setting>,
    SameType<typeof missedGroupSchema, MissedGroup>,
    SameType<typeof superstructureSchema, Superstructure>,
    SameType<typeof symmetryReportSchema, SymmetryReport>,
    SameBut<typeof raisedSchema, Raised, 'structure'>,
  ]
>;
