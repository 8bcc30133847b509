/** Reading files, judging the data, merging them for a group: as jobs. */
import { z } from 'zod';
import { analysisSchema, recognisedSchema } from './data-schemas.ts';
import { recognise, type Recognised } from '../formats/recognise.ts';
import { analyseIntake, mergeForGroup, mergeForLaue, type IntakeAnalysis } from '../solve/prepare.ts';
import { normalizedIntensities, intensityReading, lTest } from '../data/intensity-statistics.ts';
import type { Cell } from '../crystal/cell.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import { cellSchema, rawSchema, spaceGroupSchema } from './schemas.ts';
import { mergedDataSchema, type MergedData } from './result-schemas.ts';
import { task } from './task.ts';

export const recogniseTask = task<{ text: string; fileName: string }, Recognised[], number>({
  input: z.strictObject({ text: z.string(), fileName: z.string() }),
  output: z.array(recognisedSchema),
  run: async ({ text, fileName }, context) => recognise(text, fileName, (f) => context.progress(f)),
});

export const analyseTask = task<{ raw: RawReflections; cell: Cell; wavelength?: number }, IntakeAnalysis, string>({
  input: z.strictObject({ raw: rawSchema, cell: cellSchema, wavelength: z.number().positive().optional() }),
  output: analysisSchema,
  run: async ({ raw, cell, wavelength }, context) => {
    context.progress('Looking for symmetry in the metric and in the intensities');
    await context.breath();
    return analyseIntake(raw, cell, wavelength);
  },
});

export type MergeTaskResult = MergedData;

export const mergeTask = task<{ raw: RawReflections; cell: Cell; group: SpaceGroup }, MergeTaskResult, number>({
  input: z.strictObject({ raw: rawSchema, cell: cellSchema, group: spaceGroupSchema }),
  output: mergedDataSchema,
  run: async ({ raw, cell, group }, context) => {
    const result = mergeForGroup(raw, cell, group, (f) => context.progress(f));
    await context.breath();
    const laue = mergeForLaue(raw, cell, group);
    return {
      ...result,
      reading: intensityReading(laue, normalizedIntensities(laue, cell, group), group),
      ...(group.centric ? {} : { local: lTest(result.reflections, group) }),
    };
  },
});
