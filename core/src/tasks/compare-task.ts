/** Two crystals compared: molecules, packing, calculated patterns. */
import { z } from 'zod';
import { compareCrystals, type CrystalComparison } from '../contacts/compare-packing.ts';
import { singleLine, USUAL_INSTRUMENT } from '../crystal/pattern.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { calculatedReflections } from '../powder/identify.ts';
import { compareFrameworks, type FrameworkMatch } from '../symmetry/compare-frameworks.ts';
import { patternSimilarity, type PatternLine } from '../powder/similarity.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

/** Å and degrees of the patterns that are compared. */
export const COMPARED = { wavelength: 1.5406, from: 3, to: 50 } as const;

export interface ComparedCrystals {
  /** Absent where they share no molecule. */
  readonly crystals?: CrystalComparison;
  /** Why they are not compared by their molecules. */
  readonly reason?: string;
  /** Atom by atom, where the lattices are related. */
  readonly framework?: FrameworkMatch;
  /** Why they are not. */
  readonly apart?: string;
  readonly similarity: number;
  /** Calculated lines of either. */
  readonly lines: readonly [readonly PatternLine[], readonly PatternLine[]];
}

const linesOf = (s: Structure): PatternLine[] => {
  const list = calculatedReflections(s, singleLine(USUAL_INSTRUMENT, COMPARED.wavelength), COMPARED.from, COMPARED.to);
  return list.map(({ twoTheta, intensity }) => ({ twoTheta, intensity }));
};

export function comparedCrystals(one: Structure, two: Structure): ComparedCrystals {
  const lines = [linesOf(one), linesOf(two)] as const;
  const similarity = patternSimilarity(lines[0], lines[1]);
  const crystals = unlessRefused(() => compareCrystals(bonded(one), bonded(two)));
  const framework = unlessRefused(() => compareFrameworks(one, two));
  return {
    ...('found' in crystals ? { crystals: crystals.found } : { reason: crystals.reason }),
    ...('found' in framework ? { framework: framework.found } : { apart: framework.reason }),
    similarity,
    lines,
  };
}

/** What was found, or why nothing was. */
function unlessRefused<T>(find: () => T): { readonly found: T } | { readonly reason: string } {
  try {
    return { found: find() };
  } catch (e) {
    if (e instanceof RangeError) return { reason: e.message };
    throw e;
  }
}

const linesSchema = z.array(z.strictObject({ twoTheta: figure, intensity: figure }));
const comparedSchema = z.strictObject({
  crystals: z
    .strictObject({
      molecules: z.strictObject({ rms: figure, mirrored: z.boolean() }),
      packing: z.strictObject({ matched: figure, of: figure, rms: figure, mirrored: z.boolean() }),
    })
    .optional(),
  reason: z.string().optional(),
  apart: z.string().optional(),
  framework: z
    .strictObject({
      lattice: z.strictObject({ ratio: figure, lengths: vec3Schema, angles: vec3Schema }),
      matched: figure,
      of: figure,
      rms: figure,
      mirrored: z.boolean(),
      sites: z.array(
        z.strictObject({
          one: z.string(),
          two: z.string(),
          elements: z.tuple([z.string(), z.string()]),
          shift: figure,
        }),
      ),
    })
    .optional(),
  similarity: figure,
  lines: z.tuple([linesSchema, linesSchema]),
});

export const compareTask = task<{ one: Structure; two: Structure }, ComparedCrystals, never>({
  input: z.strictObject({ one: structureSchema, two: structureSchema }),
  output: comparedSchema,
  run: async ({ one, two }) => comparedCrystals(one, two),
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof comparedSchema, ComparedCrystals>]>;
