/** Work on figures that is done beside the page: a figure to begin with, what a drawing shows, channels, the vector file. */
import { z } from 'zod';
import type { Definition } from '../contacts/definition.ts';
import type { AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { drawFigure, drawnLayers, type FigureStyle } from '../depict/draw-figure.ts';
import type { Drawing, Figure } from '../depict/figure.ts';
import type { FigureFields } from '../depict/figure-surfaces.ts';
import { figureSvg } from '../depict/page.ts';
import { measureBy, roughWidth } from '../depict/shapes.ts';
import { tracedPage, type Raster } from '../depict/traced-page.ts';
import { FULL } from '../draw/ray-trace.ts';
import { figureFrom, TEMPLATES, type TemplateId } from '../depict/templates.ts';
import { atomsOfExtent, type Extent } from '../draw/extent.ts';
import type { Layer } from '../draw/scene.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { channelPlaces, straightChannels, type Channel, type ChannelPlace } from '../geometry/channels.ts';
import { cagePlaces, findCages, type Cage } from '../space/cages.ts';
import { ringKinds, ringsThrough, type RingsOfKind } from '../geometry/ring-copies.ts';
import type { SampledMap } from '../maps/sample.ts';
import { definitionSchema } from './contacts-task.ts';
import { drawingSchema, figureSchema } from './figure-schemas.ts';
import { extentSchema } from './scene-task.ts';
import { atomPotentialsSchema, atomRefSchema, structureSchema, vec3Schema } from './schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { shaped, task } from './task.ts';

const refs = z.array(atomRefSchema);
const templateIds = TEMPLATES.map((t) => t.id) as [TemplateId, ...TemplateId[]];

export const newFigureTask = task<{ structure: Structure; template: TemplateId }, Figure, never>({
  input: z.strictObject({ structure: structureSchema, template: z.enum(templateIds) }),
  output: figureSchema,
  run: async ({ structure, template }) => figureFrom(structure, template),
});

export interface DrawingInput {
  readonly structure: Structure;
  readonly drawing: Drawing;
  readonly style: FigureStyle;
  /** Of contacts. */
  readonly definitions: readonly Definition[];
  readonly maps?: FigureFields;
}

const mapSchema = shaped<SampledMap>(['grid', 'values']);
const fieldsSchema = z.strictObject({
  difference: mapSchema.optional(),
  observed: mapSchema.optional(),
  doubled: mapSchema.optional(),
  deformation: mapSchema.optional(),
  potentials: atomPotentialsSchema.optional(),
});

export const drawingTask = task<DrawingInput, readonly Layer[], never>({
  input: z.strictObject({
    structure: structureSchema,
    drawing: drawingSchema,
    style: z.strictObject({ palette: z.string(), ground: z.string() }),
    definitions: z.array(definitionSchema),
    maps: fieldsSchema.optional(),
  }),
  // Tens of thousands of primitives that only our own worker sends.
  output: z.array(shaped<Layer>(['kind', 'name', 'items'])),
  run: async ({ structure, drawing, style, definitions, maps }) =>
    drawnLayers(structure, drawing, style, definitions, maps),
});

const channelSchema = z.strictObject({
  row: vec3Schema,
  width: z.number(),
  at: vec3Schema,
  lining: refs,
  count: z.number(),
});
const placeSchema = z.strictObject({ atoms: refs, ring: refs });

export const channelsTask = task<{ structure: Structure }, readonly Channel[], never>({
  input: z.strictObject({ structure: structureSchema }),
  output: z.array(channelSchema),
  run: async ({ structure }) => straightChannels(bonded(structure)),
});

export interface ChannelPlacesInput {
  readonly structure: Structure;
  readonly channel: Channel;
  /** Of the drawing: walls count whether they are hidden or not. */
  readonly extent: Extent;
  readonly added: readonly AtomRef[];
}
/** Where channels of a kind run through a part of the crystal. */
export const channelPlacesTask = task<ChannelPlacesInput, readonly ChannelPlace[], never>({
  input: z.strictObject({ structure: structureSchema, channel: channelSchema, extent: extentSchema, added: refs }),
  output: z.array(placeSchema),
  run: async ({ structure, channel, extent, added }) => {
    const s = bonded(structure);
    return channelPlaces(s, channel, [...atomsOfExtent(s, extent), ...added]);
  },
});

const cageSchema = z.strictObject({
  at: vec3Schema,
  diameter: z.number(),
  window: z.number().optional(),
  atoms: refs,
  count: z.number(),
});

export const cagesTask = task<{ structure: Structure }, readonly Cage[], never>({
  input: z.strictObject({ structure: structureSchema }),
  output: z.array(cageSchema),
  run: async ({ structure }) => findCages(bonded(structure)),
});

export interface CagePlacesInput {
  readonly structure: Structure;
  readonly cage: Cage;
  readonly extent: Extent;
  readonly added: readonly AtomRef[];
  /** Where there are some, only cages that all of these belong to. */
  readonly picked: readonly AtomRef[];
}
/** The copies of a cage in a part of the crystal. */
export const cagePlacesTask = task<CagePlacesInput, readonly (readonly AtomRef[])[], never>({
  input: z.strictObject({
    structure: structureSchema,
    cage: cageSchema,
    extent: extentSchema,
    added: refs,
    picked: refs,
  }),
  output: z.array(refs),
  run: async ({ structure, cage, extent, added, picked }) => {
    const s = bonded(structure);
    return cagePlaces(s, cage, [...atomsOfExtent(s, extent), ...added], picked);
  },
});

const ringsSchema = z.strictObject({ name: z.string(), rings: z.array(refs) });
export interface DrawnRingsInput {
  readonly structure: Structure;
  readonly drawn: readonly AtomRef[];
  /** Where there are some, only the smallest rings through all of these. */
  readonly through: readonly AtomRef[];
}
/** Rings among what is drawn, by kind. */
export const drawnRingsTask = task<DrawnRingsInput, readonly RingsOfKind[], never>({
  input: z.strictObject({ structure: structureSchema, drawn: refs, through: refs }),
  output: z.array(ringsSchema),
  run: async ({ structure, drawn, through }) => {
    const s = bonded(structure);
    if (!through.length) return ringKinds(s, drawn);
    const rings = ringsThrough(s, through);
    return rings.length ? [{ name: 'through the picked atoms', rings }] : [];
  },
});

export interface FigureSvgInput {
  readonly figure: Figure;
  /** By drawing. */
  readonly structures: Readonly<Record<string, Structure>>;
  readonly definitions: readonly Definition[];
  /** By drawing. */
  readonly maps?: Readonly<Record<string, FigureFields>>;
  /** Width of letters in units of their size; roughly where absent. */
  readonly letters?: Readonly<Record<string, number>>;
}
const figureSvgInputSchema = z.strictObject({
  figure: figureSchema,
  structures: z.record(z.string(), structureSchema),
  definitions: z.array(definitionSchema),
  maps: z.record(z.string(), fieldsSchema).optional(),
  letters: z.record(z.string(), z.number()).optional(),
});

/** A figure as a vector file. */
export const figureSvgTask = task<FigureSvgInput, string, never>({
  input: figureSvgInputSchema,
  output: z.string(),
  run: async ({ figure, structures, definitions, maps, letters }) => {
    const { figure: fitted, scenes } = drawFigure(figure, structures, definitions, maps);
    return figureSvg(fitted, scenes, letters ? measureBy(letters) : roughWidth);
  },
});

/** Atoms, bonds and polyhedra from which browsers need too long for a vector file. */
const MANY = 4000;
/** Pixels across of a small picture. */
const THUMB = 480;

export interface FigureThumb {
  /** Where the figure is simple enough. */
  readonly svg?: string;
  readonly raster?: Raster;
}

/** A small picture of a figure: as vectors, or, where a great many things are drawn, as pixels. */
export const figureThumbTask = task<FigureSvgInput, FigureThumb, never>({
  input: figureSvgInputSchema,
  output: z.strictObject({
    svg: z.string().optional(),
    raster: z.strictObject({ width: z.number(), height: z.number(), data: z.instanceof(Uint8ClampedArray) }).optional(),
  }),
  run: async ({ figure, structures, definitions, maps, letters }) => {
    const { figure: fitted, scenes } = drawFigure(figure, structures, definitions, maps);
    const things = scenes.reduce((n, { layers }) => n + layers.reduce((m, l) => m + l.items.length, 0), 0);
    if (things > MANY) return { raster: tracedPage(fitted, scenes, THUMB, { ...FULL, shadows: 0, occlusion: 0 }) };
    return { svg: figureSvg(fitted, scenes, letters ? measureBy(letters) : roughWidth) };
  },
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof channelSchema, Channel>,
    SameType<typeof placeSchema, ChannelPlace>,
    SameType<typeof ringsSchema, RingsOfKind>,
    SameType<typeof fieldsSchema, FigureFields>,
  ]
>;
