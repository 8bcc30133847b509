/** Solving as a job, and the phasing of one seed that it gives to other workers. */
import { z } from 'zod';
import { phaseInputSchema, phaseResultSchema, solveResultSchema } from './model-schemas.ts';
import { phaseSeed, type PhaseInput, type PhaseResult } from '../solve/phase.ts';
import { solveStructure, type SolveInput, type SolveReport, type SolveResult } from '../solve/solve.ts';
import { cellSchema, rawSchema, spaceGroupSchema } from './schemas.ts';
import { task } from './task.ts';

export const phaseTask = task<PhaseInput, PhaseResult, unknown>({
  input: phaseInputSchema,
  output: phaseResultSchema,
  run: (input, context) => phaseSeed(input, context as never),
});

export const solveTask = task<SolveInput, SolveResult, SolveReport>({
  input: z.strictObject({
    raw: rawSchema,
    cell: cellSchema,
    wavelength: z.number().positive(),
    formula: z.record(z.string(), z.number()).optional(),
    z: z.number().positive().optional(),
    spaceGroup: spaceGroupSchema.optional(),
    groups: z.array(spaceGroupSchema).optional(),
    seed: z.number().int(),
    seeds: z.number().int().positive(),
    seconds: z.number().positive(),
  }),
  output: solveResultSchema,
  run: solveStructure,
});
