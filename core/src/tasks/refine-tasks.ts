/** Refining, settling and judging a model against its data: as jobs. */
import type { Experiment } from '../crystal/experiment.ts';
import { z } from 'zod';
import { refineResultSchema, settleResultSchema } from './model-schemas.ts';
import { refineStructure, type CycleReport, type RefineResult } from '../refine/single-crystal.ts';
import type { RefineOptions } from '../refine/single-crystal-problem.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { absoluteStructure, type AbsoluteStructure } from '../refine/absolute-structure.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { refinedExperiment, residualOf, type MapResult } from '../settle/stage.ts';
import { settle, type SettleInput, type SettleReport, type SettleResult } from '../settle/settle.ts';
import { equivalentU, isotropicTensor, type Structure } from '../crystal/structure.ts';
import { mergedSchema, structureSchema, treatmentSchema, experimentFields, absoluteSchema } from './schemas.ts';
import { mapSchema } from './result-schemas.ts';
import { task } from './task.ts';

export interface RefineTaskInput extends Experiment {
  options: Omit<RefineOptions, 'restraints' | 'scattering'>;
  /** Turns all isotropic non-hydrogen sites anisotropic first, or all sites isotropic. */
  displacement?: 'iso' | 'aniso';
}

export interface RefineTaskResult {
  result: RefineResult;
  map: MapResult;
  treatment: Treatment;
  absolute?: AbsoluteStructure;
}

/** Changes the kind of displacement of every non-hydrogen site. */
export function withDisplacement(s: Structure, kind: 'iso' | 'aniso'): Structure {
  return {
    ...s,
    sites: s.sites.map((x) => {
      if (x.element === 'H' || x.element === 'D' || x.displacement.kind === kind) return x;
      if (kind === 'iso')
        return { ...x, displacement: { kind: 'iso' as const, u: equivalentU(s.cell, x.displacement) } };
      return {
        ...x,
        displacement: { kind: 'aniso' as const, u: isotropicTensor(s.cell, equivalentU(s.cell, x.displacement)) },
      };
    }),
  };
}

const optionsSchema = z.strictObject({
  cycles: z.number().int().min(1).max(500),
  optimizeWeights: z.boolean(),
  overrun: z.number().int().nonnegative().optional(),
  occupancies: z.array(z.number()).optional(),
  settled: z.number().optional(),
  covariance: z.boolean().optional(),
});

export const refineTask = task<RefineTaskInput, RefineTaskResult, CycleReport>({
  input: z.strictObject({
    ...experimentFields,
    options: optionsSchema,
    displacement: z.enum(['iso', 'aniso']).optional(),
  }),
  output: z.strictObject({
    result: refineResultSchema,
    map: mapSchema,
    treatment: treatmentSchema,
    absolute: absoluteSchema.optional(),
  }),
  run: async ({ options, displacement, ...given }, context) => {
    const start = displacement ? { ...given, structure: withDisplacement(given.structure, displacement) } : given;
    const result = await refineStructure(start, options, context);
    const { scale } = result.readings;
    const after = refinedExperiment(start, result);
    const { map } = residualOf(after, scale);
    const known = after.structure.spaceGroup.centric || after.treatment.twins?.length;
    const untwinned: Experiment = { ...after, treatment: { ...after.treatment, twins: [] }, extinction: 0 };
    const absolute = known
      ? undefined
      : absoluteStructure(after.structure, after.reflections, evaluateStructure(untwinned, scale).data);
    return { result, treatment: after.treatment, map, ...(absolute ? { absolute } : {}) };
  },
});

export const settleTask = task<SettleInput, SettleResult, SettleReport>({
  input: z.strictObject({
    structure: structureSchema,
    reflections: mergedSchema,
    wavelength: z.number().positive(),
    treatment: treatmentSchema.optional(),
    temperature: z.number().optional(),
    contents: z.record(z.string(), z.number()).optional(),
    disorder: z.enum(['ask', 'try']),
  }),
  output: settleResultSchema,
  run: settle,
});

export interface ResidualTaskResult {
  map: MapResult;
  r1: number;
  wr2: number;
}

export const residualTask = task<Experiment & { scale?: number }, ResidualTaskResult, never>({
  input: z.strictObject({ ...experimentFields, scale: z.number().optional() }),
  output: z.strictObject({ map: mapSchema, r1: z.number(), wr2: z.number() }),
  run: async ({ scale, ...e }) => {
    const { map, figures } = residualOf(e, scale);
    return { map, r1: figures.r1, wr2: figures.wr2 };
  },
});
