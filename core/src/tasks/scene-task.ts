/** Building the layers of a large scene beside the page. */
import { z } from 'zod';
import type { Structure } from '../crystal/structure.ts';
import { buildLayers, type SceneWish } from '../draw/build-scene.ts';
import { COLOUR_RULES } from '../draw/colouring.ts';
import { LABEL_RULES, MEASURE_LABELS } from '../draw/label-rules.ts';
import { ATOM_LOOKS, BOND_COLOURINGS } from '../draw/style.ts';
import type { Layer } from '../draw/scene.ts';
import { atomRefSchema, bondingSchema, structureSchema, vec3Schema } from './schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { shaped, task } from './task.ts';

const text = z.string();
const refs = z.array(atomRefSchema);
const kind = <K extends string>(name: K) => ({ kind: z.literal(name) });

export const extentSchema = z.union([
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
  z.strictObject({ ...kind('coordination'), elements: z.array(text), number: z.number() }),
  z.strictObject({ ...kind('bonded to'), elements: z.array(text) }),
  z.strictObject({ ...kind('near'), elements: z.array(text), distance: z.number().positive().max(20) }),
  z.strictObject({ ...kind('nets'), dimension: z.union([z.literal(0), z.literal(1), z.literal(2), z.literal(3)]) }),
  z.strictObject(kind('copies')),
  z.strictObject(kind('originals')),
]);
const bondLookSchema = z.strictObject({
  colouring: z.enum(BOND_COLOURINGS),
  colour: text,
  size: z.number().positive(),
  dashes: z.enum(['none', 'partial', 'all']),
  hidden: z.boolean(),
  hollow: z.boolean().optional(),
});
export const styleSchema = z.strictObject({
  look: z.enum(ATOM_LOOKS),
  probability: z.number(),
  size: z.number(),
  colour: text.optional(),
  opacity: z.number(),
  fade: z.number(),
  hidden: z.boolean(),
  open: z.boolean().optional(),
  bonds: bondLookSchema.optional(),
  bondRank: z.number().optional(),
});
export const styleRuleSchema = z.strictObject({
  which: whichSchema,
  others: z.boolean().optional(),
  style: styleSchema.partial(),
});
export const polyhedronRuleSchema = z.strictObject({
  centre: z.union([
    z.strictObject({ ...kind('element'), element: text }),
    z.strictObject({ ...kind('site'), site: text }),
    z.strictObject({ ...kind('chosen'), which: whichSchema, others: z.boolean().optional() }),
  ]),
  opacity: z.number().min(0).max(1),
  edges: z.boolean(),
  showCentre: z.boolean(),
  colour: text.optional(),
  edgeColour: text.optional(),
  edgeWidth: z.number().min(0).optional(),
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
  rules: z.array(styleRuleSchema),
  showCell: z.boolean(),
  labels: z.enum(LABEL_RULES),
  colours: coloursSchema,
  colourBy: z.enum(COLOUR_RULES).optional(),
  bonding: bondingSchema.optional(),
  polyhedra: z.array(polyhedronRuleSchema).optional(),
  added: refs.optional(),
  sectors: z.boolean().optional(),
  withoutPolyhedra: refs.optional(),
  withoutBonds: z.array(z.tuple([atomRefSchema, atomRefSchema])).optional(),
  labelRules: z
    .array(
      z.strictObject({
        which: whichSchema,
        others: z.boolean().optional(),
        say: z.enum([...LABEL_RULES, ...MEASURE_LABELS]),
      }),
    )
    .optional(),
});
/** The wish and its schema say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof wishSchema, SceneWish>]>;

export const sceneTask = task<{ structure: Structure; wish: SceneWish }, readonly Layer[], never>({
  input: z.strictObject({ structure: structureSchema, wish: wishSchema }),
  // Tens of thousands of primitives that only our own worker sends: reading each would cost more than building it.
  output: z.array(shaped<Layer>(['kind', 'name', 'items'])),
  run: async ({ structure, wish }) => buildLayers(structure, wish),
});
