/** Jobs of the Symmetry station: the report of a structure, and a model moved to a supergroup. */
import { z } from 'zod';
import { judgedGroupSchema, missedGroupSchema, raisedSchema, symmetryReportSchema } from './symmetry-schemas.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import type { Structure } from '../crystal/structure.ts';
import { raiseSymmetry, type Raised } from '../symmetry/raise.ts';
import { symmetryReport, type SymmetryReport } from '../symmetry/report.ts';
import type { MissedGroup } from '../symmetry/supergroups.ts';
import { rawSchema, structureSchema } from './schemas.ts';
import { task } from './task.ts';

export const symmetryTask = task<
  { structure: Structure; tolerance: number; raw?: RawReflections },
  SymmetryReport,
  string
>({
  input: z.strictObject({
    structure: structureSchema,
    tolerance: z.number().positive().max(2),
    raw: rawSchema.optional(),
  }),
  output: symmetryReportSchema,
  run: (i, context) => symmetryReport(i.structure, i.tolerance, i.raw, context as never),
});

export const raiseTask = task<{ structure: Structure; to: MissedGroup; limit?: number }, Raised, never>({
  input: z.strictObject({
    structure: structureSchema,
    to: z.union([missedGroupSchema, judgedGroupSchema]),
    limit: z.number().positive().optional(),
  }),
  output: raisedSchema,
  run: async (i) => raiseSymmetry(i.structure, i.to, i.limit),
});
