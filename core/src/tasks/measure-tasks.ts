/** Tables of lengths and angles, and molecules laid over one another. */
import { z } from 'zod';
import type { AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { angleTable, bondTable, type LengthRow } from '../geometry/length-table.ts';
import {
  moleculeOf,
  overlay,
  overlayOnStructure,
  type Overlay,
  type OverlayOptions,
} from '../geometry/superposition.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { covarianceSchema, figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { atomRefSchema, structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

export interface LengthsInput {
  readonly structure: Structure;
  readonly what: 'bonds' | 'angles';
  readonly covariance?: CovarianceData;
}
const lengthSchema = z.strictObject({
  atoms: z.array(atomRefSchema),
  name: z.string(),
  kind: z.string(),
  value: figure,
  su: figure,
});
export const lengthsTask = task<LengthsInput, readonly LengthRow[], never>({
  input: z.strictObject({
    structure: structureSchema,
    what: z.enum(['bonds', 'angles']),
    covariance: covarianceSchema.optional(),
  }),
  output: z.array(lengthSchema),
  run: async ({ structure, what, covariance }) =>
    (what === 'bonds' ? bondTable : angleTable)(bonded(structure), covariance),
});

export interface OverlayInput {
  readonly first: { readonly structure: Structure; readonly atom: AtomRef };
  /** One molecule where an atom is named, else the molecule of the structure that fits best. */
  readonly second: { readonly structure: Structure; readonly atom?: AtomRef };
  readonly options: OverlayOptions;
}
const overlaySchema = z.strictObject({
  pairs: z.array(z.strictObject({ first: atomRefSchema, second: atomRefSchema, distance: figure })),
  rms: figure,
  mirrored: z.boolean(),
  torsions: z.array(
    z.strictObject({ atoms: z.array(atomRefSchema), first: figure, second: figure, difference: figure }),
  ),
  positions: z.array(vec3Schema),
  elements: z.array(z.string()),
});
export const overlayTask = task<OverlayInput, Overlay, never>({
  input: z.strictObject({
    first: z.strictObject({ structure: structureSchema, atom: atomRefSchema }),
    second: z.strictObject({ structure: structureSchema, atom: atomRefSchema.optional() }),
    options: z.strictObject({ mirror: z.boolean(), hydrogens: z.boolean() }),
  }),
  output: overlaySchema,
  run: async ({ first, second, options }) => {
    const one = bonded(first.structure),
      other = bonded(second.structure);
    const part = { structure: one, atoms: moleculeOf(one, first.atom) };
    if (second.atom) return overlay(part, { structure: other, atoms: moleculeOf(other, second.atom) }, options);
    const { part: _, ...found } = overlayOnStructure(part, other, options);
    return found;
  },
});

/** The answers and their schemas say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof lengthSchema, LengthRow>, SameType<typeof overlaySchema, Overlay>]>;
