/** What leaves as a file, read back and compared. */
import { z } from 'zod';
import {
  certainty,
  FILE_KINDS,
  proveText,
  writeStructure,
  type Certainty,
  type FileKind,
  type Proof,
} from '../build/leave.ts';
import type { Structure } from '../crystal/structure.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

export interface LeaveWish {
  readonly structure: Structure;
  readonly kind: FileKind;
  readonly name: string;
  /** Ids of sites held still. */
  readonly fixed: readonly string[];
  /** ISO date. */
  readonly date: string;
}
export interface Leaving {
  readonly text: string;
  readonly proof: Proof;
  readonly sheet: Certainty;
}
const leavingSchema = z.strictObject({
  text: z.string(),
  proof: z.strictObject({ same: z.boolean(), words: z.string() }),
  sheet: z.strictObject({
    atoms: z.record(z.string(), figure),
    total: figure,
    formula: z.string(),
    z: figure,
    symmetry: z.string(),
    vectors: z.tuple([vec3Schema, vec3Schema, vec3Schema]),
    boundaries: z.array(
      z.strictObject({
        axis: z.enum(['a', 'b', 'c']),
        distance: figure,
        pair: z.tuple([z.string(), z.string()]),
        empty: figure,
      }),
    ),
    fixed: figure,
  }),
});

export const leaveTask = task<LeaveWish, Leaving, never>({
  input: z.strictObject({
    structure: structureSchema,
    kind: z.enum(FILE_KINDS),
    name: z.string(),
    fixed: z.array(z.string()),
    date: z.string(),
  }),
  output: leavingSchema,
  run: async ({ structure, kind, name, fixed, date }) => {
    const held = new Set(fixed);
    const text = writeStructure(structure, { kind, name, fixed: held, date });
    return { text, proof: proveText(structure, text, kind), sheet: certainty(structure, held) };
  },
});

/** The answers and their schemas say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof leavingSchema, Leaving>]>;
