/** What a structure is on sight: the first look, its pairs of elements, the small pictures of Home. */
import { z } from 'zod';
import type { Structure } from '../crystal/structure.ts';
import { firstLook, type FirstLook } from '../draw/first-look.ts';
import { crystalPortrait, patternPortrait } from '../draw/portrait.ts';
import { ATOM_LOOKS } from '../draw/style.ts';
import { pairProposals, type PairProposal } from '../geometry/bonding-proposal.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { mat3Schema, structureSchema } from './schemas.ts';
import { task } from './task.ts';

const firstLookSchema = z.strictObject({
  dimension: z.union([z.literal(0), z.literal(1), z.literal(2), z.literal(3)]),
  salt: z.boolean(),
  extent: z.enum(['molecules', 'closed cell', 'packed cell']),
  look: z.enum(ATOM_LOOKS),
  rotation: mat3Schema,
  polyhedra: z.array(z.string()),
  sentence: z.string(),
});
export const firstLookTask = task<{ structure: Structure }, FirstLook, never>({
  input: z.strictObject({ structure: structureSchema }),
  output: firstLookSchema,
  run: async ({ structure }) => firstLook(structure),
});

const pairSchema = z.strictObject({
  elements: z.tuple([z.string(), z.string()]),
  lengths: z.array(z.strictObject({ distance: figure, count: figure })),
  proposed: figure,
  reason: z.string(),
});
export const pairsTask = task<{ structure: Structure }, readonly PairProposal[], never>({
  input: z.strictObject({ structure: structureSchema }),
  output: z.array(pairSchema),
  run: async ({ structure }) => pairProposals(structure),
});

export interface PortraitInput {
  readonly structure?: Structure;
  readonly pattern?: { readonly twoTheta: Float64Array; readonly intensity: Float64Array };
}
/** Empty where there is nothing to draw. */
export const portraitTask = task<PortraitInput, string, never>({
  input: z.strictObject({
    structure: structureSchema.optional(),
    pattern: z.strictObject({ twoTheta: z.instanceof(Float64Array), intensity: z.instanceof(Float64Array) }).optional(),
  }),
  output: z.string(),
  run: async ({ structure, pattern }) => {
    if (structure?.sites.length) return crystalPortrait(structure);
    return pattern ? patternPortrait(pattern.twoTheta, pattern.intensity) : '';
  },
});

/** The answers and their schemas say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof firstLookSchema, FirstLook>, SameType<typeof pairSchema, PairProposal>]>;
