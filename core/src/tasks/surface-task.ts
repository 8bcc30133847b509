/** The surface of a molecule in its crystal, and its fingerprint; of several structures one after another. */
import { z } from 'zod';
import {
  fingerprintOf,
  SurfaceSearch,
  type Fingerprint,
  type MoleculeSurface,
  type SurfaceBy,
} from '../contacts/molecule-surface.ts';
import type { AtomRef } from '../crystal/atom-ref.ts';
import type { AtomPotentials } from '../crystal/form-factors.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { atomPotentialsSchema, atomRefSchema, structureSchema } from './schemas.ts';
import { task } from './task.ts';

export interface SurfaceInput {
  readonly structure: Structure;
  readonly by: SurfaceBy;
  /** An atom of the molecule; the largest one's where it is left out. */
  readonly molecule?: AtomRef;
  /** Of its atoms, where the surface is to be told its potential. */
  readonly potentials?: AtomPotentials;
}

export interface SurfaceAnswer {
  readonly formula: string;
  readonly surface: MoleculeSurface;
  readonly fingerprint: Fingerprint;
}

const singles = z.instanceof(Float32Array),
  bytes = z.instanceof(Uint8Array);
const answerSchema = z.strictObject({
  formula: z.string(),
  surface: z.strictObject({
    positions: singles,
    indices: z.instanceof(Uint32Array),
    inside: singles,
    outside: singles,
    closeness: singles,
    innerKind: bytes,
    outerKind: bytes,
    elements: z.array(z.string()),
    potential: singles.optional(),
    areas: singles,
    area: figure,
    volume: figure,
  }),
  fingerprint: z.strictObject({
    bins: figure,
    from: figure,
    step: figure,
    shares: singles,
    pairs: z.array(z.strictObject({ inner: z.string(), outer: z.string(), share: figure })),
  }),
});

export const surfaceTask = task<SurfaceInput, SurfaceAnswer, never>({
  input: z.strictObject({
    structure: structureSchema,
    by: z.enum(['density', 'distance']),
    molecule: atomRefSchema.optional(),
    potentials: atomPotentialsSchema.optional(),
  }),
  output: answerSchema,
  async run({ structure, by, molecule, potentials }) {
    const search = new SurfaceSearch(bonded(structure));
    const index = search.indexOf(molecule);
    const { formula } = search.crystal.molecules[index]!;
    const surface = search.withPotential(index, search.of(index, by), potentials);
    return { formula, surface, fingerprint: fingerprintOf(surface) };
  },
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof answerSchema, SurfaceAnswer>]>;
