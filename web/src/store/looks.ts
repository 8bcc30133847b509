/** How a project's crystal is drawn and what is pinned on it: kept with the project, taken back by undo. */
import { z } from 'zod';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Bonding } from '@nagare/core/crystal/bonding';
import type { Figure } from '@nagare/core/depict/figure';
import type { PolyhedronRule } from '@nagare/core/draw/polyhedra';
import type { StyleRule } from '@nagare/core/draw/style';
import type { Mat3, Vec3 } from '@nagare/core/math/matrix3';
import type { Thing } from '@nagare/core/geometry/things';
import { atomRefSchema, bondingSchema, mat3Schema, vec3Schema } from '@nagare/core/tasks/schemas';
import { figureSchema } from '@nagare/core/tasks/figure-schemas';
import { polyhedronRuleSchema, styleRuleSchema } from '@nagare/core/tasks/scene-task';
import type { AllTrue, SameType } from '@nagare/core/tasks/same-type';
import { viewSchema, type ViewState } from './view-state.ts';

/** A thing made of atoms that was given a name, to be measured against others. */
export interface NamedThing {
  readonly id: string;
  readonly name: string;
  readonly thing: Thing;
}

/** A measure that stays: in the scene, in the table, in the CIF. */
export interface Pin {
  readonly id: string;
  readonly things: readonly Thing[];
  /** Of the things, as they were called when it was pinned. */
  readonly names: readonly string[];
}

/** Where the viewer stood. */
export interface NamedView {
  readonly id: string;
  readonly name: string;
  readonly rotation: Mat3;
  readonly target: Vec3;
  /** Å per pixel. */
  readonly scale: number;
}

export interface Looks {
  /** As it is proposed where absent. */
  readonly bonding?: Bonding;
  readonly polyhedra: readonly PolyhedronRule[];
  /** Styles of parts, later ones winning. */
  readonly rules: readonly StyleRule[];
  readonly hiddenAtoms: readonly AtomRef[];
  /** Atoms drawn beside those of the extent: grown by hand. */
  readonly addedAtoms: readonly AtomRef[];
  /** Å by site: where the neighbours of a centre end, instead of at the largest gap. */
  readonly cuts: Readonly<Record<string, number>>;
  readonly views: readonly NamedView[];
  readonly things: readonly NamedThing[];
  readonly pins: readonly Pin[];
  /** In the order of the strip. */
  readonly figures: readonly Figure[];
}

export const NO_LOOKS: Looks = {
  polyhedra: [],
  rules: [],
  hiddenAtoms: [],
  addedAtoms: [],
  cuts: {},
  views: [],
  things: [],
  pins: [],
  figures: [],
};

/** A change of some fields; a bonding of `undefined` goes back to what is proposed. */
export type LooksChange = Partial<Omit<Looks, 'bonding'>> & { readonly bonding?: Bonding | undefined };

export function changedLooks(looks: Looks, change: LooksChange): Looks {
  const { bonding: before, ...rest } = looks;
  const { bonding, ...more } = change;
  const kept = 'bonding' in change ? bonding : before;
  return { ...rest, ...more, ...(kept ? { bonding: kept } : {}) };
}

const id = z.string();
const thingSchema = z.union([
  z.strictObject({ kind: z.enum(['point', 'line', 'plane']), atoms: z.array(atomRefSchema) }),
  z.strictObject({ kind: z.literal('row'), direction: vec3Schema }),
  z.strictObject({
    kind: z.literal('element'),
    at: vec3Schema,
    axis: vec3Schema.optional(),
    plane: vec3Schema.optional(),
  }),
]);
const looksFields = {
  bonding: bondingSchema.optional(),
  polyhedra: z.array(polyhedronRuleSchema),
  rules: z.array(styleRuleSchema),
  hiddenAtoms: z.array(atomRefSchema),
  addedAtoms: z.array(atomRefSchema),
  cuts: z.record(z.string(), z.number().positive()).readonly(),
  views: z.array(
    z.strictObject({
      id,
      name: z.string(),
      rotation: mat3Schema,
      target: vec3Schema,
      scale: z.number().positive(),
    }),
  ),
  things: z.array(z.strictObject({ id, name: z.string(), thing: thingSchema })),
  pins: z.array(z.strictObject({ id, things: z.array(thingSchema), names: z.array(z.string()) })),
  // Projects of before figures were kept have none.
  figures: z.array(figureSchema).default([]),
};

/** What is stored of a project's looks. */
export interface LooksRow {
  projectId: string;
  view: ViewState;
  looks: Looks;
  /** Rows: where the viewer stands first; by the shape of the crystal where absent. */
  rotation?: Mat3;
}
const looksSchema = z.strictObject(looksFields);
export const looksRowSchema = z.strictObject({
  projectId: id,
  view: viewSchema,
  looks: looksSchema,
  rotation: mat3Schema.optional(),
});

/** Schema and type say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof looksSchema, Looks>]>;
