/** Powder work as jobs. */
import { z } from 'zod';
import {
  fitStageSchema,
  identifyOptionsSchema,
  indexOptionsSchema,
  placeResultSchema,
  runResultSchema,
  shelfEntrySchema,
} from './powder-schemas.ts';
import type { Instrument, Pattern } from '../crystal/pattern.ts';
import { instrumentSchema } from '../formats/pattern-file.ts';
import { extractedReflections } from '../powder/extract.ts';
import { identify, rankPhases, type IdentifyOptions, type Match } from '../powder/identify.ts';
import { indexPattern, type IndexedCell, type IndexOptions, type IndexProgress } from '../powder/index-cells.ts';
import type { FitModel } from '../powder/model.ts';
import { findPeaks, type Peak, type PeakSearch } from '../powder/peaks.ts';
import { runRecipe, type RunInput, type RunReport, type RunResult } from '../powder/recipes.ts';
import { fitSeries, type SeriesInput, type SeriesReport, type SeriesStep } from '../powder/series.ts';
import { fitCif } from '../publish/pattern-cif.ts';
import {
  extractedGroups,
  looseMolecule,
  placeMolecule,
  type PlaceReport,
  type PlaceResult,
} from '../powder/place-molecule.ts';
import type { Structure } from '../crystal/structure.ts';
import {
  fitModelSchema,
  fitResultSchema,
  indexedCellSchema,
  matchSchema,
  seriesStepSchema,
  figure,
} from './result-schemas.ts';
import { rawSchema, structureSchema } from './schemas.ts';
import type { FitResult } from '../powder/results.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import { phaseDoubts, type PhaseDoubt } from '../powder/doubts.ts';
import { shippedShelf, type ShelfEntry } from '../shelf/entry.ts';
import type { TaskContext } from '../task-context.ts';
import { task } from './task.ts';

const numbers = z.instanceof(Float64Array);
export const patternSchema = z
  .strictObject({
    name: z.string(),
    twoTheta: numbers,
    intensity: numbers,
    sigma: numbers,
    sigmaFrom: z.enum(['file', 'counts']),
    at: z.number().optional(),
  })
  .refine(
    (p) => p.intensity.length === p.twoTheta.length && p.sigma.length === p.twoTheta.length,
    'has columns of different lengths',
  );
const modelSchema = fitModelSchema;
const number = z.number();
export const peakSchema = z.array(
  z.strictObject({
    position: number,
    positionSu: number,
    height: number,
    width: number,
    widthSu: number,
    area: number,
    areaSu: number,
    d: number,
  }),
);

export const fitTask = task<RunInput, RunResult, RunReport>({
  input: z.strictObject({
    model: modelSchema,
    patterns: z.array(patternSchema).min(1),
    recipe: z.union([z.string(), z.array(fitStageSchema)]),
    held: z.array(z.string()).optional(),
    free: z.array(z.string()).optional(),
  }),
  output: runResultSchema,
  run: runRecipe,
});

export const seriesTask = task<SeriesInput, { steps: SeriesStep[]; stopped: boolean }, SeriesReport>({
  input: z.strictObject({
    model: modelSchema,
    patterns: z.array(patternSchema).min(1),
    recipe: z.string(),
    held: z.array(z.string()).optional(),
  }),
  output: z.strictObject({ steps: z.array(seriesStepSchema), stopped: z.boolean() }),
  run: fitSeries,
});

export const peaksTask = task<{ pattern: Pattern; instrument: Instrument; search?: PeakSearch }, Peak[], never>({
  input: z.strictObject({
    pattern: patternSchema,
    instrument: instrumentSchema,
    search: z.object({ significance: z.number().positive(), width: z.number().positive().optional() }).optional(),
  }),
  output: peakSchema,
  run: async ({ pattern, instrument: i, search }) => findPeaks(pattern, i, search),
});

export interface IdentifyInput {
  peaks: Peak[];
  entries: ShelfEntry[];
  options: IdentifyOptions;
  /** Phases already accepted; absent: find one after another. */
  accepted?: Match[];
}

export const identifyTask = task<
  IdentifyInput,
  { phases: Match[]; ranked: Match[]; unexplained: number[]; left: number },
  never
>({
  input: z.strictObject({
    peaks: peakSchema,
    entries: z.array(shelfEntrySchema),
    options: identifyOptionsSchema,
    accepted: z.array(matchSchema).optional(),
  }),
  output: z.strictObject({
    phases: z.array(matchSchema),
    ranked: z.array(matchSchema),
    unexplained: z.array(z.number().int()),
    left: figure,
  }),
  run: async ({ peaks, entries, options, accepted }) => {
    if (!accepted) {
      const all = identify(peaks, entries, options);
      return {
        phases: all.phases,
        ranked: rankPhases(peaks, entries, options, all.phases).ranked.slice(0, 25),
        unexplained: all.unexplained,
        left: all.left,
      };
    }
    const { ranked, left } = rankPhases(peaks, entries, options, accepted);
    const total = peaks.reduce((s, p) => s + p.area, 0),
      explained = new Set(accepted.flatMap((m) => m.peaks));
    return {
      phases: accepted,
      ranked: ranked.slice(0, 25),
      unexplained: peaks.flatMap((p, i) => (!explained.has(i) && left[i]! > 0.4 * p.area ? [i] : [])),
      left: left.reduce((s, x) => s + x, 0) / total,
    };
  },
});

export const indexTask = task<{ twoTheta: number[]; options: IndexOptions }, IndexedCell[], IndexProgress>({
  input: z.strictObject({
    twoTheta: z.array(z.number().positive()),
    options: indexOptionsSchema,
  }),
  output: z.array(indexedCellSchema),
  run: ({ twoTheta, options }, context) => indexPattern(twoTheta, options, context),
});

export const extractTask = task<{ model: FitModel; phase: number; pattern: Pattern }, RawReflections, never>({
  input: z.strictObject({ model: modelSchema, phase: z.number().int().min(0), pattern: patternSchema }),
  output: rawSchema,
  run: async ({ model, phase, pattern }) => extractedReflections(model, phase, pattern),
});

const doubtSchema = z.strictObject({
  id: z.string(),
  name: z.string(),
  against: z.array(z.string()),
  better: z.strictObject({ id: z.string(), name: z.string(), rwp: figure, gain: figure }).optional(),
});

export interface DoubtsTaskInput {
  model: FitModel;
  patterns: Pattern[];
  result: FitResult;
  /** Entries of one's own, beside those that ship. */
  own?: ShelfEntry[];
}

export const doubtsTask = task<DoubtsTaskInput, PhaseDoubt[], never>({
  input: z.strictObject({
    model: modelSchema,
    patterns: z.array(patternSchema).min(1),
    result: fitResultSchema,
    own: z.array(shelfEntrySchema).optional(),
  }),
  output: z.array(doubtSchema),
  run: ({ own = [], ...input }, context) =>
    phaseDoubts({ ...input, entries: [...shippedShelf(), ...own] }, context as TaskContext),
});

export const fitCifTask = task<
  { model: FitModel; result: FitResult; patterns: Pattern[]; date: string },
  string,
  never
>({
  input: z.strictObject({
    model: modelSchema,
    result: fitResultSchema,
    patterns: z.array(patternSchema),
    date: z.string(),
  }),
  output: z.string(),
  run: async ({ model, result, patterns, date }) => fitCif(model, result, patterns, date),
});

export interface PlaceTaskInput {
  model: FitModel;
  phase: number;
  pattern: Pattern;
  /** A structure that holds the molecule, in any cell. */
  molecule: Structure;
  seed: number;
  seconds: number;
  rigid?: boolean;
}

export const placeTask = task<PlaceTaskInput, PlaceResult, PlaceReport>({
  input: z.strictObject({
    model: modelSchema,
    phase: z.number().int().min(0),
    pattern: patternSchema,
    molecule: structureSchema,
    seed: z.number().int(),
    seconds: z.number().positive().max(3600),
    rigid: z.boolean().optional(),
  }),
  output: placeResultSchema,
  run: async ({ model, phase, pattern, molecule, seed, seconds, rigid }, context) => {
    const { cell, spaceGroup } = model.phases[phase]!.structure;
    return placeMolecule(
      {
        cell,
        spaceGroup,
        molecule: looseMolecule(molecule),
        intensities: extractedGroups(model, phase, pattern),
        seed,
        seconds,
        ...(rigid ? { rigid } : {}),
      },
      context,
    );
  },
});
