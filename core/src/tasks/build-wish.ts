/** What can be made of a structure, as the page asks for it. */
import { z } from 'zod';
import { REMEDIES, type Remedy } from '../build/cut-slab.ts';
import type { SiteValues } from '../build/edit-sites.ts';
import type { GuestAtom, Placing } from '../build/guest.ts';
import type { Slice } from '../build/slice.ts';
import type { CommonCell, StackWish } from '../build/stack.ts';
import type { Strain } from '../build/strain.ts';
import type { NamedCell } from '../build/supercell.ts';
import type { VacuumChoice } from '../build/surface.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Mat2 } from '../math/matrix2.ts';
import type { Mat3, Vec3 } from '../math/matrix3.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameBut, SameType } from './same-type.ts';
import { mat3Schema, structureSchema, vec3Schema } from './schemas.ts';

/** Other axes, or another size. */
export type CellWish =
  | { readonly kind: 'supercell'; readonly matrix: Mat3; readonly symmetry: boolean }
  | { readonly kind: 'named'; readonly which: NamedCell }
  /** Columns in terms of the axes of the primitive cell. */
  | { readonly kind: 'shaped'; readonly matrix: Mat3 }
  | { readonly kind: 'strain'; readonly strain: Strain }
  | { readonly kind: 'slice'; readonly slice: Slice }
  | { readonly kind: 'origin'; readonly origin: Vec3 };

/** Something with nothing above it. */
export type SurfaceWish =
  /** The cut that suits best where no termination is named. */
  | {
      readonly kind: 'slab';
      readonly plane: Vec3;
      readonly layers: number;
      readonly termination?: number;
      readonly remedy?: Remedy;
      readonly inPlane?: Mat2;
      readonly vacuum: VacuumChoice;
    }
  | { readonly kind: 'layer'; readonly count: number; readonly vacuum: VacuumChoice }
  | { readonly kind: 'net'; readonly net: 'chain' | 'cluster'; readonly vacuum: number }
  /** The upper layer of another structure, or of the same one. */
  | { readonly kind: 'stack'; readonly upper?: Structure; readonly stack: StackWish }
  | { readonly kind: 'guest'; readonly guest: readonly GuestAtom[]; readonly name: string; readonly placing: Placing };

/** Other atoms. Sites by their ids. */
export type AtomsWish =
  /** One of the ordered models, 0 the one of lowest energy. */
  | { readonly kind: 'ordered'; readonly matrix: Mat3; readonly index: number }
  /** The same over every cell of up to so many primitive ones. */
  | { readonly kind: 'ordered up to'; readonly cells: number; readonly index: number }
  | { readonly kind: 'substitute'; readonly site: string; readonly element: string; readonly rescale: boolean }
  | { readonly kind: 'change'; readonly site: string; readonly values: SiteValues }
  | { readonly kind: 'add'; readonly element: string; readonly position: Vec3; readonly values: SiteValues }
  | { readonly kind: 'remove'; readonly sites: readonly string[] }
  /** Å, x ∥ a, z ∥ c*. */
  | { readonly kind: 'move'; readonly sites: readonly string[]; readonly by: Vec3 }
  | { readonly kind: 'split'; readonly site: string; readonly element: string; readonly share: number }
  | { readonly kind: 'merge'; readonly sites: readonly string[] }
  | { readonly kind: 'balance'; readonly site: string }
  | { readonly kind: 'hydrogens' };

/** What is to be made of a structure. */
export type BuildWish = CellWish | SurfaceWish | AtomsWish;

export const mat2Schema = z.tuple([z.number(), z.number(), z.number(), z.number()]);
const vacuumSchema = z.strictObject({
  vacuum: z.number().min(0).max(500),
  along: z.enum(['normal', 'oblique']),
  bothSides: z.boolean(),
});
const cellSchemas = [
  z.strictObject({ kind: z.literal('supercell'), matrix: mat3Schema, symmetry: z.boolean() }),
  z.strictObject({ kind: z.literal('named'), which: z.enum(['primitive', 'conventional', 'reduced']) }),
  z.strictObject({ kind: z.literal('shaped'), matrix: mat3Schema }),
  z.strictObject({
    kind: z.literal('strain'),
    strain: z.union([
      z.strictObject({ by: z.literal('constants'), constants: z.array(z.number()) }),
      z.strictObject({ by: z.literal('tensor'), components: z.array(z.number()) }),
    ]),
  }),
  z.strictObject({
    kind: z.literal('slice'),
    slice: z.strictObject({
      axis: z.union([z.literal(0), z.literal(1), z.literal(2)]),
      from: z.number(),
      to: z.number(),
      close: z.boolean(),
    }),
  }),
  z.strictObject({ kind: z.literal('origin'), origin: vec3Schema }),
] as const;
export const commonCellSchema = z.strictObject({
  lower: mat2Schema,
  upper: mat2Schema,
  twist: figure,
  strain: z.tuple([figure, figure]),
  area: figure,
  atoms: figure,
});
const stackSchema = z.strictObject({
  kind: z.literal('stack'),
  upper: structureSchema.optional(),
  stack: z.strictObject({
    cell: commonCellSchema,
    fit: z.enum(['upper', 'both']),
    order: z.array(z.union([z.literal(0), z.literal(1)])).max(40),
    distance: z.number(),
    shift: z.tuple([z.number(), z.number()]),
    vacuum: vacuumSchema,
  }),
});
const surfaceSchemas = [
  z.strictObject({
    kind: z.literal('slab'),
    plane: vec3Schema,
    layers: z.number(),
    termination: z.number().optional(),
    remedy: z.enum(REMEDIES).optional(),
    inPlane: mat2Schema.optional(),
    vacuum: vacuumSchema,
  }),
  z.strictObject({ kind: z.literal('layer'), count: z.number(), vacuum: vacuumSchema }),
  z.strictObject({ kind: z.literal('net'), net: z.enum(['chain', 'cluster']), vacuum: z.number() }),
  z.strictObject({
    kind: z.literal('guest'),
    guest: z.array(z.strictObject({ element: z.string(), at: vec3Schema })).max(400),
    name: z.string(),
    placing: z.strictObject({ over: vec3Schema, height: z.number(), anchor: z.number().int(), turns: vec3Schema }),
  }),
] as const;
const valuesSchema = z.strictObject({
  label: z.string().max(40).optional(),
  element: z.string().optional(),
  position: vec3Schema.optional(),
  occupancy: z.number().optional(),
  u: z.number().optional(),
  charge: z.number().nullable().optional(),
});
const sitesSchema = z.array(z.string());
const atomsSchemas = [
  z.strictObject({ kind: z.literal('ordered'), matrix: mat3Schema, index: z.number().int().min(0) }),
  z.strictObject({
    kind: z.literal('ordered up to'),
    cells: z.number().int().min(1).max(12),
    index: z.number().int().min(0),
  }),
  z.strictObject({ kind: z.literal('substitute'), site: z.string(), element: z.string(), rescale: z.boolean() }),
  z.strictObject({ kind: z.literal('change'), site: z.string(), values: valuesSchema }),
  z.strictObject({ kind: z.literal('add'), element: z.string(), position: vec3Schema, values: valuesSchema }),
  z.strictObject({ kind: z.literal('remove'), sites: sitesSchema }),
  z.strictObject({ kind: z.literal('move'), sites: sitesSchema, by: vec3Schema }),
  z.strictObject({ kind: z.literal('split'), site: z.string(), element: z.string(), share: z.number() }),
  z.strictObject({ kind: z.literal('merge'), sites: sitesSchema }),
  z.strictObject({ kind: z.literal('balance'), site: z.string() }),
  z.strictObject({ kind: z.literal('hydrogens') }),
] as const;
const cellWishSchema = z.union(cellSchemas);
const surfaceWishSchema = z.union(surfaceSchemas);
const atomsWishSchema = z.union(atomsSchemas);
export const wishSchema = z.union([cellWishSchema, surfaceWishSchema, stackSchema, atomsWishSchema]);

type WishOf<K extends BuildWish['kind']> = Extract<BuildWish, { kind: K }>;

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof cellWishSchema, CellWish>,
    SameType<typeof atomsWishSchema, AtomsWish>,
    SameType<typeof commonCellSchema, CommonCell>,
    SameType<typeof surfaceWishSchema, Exclude<SurfaceWish, { kind: 'stack' }>>,
    SameBut<typeof stackSchema, WishOf<'stack'>, 'upper'>,
  ]
>;
