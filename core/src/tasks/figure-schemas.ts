/** A figure at a door: in storage, in a file, on its way to a worker. */
import { z } from 'zod';
import { PROBES } from '../contacts/probes.ts';
import type { Figure } from '../depict/figure.ts';
import { PAINTED_BY, SHAPE_BY } from '../depict/figure-surfaces.ts';
import { COLOUR_RULES } from '../draw/colouring.ts';
import { LABEL_RULES, MEASURE_LABELS } from '../draw/label-rules.ts';
import { MAP_KINDS } from '../maps/residual.ts';
import { extentSchema, styleSchema, whichSchema } from './scene-task.ts';
import { givenFaceSchema } from './shape-task.ts';
import { atomRefSchema, bondingSchema, mat3Schema, vec3Schema } from './schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';

const text = z.string();
const id = text;
const number = z.number();
const refs = z.array(atomRefSchema);
const pair = z.tuple([number, number]);
const colour = z.string().regex(/^#[0-9a-f]{6}$/i);
const chosen = { which: whichSchema, others: z.boolean().optional() };

const ruleSchema = z.strictObject({
  ...chosen,
  id,
  on: z.boolean(),
  name: text.optional(),
  style: styleSchema.partial(),
  polyhedra: z
    .strictObject({
      opacity: number.min(0).max(1),
      colour: colour.optional(),
      edgeColour: colour.optional(),
      edgeWidth: number.min(0).max(20),
      showCentre: z.boolean(),
    })
    .optional(),
});
const labelsSchema = z.strictObject({
  ...chosen,
  id,
  on: z.boolean(),
  say: z.enum([...LABEL_RULES, ...MEASURE_LABELS]),
});
const hidingSchema = z.strictObject({
  id,
  words: text,
  chosen: z.strictObject(chosen).optional(),
  bonds: z.array(z.tuple([atomRefSchema, atomRefSchema])).optional(),
  polyhedra: refs.optional(),
});
const surfaceBase = { id, colour, opacity: number.min(0).max(1) };
export const figureSurfaceSchema = z.union([
  z.strictObject({
    ...surfaceBase,
    kind: z.literal('map'),
    map: z.enum(MAP_KINDS),
    level: number,
    below: colour.optional(),
  }),
  z.strictObject({
    ...surfaceBase,
    kind: z.literal('wishes'),
    probe: z.enum(PROBES),
    share: number.min(0).max(1),
    of: atomRefSchema.optional(),
  }),
  z.strictObject({
    ...surfaceBase,
    kind: z.literal('molecule'),
    by: z.enum(['density', 'distance']),
    painted: z.enum(PAINTED_BY).optional(),
    of: atomRefSchema.optional(),
  }),
  z.strictObject({ ...surfaceBase, kind: z.literal('voids'), probe: number.min(0).max(20) }),
  z.strictObject({ ...surfaceBase, kind: z.literal('ways'), probe: number.min(0).max(20), tubes: colour }),
  z.strictObject({
    ...surfaceBase,
    kind: z.literal('shape'),
    by: z.enum(SHAPE_BY),
    given: z.array(givenFaceSchema).readonly().optional(),
    complete: z.boolean().optional(),
    edges: z.boolean(),
    names: z.boolean(),
  }),
]);
const planeSchema = z.strictObject({ id, indices: vec3Schema, height: number, colour });
export const drawingSchema = z.strictObject({
  id,
  mark: text.optional(),
  extent: extentSchema,
  rules: z.array(ruleSchema),
  labels: z.array(labelsSchema),
  moved: z.record(text, pair).readonly(),
  hiding: z.array(hidingSchema),
  added: refs,
  bonding: bondingSchema.optional(),
  showCell: z.boolean(),
  sectors: z.boolean(),
  colourBy: z.enum(COLOUR_RULES),
  contacts: z.array(text),
  planes: z.array(planeSchema),
  symmetry: z.boolean(),
  surfaces: z.array(figureSurfaceSchema).optional(),
});

const boxSchema = z.strictObject({ x: number, y: number, width: number.positive(), height: number.positive() });
const panelSchema = z.strictObject({
  id,
  drawing: id,
  view: z.strictObject({ rotation: mat3Schema, target: vec3Schema, scale: number.min(0) }),
  box: boxSchema,
  link: text.optional(),
});

const inkSchema = z.strictObject({
  colour,
  width: number.min(0).max(20),
  dashed: z.boolean(),
  fill: colour.optional(),
  size: number.positive().max(60),
});
const anchorSchema = z.union([
  z.strictObject({ kind: z.literal('page'), at: pair }),
  z.strictObject({ kind: z.literal('atoms'), panel: id, atoms: refs, off: pair }),
]);
const annotationBase = { id, ink: inkSchema.partial().optional() };
const kind = <K extends string>(name: K) => ({ ...annotationBase, kind: z.literal(name) });
const annotationSchema = z.union([
  z.strictObject({ ...kind('text'), at: anchorSchema, text }),
  z.strictObject({ ...kind('ellipse'), at: anchorSchema, rx: number, ry: number, angle: number }),
  z.strictObject({ ...kind('outline'), panel: id, atoms: refs, margin: number }),
  z.strictObject({
    ...kind('arrow'),
    from: anchorSchema,
    to: anchorSchema,
    heads: z.union([z.literal(1), z.literal(2)]),
  }),
  z.strictObject({ ...kind('bracket'), from: anchorSchema, to: anchorSchema, text }),
  z.strictObject({ ...kind('dimension'), panel: id, atoms: refs }),
  z.strictObject({ ...kind('compass'), panel: id, at: pair }),
  z.strictObject({ ...kind('scale bar'), panel: id, at: pair, length: number.positive() }),
]);

export const figureSchema = z.strictObject({
  id,
  name: text,
  width: number.min(10).max(2000),
  height: number.min(10).max(2000),
  dpi: number.min(36).max(2400),
  ground: colour,
  clear: z.boolean(),
  optics: z.strictObject({
    fieldOfView: number.min(0).max(80),
    cue: number.min(0).max(1),
    front: number.optional(),
    back: number.optional(),
  }),
  drawings: z.array(drawingSchema).min(1),
  panels: z.array(panelSchema).min(1),
  letters: z.boolean(),
  annotations: z.array(annotationSchema),
  ink: inkSchema,
  palette: text,
  legend: pair.optional(),
});

/** Schema and type say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof figureSchema, Figure>]>;
