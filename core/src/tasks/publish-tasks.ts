/** The record as jobs: CIF, tables, report, what is known, problems of a file. */
import { z } from 'zod';
import { fileProblemSchema, reportFindingSchema, tableOptionsSchema, tableSchema } from './report-schemas.ts';
import { cifProblems, type FileProblemAt } from '../formats/dictionary.ts';
import { reportHtml, type ReportInput } from '../publish/report.ts';
import { KNOWN_GROUPS, knownOf, type KnownRow } from '../publish/known.ts';
import { structureCif, type CifInput } from '../publish/structure-cif.ts';
import { makeTable, TABLE_KINDS, type Table, type TableKind, type TableOptions } from '../publish/tables.ts';
import {
  atomRefSchema,
  experimentSchema,
  mergedSchema,
  structureSchema,
  treatmentSchema,
  absoluteSchema,
} from './schemas.ts';
import { covarianceSchema, readingsSchema, statisticsSchema } from './result-schemas.ts';
import { task } from './task.ts';

const cifFields = {
  name: z.string(),
  structure: structureSchema,
  experiment: experimentSchema,
  wavelength: z.number().positive().optional(),
  reflections: mergedSchema.optional(),
  statistics: statisticsSchema.optional(),
  readings: readingsSchema.optional(),
  covariance: covarianceSchema.optional(),
  residual: z.strictObject({ peak: z.number(), hole: z.number(), sigma: z.number() }).optional(),
  treatment: treatmentSchema.optional(),
  absolute: absoluteSchema.optional(),
  date: z.string(),
  exact: z.boolean().optional(),
  explanations: z.array(z.strictObject({ family: z.string(), title: z.string(), text: z.string() })).optional(),
  pinned: z.array(z.array(atomRefSchema).min(2).max(4)).optional(),
};

export const tableTask = task<{ input: CifInput; kind: TableKind; options: TableOptions }, Table, never>({
  input: z.strictObject({
    input: z.strictObject(cifFields),
    kind: z.enum(TABLE_KINDS),
    options: tableOptionsSchema,
  }),
  output: tableSchema,
  run: async (i) => makeTable(i.kind, i.input, i.options),
});

export const reportTask = task<ReportInput, string, never>({
  input: z.strictObject({
    ...cifFields,
    findings: z.array(reportFindingSchema),
    tables: tableOptionsSchema.optional(),
    sentence: z.string().optional(),
  }),
  output: z.string(),
  run: async (input) => reportHtml(input),
});

export const cifProblemsTask = task<{ text: string }, FileProblemAt[], never>({
  input: z.strictObject({ text: z.string() }),
  output: z.array(fileProblemSchema),
  run: async ({ text }) => cifProblems(text),
});

const knownSchema = z.array(
  z.strictObject({
    key: z.string(),
    group: z.enum(KNOWN_GROUPS),
    name: z.string(),
    value: z.string(),
    unit: z.string().optional(),
    meaning: z.string().optional(),
    recorded: z.string().optional(),
  }),
);

export const knownTask = task<{ input: CifInput; items: Readonly<Record<string, string>> }, KnownRow[], never>({
  input: z.strictObject({ input: z.strictObject(cifFields), items: z.record(z.string(), z.string()) }),
  output: knownSchema,
  run: async ({ input, items }) => knownOf(input, items),
});

export const cifTask = task<CifInput, string, never>({
  input: z.strictObject(cifFields),
  output: z.string(),
  run: async (input) => structureCif(input),
});
