/** Building the layers of a large scene beside the page. */
import { z } from 'zod';
import type { Structure } from '../crystal/structure.ts';
import { buildLayers, type SceneWish } from '../draw/build-scene.ts';
import { COLOUR_RULES } from '../draw/colouring.ts';
import { LABEL_RULES } from '../draw/label-rules.ts';
import { ATOM_LOOKS } from '../draw/style.ts';
import type { Layer } from '../draw/scene.ts';
import { atomRefSchema, bondingSchema, structureSchema, vec3Schema } from './schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { shaped, task } from './task.ts';

const text = z.string();
const refs = z.array(atomRefSchema);
const kind = <K extends string>(name: K) => ({ kind: z.literal(name) });

const extentSchema = z.union([
  z.strictObject(kind('unique')),
  z.strictObject(kind('molecules')),
  z.strictObject(kind('cell')),
  z.strictObject(kind('closed cell')),
  z.strictObject(kind('packed cell')),
  z.strictObject({ ...kind('block'), from: vec3Schema, to: vec3Schema }),
  z.strictObject({ ...kind('sphere'), around: refs, radius: z.number() }),
  z.strictObject({
    ...kind('slab'),
    plane: vec3Schema,
    from: z.number(),
    to: z.number(),
    radius: z.number(),
  }),
  z.strictObject(kind('motif')),
  z.strictObject({ ...kind('net'), of: refs, radius: z.number() }),
  z.strictObject({ ...kind('list'), atoms: refs }),
]);
export const whichSchema = z.union([
  z.strictObject(kind('all')),
  z.strictObject({ ...kind('element'), elements: z.array(text) }),
  z.strictObject({ ...kind('site'), sites: z.array(text) }),
  z.strictObject({ ...kind('group'), groups: z.array(text) }),
  z.strictObject(kind('lesser groups')),
  z.strictObject({ ...kind('molecule'), of: refs }),
  z.strictObject({ ...kind('selection'), atoms: refs }),
  z.strictObject(kind('copies')),
  z.strictObject(kind('originals')),
]);
export const styleSchema = z.strictObject({
  look: z.enum(ATOM_LOOKS),
  probability: z.number(),
  size: z.number(),
  colour: text.optional(),
  opacity: z.number(),
  fade: z.number(),
  hidden: z.boolean(),
});
export const polyhedronRuleSchema = z.strictObject({
  centre: z.union([
    z.strictObject({ ...kind('element'), element: text }),
    z.strictObject({ ...kind('site'), site: text }),
  ]),
  opacity: z.number().min(0).max(1),
  edges: z.boolean(),
  showCentre: z.boolean(),
});
const coloursSchema = z.strictObject({
  ground: text,
  ink: text,
  soft: text,
  indigo: text,
  water: text,
  vermilion: text,
  gold: text,
  pine: text,
});
const wishSchema = z.strictObject({
  extent: extentSchema,
  rules: z.array(z.strictObject({ which: whichSchema, style: styleSchema.partial() })),
  showCell: z.boolean(),
  labels: z.enum(LABEL_RULES),
  colours: coloursSchema,
  colourBy: z.enum(COLOUR_RULES).optional(),
  bonding: bondingSchema.optional(),
  polyhedra: z.array(polyhedronRuleSchema).optional(),
  added: refs.optional(),
});
/** The wish and its schema say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof wishSchema, SceneWish>]>;

export const sceneTask = task<{ structure: Structure; wish: SceneWish }, readonly Layer[], never>({
  name: 'scene',
  input: z.strictObject({ structure: structureSchema, wish: wishSchema }),
  // Tens of thousands of primitives that only our own worker sends: reading each would cost more than building it.
  output: z.array(shaped<Layer>(['kind', 'name', 'items'])),
  run: async ({ structure, wish }) => buildLayers(structure, wish),
});
