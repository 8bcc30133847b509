/** What is looked for before something is built: cells, common cells, ways to cut, empty space, the shape of the crystal. */
import { z } from 'zod';
import { searchCells, type CellSearch, type FoundCell } from '../build/shaped-cell.ts';
import { commonCells, type CommonCell, type StackSearch } from '../build/stack.ts';
import { Surface } from '../build/surface.ts';
import { terminationPictures } from '../build/termination-pictures.ts';
import type { Structure } from '../crystal/structure.ts';
import { findPores, type Pores } from '../space/pores.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { commonCellSchema } from './build-wish.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { cellSchema, mat3Schema, structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

const foundCellSchema = z.strictObject({
  matrix: mat3Schema,
  times: figure,
  atoms: figure,
  cell: cellSchema,
  shortest: figure,
  oblique: figure,
});
const limit = z.number().positive().optional();

export const searchCellsTask = task<{ structure: Structure; search: CellSearch }, readonly FoundCell[], never>({
  input: z.strictObject({
    structure: structureSchema,
    search: z.strictObject({
      leastAtoms: limit,
      mostAtoms: z.number().positive().max(20_000),
      leastLength: limit,
      mostOblique: limit,
    }),
  }),
  output: z.array(foundCellSchema),
  run: async ({ structure, search }) => searchCells(structure, search),
});

export interface CommonCellsWish {
  readonly lower: Structure;
  readonly upper: Structure;
  readonly search: StackSearch;
}
export const commonCellsTask = task<CommonCellsWish, readonly CommonCell[], never>({
  input: z.strictObject({
    lower: structureSchema,
    upper: structureSchema,
    search: z.strictObject({
      mostAtoms: z.number().positive().max(5000),
      mostStrain: z.number().min(0).max(0.3),
      twist: z.strictObject({ angle: z.number(), within: z.number().min(0) }).optional(),
    }),
  }),
  output: z.array(commonCellSchema),
  run: async ({ lower, upper, search }) => commonCells(lower, upper, search),
});

/** Pictures of the ways to cut a crystal along a plane, as SVG. */
export const terminationPicturesTask = task<{ structure: Structure; plane: Vec3 }, readonly string[], never>({
  input: z.strictObject({ structure: structureSchema, plane: vec3Schema }),
  output: z.array(z.string()),
  run: async ({ structure, plane }) => terminationPictures(new Surface(structure, plane)),
});

const dimension = z.union([z.literal(1), z.literal(2), z.literal(3)]);
const poresSchema = z.strictObject({
  largest: z.strictObject({ at: vec3Schema, diameter: figure }),
  windows: z.array(z.strictObject({ at: vec3Schema, diameter: figure, dimension, directions: z.array(vec3Schema) })),
  empty: figure,
});

/** Null where no sphere of 0.5 Å fits. */
export const poresTask = task<{ structure: Structure }, Pores | null, never>({
  input: z.strictObject({ structure: structureSchema }),
  output: poresSchema.nullable(),
  run: async ({ structure }) => findPores(structure) ?? null,
});

/** The answers and their schemas say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof foundCellSchema, FoundCell>, SameType<typeof poresSchema, Pores>]>;
