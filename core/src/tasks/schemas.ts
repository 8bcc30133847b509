/** Zod schemas at the doors: storage, files, worker and network messages. */
import { z } from 'zod';
import type { Cell } from '../crystal/cell.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import type { MergedReflections, RawReflections } from '../crystal/reflections.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { SHAPES } from '../crystal/controls.ts';
import type { Experiment } from '../formats/cif-data.ts';

const triple = z.tuple([z.number(), z.number(), z.number()]);
const six = z.tuple([z.number(), z.number(), z.number(), z.number(), z.number(), z.number()]);
const nine = z.array(z.number()).length(9);

export const cellSchema = z.object({
  a: z.number().positive(),
  b: z.number().positive(),
  c: z.number().positive(),
  alpha: z.number(),
  beta: z.number(),
  gamma: z.number(),
  su: six.optional(),
}) as unknown as z.ZodType<Cell>;

const operator = z.object({ r: nine, t: triple });
export const spaceGroupSchema = z.object({
  number: z.number().int(),
  symbol: z.string(),
  hall: z.string(),
  code: z.string(),
  representatives: z.array(operator).min(1),
  centring: z.array(triple).min(1),
  centricAtOrigin: z.boolean(),
  centric: z.boolean(),
}) as unknown as z.ZodType<SpaceGroup>;

const displacement = z.union([
  z.object({ kind: z.literal('iso'), u: z.number(), su: z.number().optional() }),
  z.object({ kind: z.literal('aniso'), u: six, su: six.optional() }),
]);

export const siteSchema = z.object({
  id: z.string(),
  label: z.string(),
  element: z.string(),
  position: triple,
  positionSu: triple.optional(),
  occupancy: z.number(),
  occupancySu: z.number().optional(),
  displacement,
  disorder: z.object({ assembly: z.string(), group: z.string() }).optional(),
});

const pair = z.tuple([z.string(), z.string()]);
const ids = z.array(z.string());
const restraintBase = {
  id: z.string(),
  su: z.number().positive(),
  off: z.boolean().optional(),
  why: z.string().optional(),
};
export const restraintSchema = z.union([
  z.object({
    ...restraintBase,
    kind: z.enum(['distance', 'distance 1,3', 'keep apart']),
    pairs: z.array(pair),
    target: z.number(),
  }),
  z.object({ ...restraintBase, kind: z.literal('equal distance'), pairs: z.array(pair) }),
  z.object({
    ...restraintBase,
    kind: z.literal('chiral volume'),
    sites: z.tuple([z.string(), z.string(), z.string(), z.string()]),
    target: z.number(),
  }),
  z.object({ ...restraintBase, kind: z.literal('same geometry'), first: ids, second: ids }),
  z.object({
    ...restraintBase,
    kind: z.enum(['planar', 'rigid bond', 'enhanced rigid bond', 'similar displacement', 'near isotropic']),
    sites: ids,
  }),
  z.object({ ...restraintBase, kind: z.enum(['occupancy', 'displacement']), sites: ids, target: z.number() }),
]);
const why = z.string().optional();
export const constraintSchema = z.union([
  z.object({
    id: z.string(),
    kind: z.enum(['shared displacement', 'shared position', 'rigid group']),
    sites: ids,
    why,
  }),
  z.object({
    id: z.string(),
    kind: z.literal('fixed'),
    sites: ids,
    what: z.array(z.enum(['position', 'displacement', 'occupancy'])),
    why,
  }),
]);
export const hydrogenGroupSchema = z.object({
  id: z.string(),
  parent: z.string(),
  hydrogens: ids,
  shape: z.enum(SHAPES),
  hold: z.enum(['riding', 'rotating', 'restrained', 'free']),
  uFactor: z.number(),
  length: z.number().positive(),
});
export const occupancyTieSchema = z.union([
  z.object({
    id: z.string(),
    kind: z.literal('assembly'),
    assembly: z.string(),
    groups: ids,
    held: z.boolean().optional(),
  }),
  z.object({ id: z.string(), kind: z.literal('shared'), sites: ids }),
]);
const controlsSchema = z.object({
  hydrogens: z.array(hydrogenGroupSchema),
  occupancies: z.array(occupancyTieSchema),
  constraints: z.array(constraintSchema),
  restraints: z.array(restraintSchema),
});

export const structureSchema = z.object({
  cell: cellSchema,
  spaceGroup: spaceGroupSchema,
  sites: z.array(siteSchema),
  controls: controlsSchema.optional(),
}) as unknown as z.ZodType<Structure>;

export const experimentSchema = z.object({
  wavelength: z.number().optional(),
  formula: z.record(z.string(), z.number()).optional(),
  z: z.number().optional(),
  temperature: z.number().optional(),
  colour: z.string().optional(),
  habit: z.string().optional(),
  size: triple.optional(),
  kept: z.record(z.string(), z.string()),
}) as unknown as z.ZodType<Experiment>;

export const rawSchema = z.object({
  count: z.number().int(),
  h: z.instanceof(Int16Array),
  k: z.instanceof(Int16Array),
  l: z.instanceof(Int16Array),
  intensity: z.instanceof(Float64Array),
  sigma: z.instanceof(Float64Array),
  batch: z.instanceof(Int16Array).optional(),
  beams: z.instanceof(Float32Array).optional(),
  merged: z.boolean(),
}) as unknown as z.ZodType<RawReflections>;

export const mergedSchema = z.object({
  count: z.number().int(),
  h: z.instanceof(Int16Array),
  k: z.instanceof(Int16Array),
  l: z.instanceof(Int16Array),
  fsq: z.instanceof(Float64Array),
  sigma: z.instanceof(Float64Array),
  multiplicity: z.instanceof(Uint16Array),
}) as unknown as z.ZodType<MergedReflections>;

export const treatmentSchema = z.object({
  dMin: z.number().optional(),
  dMax: z.number().optional(),
  extinction: z.boolean().optional(),
  excluded: z
    .array(z.object({ h: z.number().int(), k: z.number().int(), l: z.number().int(), reason: z.string() }))
    .optional(),
  twins: z
    .array(
      z.object({
        law: nine,
        fraction: z.number(),
        su: z.number().optional(),
        name: z.string(),
        overlaps: z
          .object({
            h: z.instanceof(Int16Array),
            k: z.instanceof(Int16Array),
            l: z.instanceof(Int16Array),
            h2: z.instanceof(Int16Array),
            k2: z.instanceof(Int16Array),
            l2: z.instanceof(Int16Array),
          })
          .optional(),
      }),
    )
    .optional(),
  mask: z
    .object({
      h: z.instanceof(Int16Array),
      k: z.instanceof(Int16Array),
      l: z.instanceof(Int16Array),
      a: z.instanceof(Float64Array),
      b: z.instanceof(Float64Array),
      volume: z.number(),
      electrons: z.number(),
      voids: z.array(z.object({ centre: triple, volume: z.number(), electrons: z.number() })),
    })
    .optional(),
}) as unknown as z.ZodType<Treatment>;

export const weightsSchema = z.object({ a: z.number(), b: z.number() });

/** The fields of an experiment, for tasks that take one with more beside it. */
export const experimentFields = {
  structure: structureSchema,
  reflections: mergedSchema,
  wavelength: z.number().positive(),
  treatment: treatmentSchema,
  weights: weightsSchema,
  extinction: z.number(),
};
