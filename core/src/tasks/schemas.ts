/** Zod schemas at the doors: storage, files, worker and network messages. */
import { z } from 'zod';
import type { Cell } from '../crystal/cell.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import type { MergedReflections, RawReflections } from '../crystal/reflections.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Experiment } from '../formats/cif-data.ts';

const triple = z.tuple([z.number(), z.number(), z.number()]);
const six = z.tuple([z.number(), z.number(), z.number(), z.number(), z.number(), z.number()]);
const nine = z.array(z.number()).length(9);

export const cellSchema = z.object({ a: z.number().positive(), b: z.number().positive(), c: z.number().positive(), alpha: z.number(), beta: z.number(), gamma: z.number(), su: six.optional() }) as unknown as z.ZodType<Cell>;

const operator = z.object({ r: nine, t: triple });
export const spaceGroupSchema = z.object({
  number: z.number().int(), symbol: z.string(), hall: z.string(), code: z.string(), representatives: z.array(operator).min(1), centring: z.array(triple).min(1), centricAtOrigin: z.boolean(), centric: z.boolean(),
}) as unknown as z.ZodType<SpaceGroup>;

const displacement = z.union([
  z.object({ kind: z.literal('iso'), u: z.number(), su: z.number().optional() }),
  z.object({ kind: z.literal('aniso'), u: six, su: six.optional() }),
]);

export const siteSchema = z.object({
  id: z.string(), label: z.string(), element: z.string(), position: triple, positionSu: triple.optional(), occupancy: z.number(), occupancySu: z.number().optional(), displacement,
  disorder: z.object({ assembly: z.string(), group: z.string() }).optional(),
});

export const structureSchema = z.object({ cell: cellSchema, spaceGroup: spaceGroupSchema, sites: z.array(siteSchema) }) as unknown as z.ZodType<Structure>;

export const experimentSchema = z.object({
  wavelength: z.number().optional(), formula: z.record(z.string(), z.number()).optional(), z: z.number().optional(), temperature: z.number().optional(), colour: z.string().optional(), habit: z.string().optional(), size: triple.optional(),
  kept: z.record(z.string(), z.string()),
}) as unknown as z.ZodType<Experiment>;

export const rawSchema = z.object({
  count: z.number().int(), h: z.instanceof(Int16Array), k: z.instanceof(Int16Array), l: z.instanceof(Int16Array), intensity: z.instanceof(Float64Array), sigma: z.instanceof(Float64Array), batch: z.instanceof(Int16Array).optional(), merged: z.boolean(),
}) as unknown as z.ZodType<RawReflections>;

export const mergedSchema = z.object({
  count: z.number().int(), h: z.instanceof(Int16Array), k: z.instanceof(Int16Array), l: z.instanceof(Int16Array), fsq: z.instanceof(Float64Array), sigma: z.instanceof(Float64Array), multiplicity: z.instanceof(Uint16Array),
}) as unknown as z.ZodType<MergedReflections>;

export const weightsSchema = z.object({ a: z.number(), b: z.number() });
