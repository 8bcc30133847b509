/** What a molecule would like around itself, what its crystal grants of it, and surfaces of the fields. */
import { z } from 'zod';
import { PROBES, type Probe } from '../contacts/probes.ts';
import { WishSearch, type Wishes } from '../contacts/wishes.ts';
import { wishSurface, type WishGrid } from '../contacts/wish-field.ts';
import type { AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import type { Surface } from '../maps/isosurface.ts';
import { contactSchema } from './contacts-task.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { atomRefSchema, structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

export interface WishesInput {
  readonly structure: Structure;
  readonly probes: readonly Probe[];
  /** An atom of the molecule that is looked at; the largest one's where it is left out. */
  readonly molecule?: AtomRef;
  /** Atoms of it whose wishes count; all where it is left out. */
  readonly part?: readonly AtomRef[];
  /** Å between points of the fields; without it no field is given. */
  readonly step?: number;
}

export interface WishesAnswer {
  readonly wishes: Wishes;
  readonly grids: readonly WishGrid[];
}

const probeSchema = z.enum(PROBES);
const gridSchema = z.strictObject({
  probe: probeSchema,
  origin: vec3Schema,
  step: figure,
  size: z.tuple([z.number().int().positive(), z.number().int().positive(), z.number().int().positive()]),
  values: z.instanceof(Float32Array),
});
const wishSchema = z.strictObject({
  probe: probeSchema,
  at: vec3Schema,
  position: vec3Schema,
  score: figure,
  of: z.string().optional(),
  group: z.string().optional(),
  grant: z.enum(['granted', 'half granted', 'not granted']),
  by: atomRefSchema.optional(),
  distance: figure.optional(),
  strength: figure.optional(),
});
const wishesSchema = z.strictObject({
  molecule: z.strictObject({ formula: z.string(), atoms: z.array(atomRefSchema) }),
  spots: z.array(wishSchema),
  contacts: z.array(
    z.strictObject({
      contact: contactSchema,
      other: atomRefSchema,
      probe: probeSchema,
      score: figure,
      expected: z.boolean(),
    }),
  ),
  served: figure.optional(),
  remarks: z.array(z.string()),
});
const answerSchema = z.strictObject({ wishes: wishesSchema, grids: z.array(gridSchema) });

/** Throws RangeError where there is no molecule. */
export function wishesOf({ structure, step, ...asked }: WishesInput): WishesAnswer {
  const search = new WishSearch(bonded(structure), asked);
  return { wishes: search.all(), grids: step === undefined ? [] : search.grids(step) };
}

export const wishesTask = task<WishesInput, WishesAnswer, never>({
  input: z.strictObject({
    structure: structureSchema,
    probes: z.array(probeSchema).max(PROBES.length),
    molecule: atomRefSchema.optional(),
    part: z.array(atomRefSchema).optional(),
    step: z.number().min(0.1).max(2).optional(),
  }),
  output: answerSchema,
  run: async (input) => wishesOf(input),
});

interface SurfacesInput {
  readonly grids: readonly WishGrid[];
  /** Times chance, of each grid. */
  readonly levels: readonly number[];
}

const surfaceSchema = z.strictObject({ positions: z.instanceof(Float32Array), indices: z.instanceof(Uint32Array) });

export const wishSurfacesTask = task<SurfacesInput, Surface[], never>({
  input: z.strictObject({ grids: z.array(gridSchema), levels: z.array(z.number()) }),
  output: z.array(surfaceSchema),
  run: async ({ grids, levels }) => grids.map((g, i) => wishSurface(g, levels[i]!)),
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof answerSchema, WishesAnswer>, SameType<typeof gridSchema, WishGrid>]>;
