/** Zod schemas of what the tasks of powders take and give. */
import { z } from 'zod';
import { instrumentSchema } from '../formats/pattern-file.ts';
import type { IdentifyOptions } from '../powder/identify.ts';
import type { IndexOptions } from '../powder/index-cells.ts';
import { KINDS } from '../powder/parameters.ts';
import type { RunResult, Stage as FitStage } from '../powder/recipes.ts';
import type { PlaceResult } from '../powder/place-molecule.ts';
import type { ShelfEntry } from '../shelf/entry.ts';
import { figure, fitModelSchema, fitResultSchema } from './result-schemas.ts';
import type { AllTrue, SameBut, SameType } from './same-type.ts';
import { cellSchema, structureSchema } from './schemas.ts';

const text = z.string();
const count = z.number().int();
const flag = z.boolean();
const formulaSchema = z.record(text, z.number());

export const fitStageSchema = z.strictObject({
  title: text,
  says: text,
  kind: z.enum(['scales', 'find cells', 'orientations', 'background', 'refine']),
  free: z.array(z.enum(KINDS)).optional(),
  cycles: count.optional(),
});
export const runResultSchema = z.strictObject({
  stages: z.array(
    z.strictObject({
      title: text,
      says: text,
      model: fitModelSchema,
      figures: z.strictObject({ rp: figure, rwp: figure, rExp: figure, s: figure }),
      cycles: count,
      undone: text.optional(),
      note: text.optional(),
    }),
  ),
  model: fitModelSchema,
  result: fitResultSchema,
  message: text,
  stopped: flag,
});
export const shelfEntrySchema = z.strictObject({
  id: text,
  name: text,
  alias: text,
  formula: text,
  contents: formulaSchema,
  spaceGroup: text,
  system: z.enum(['triclinic', 'monoclinic', 'orthorhombic', 'tetragonal', 'trigonal', 'hexagonal', 'cubic']),
  cell: cellSchema,
  volume: figure,
  temperature: z.number().optional(),
  pressure: z.number(),
  source: text,
  quality: z.enum(['A', 'B', 'C', 'own']),
  note: text,
  warnings: z.array(text),
  structure: structureSchema,
});
export const identifyOptionsSchema = z.strictObject({
  instrument: instrumentSchema,
  elements: z.array(text).optional(),
  required: z.array(text).optional(),
  stretch: z.number().optional(),
  tolerance: z.number().optional(),
});
export const indexOptionsSchema = z.strictObject({
  wavelength: z.number().positive(),
  tolerance: z.number().positive(),
  systems: z.array(z.enum(['cubic', 'tetragonal', 'hexagonal', 'orthorhombic', 'monoclinic', 'triclinic'])).optional(),
  impurities: count.optional(),
  maxLength: z.number().optional(),
  maxVolume: z.number().optional(),
  seconds: z.number().optional(),
});
export const placeResultSchema = z.strictObject({
  structure: structureSchema,
  r: figure,
  torsions: count,
  steps: count,
});

/** What the schemas say and what the types say are the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof fitStageSchema, FitStage>,
    SameBut<typeof runResultSchema, RunResult, 'stages' | 'model'>,
    SameBut<typeof shelfEntrySchema, ShelfEntry, 'structure'>,
    SameType<typeof identifyOptionsSchema, IdentifyOptions>,
    SameType<typeof indexOptionsSchema, IndexOptions>,
    SameBut<typeof placeResultSchema, PlaceResult, 'structure'>,
  ]
>;
