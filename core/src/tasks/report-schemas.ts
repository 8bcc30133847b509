/** Zod schemas of what is found in a model and told of it. */
import { z } from 'zod';
import type { FileProblemAt } from '../formats/dictionary.ts';
import type { ReportFinding } from '../publish/report.ts';
import { TABLE_KINDS, type Table, type TableOptions } from '../publish/tables.ts';
import type { VetReport } from '../vet/registry.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';

const text = z.string();
const count = z.number().int();
const formulaSchema = z.record(text, z.number());
const indices = z.tuple([count, count, count]);

const siteList = z.array(count);
const remedySchema = z.union([
  z.strictObject({ words: text, act: z.literal('element'), site: count, element: text }),
  z.strictObject({ words: text, act: z.literal('delete'), sites: siteList }),
  z.strictObject({ words: text, act: z.literal('rigid bonds'), sites: siteList }),
  z.strictObject({ words: text, act: z.literal('second place'), sites: siteList }),
  z.strictObject({ words: text, act: z.enum(['sensible displacement', 'anisotropic']), sites: siteList }),
  z.strictObject({ words: text, act: z.enum(['turn hydrogen', 'place hydrogens']), sites: siteList }),
  z.strictObject({ words: text, act: z.literal('formula'), formula: formulaSchema, z: z.number() }),
  z.strictObject({ words: text, act: z.literal('exclude'), reflections: z.array(indices), reason: text }),
  z.strictObject({ words: text, act: z.enum(['refine', 'settle', 'invert', 'connect', 'extinction', 'cell']) }),
  z.strictObject({
    words: text,
    act: z.literal('go'),
    station: z.enum(['intake', 'refine', 'symmetry', 'publish']),
    sheet: text.optional(),
  }),
]);
export const vetReportSchema = z.strictObject({
  findings: z.array(
    z.strictObject({
      check: text,
      key: text,
      family: z.enum(['data', 'contents', 'refinement', 'displacement', 'geometry', 'symmetry', 'file']),
      severity: z.enum(['mend', 'explain', 'know']),
      title: text,
      detail: text,
      value: figure.optional(),
      unit: text.optional(),
      sites: siteList,
      reflections: z.array(indices).optional(),
      at: z.tuple([figure, figure, figure]).optional(),
      remedies: z.array(remedySchema),
    }),
  ),
  ran: z.array(text),
  silent: z.array(z.strictObject({ id: text, lacks: text })),
});
export const tableSchema = z.strictObject({
  kind: z.enum(TABLE_KINDS),
  title: text,
  columns: z.array(text),
  rows: z.array(z.array(text)),
  notes: z.array(text),
});
export const tableOptionsSchema = z.strictObject({
  hydrogens: z.boolean(),
  scaled: z.boolean(),
  order: z.enum(['as in the model', 'by label', 'by value']),
  picometres: z.boolean().optional(),
});
export const reportFindingSchema = z.strictObject({
  severity: text,
  title: text,
  detail: text,
  explanation: text.optional(),
});
export const fileProblemSchema = z.strictObject({ line: count, tag: text, says: text });

/** What the schemas say and what the types say are the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof vetReportSchema, VetReport>,
    SameType<typeof tableSchema, Table>,
    SameType<typeof tableOptionsSchema, TableOptions>,
    SameType<typeof reportFindingSchema, ReportFinding>,
    SameType<typeof fileProblemSchema, FileProblemAt>,
  ]
>;
