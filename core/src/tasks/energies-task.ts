/** Energies of a structure's molecules with their neighbours, and of the lattice. */
import { z } from 'zod';
import { EnergySearch, type CrystalEnergies } from '../contacts/energies.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { atomRefSchema, structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

const parts = { dispersion: figure, repulsion: figure, electrostatic: figure, hydrogenBond: figure, energy: figure };
const energiesSchema = z.strictObject({
  molecules: z.array(
    z.strictObject({
      formula: z.string(),
      charge: figure,
      atoms: z.array(atomRefSchema),
      charges: z.array(figure),
    }),
  ),
  pairs: z.array(
    z.strictObject({
      ...parts,
      from: figure,
      to: figure,
      placement: z.strictObject({ operator: figure, shift: vec3Schema }),
      symmetry: z.string(),
      distance: figure,
      nearest: figure,
      ends: z.tuple([vec3Schema, vec3Schema]),
    }),
  ),
  lattice: z.strictObject({ ...parts, formula: z.string() }).optional(),
  remarks: z.array(z.string()),
});

/** Throws RangeError where there is no molecule. */
export const energiesOf = (s: Structure): CrystalEnergies => new EnergySearch(bonded(s)).all();

export const energiesTask = task<{ structure: Structure }, CrystalEnergies, never>({
  input: z.strictObject({ structure: structureSchema }),
  output: energiesSchema,
  run: async ({ structure }) => energiesOf(structure),
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof energiesSchema, CrystalEnergies>]>;
