/** The vet as a job: every check over a model with whatever is known about it. */
import { z } from 'zod';
import { vetReportSchema } from './report-schemas.ts';
import type { VetInput } from '../vet/context.ts';
import { vet, type VetReport } from '../vet/registry.ts';
import {
  experimentSchema,
  mergedSchema,
  rawSchema,
  structureSchema,
  treatmentSchema,
  absoluteSchema,
  residualPeakSchema,
} from './schemas.ts';
import { task } from './task.ts';
import { readingsSchema, statisticsSchema } from './result-schemas.ts';

export const vetTask = task<VetInput, VetReport, string>({
  input: z.strictObject({
    structure: structureSchema,
    experiment: experimentSchema,
    wavelength: z.number().positive().optional(),
    reflections: mergedSchema.optional(),
    raw: rawSchema.optional(),
    treatment: treatmentSchema.optional(),
    readings: readingsSchema.optional(),
    statistics: statisticsSchema.optional(),
    peaks: z.array(residualPeakSchema).optional(),
    holes: z.array(residualPeakSchema).optional(),
    residualSigma: z.number().optional(),
    absolute: absoluteSchema.optional(),
    items: z.record(z.string(), z.string()).optional(),
  }),
  output: vetReportSchema,
  run: async (i, context) => vet(i, (name) => context.progress(name)),
});
