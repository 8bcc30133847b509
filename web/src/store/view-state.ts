/** How the crystal is drawn in this browser: remembered from visit to visit. */
import { z } from 'zod';
import { COLOUR_RULES } from '@nagare/core/draw/colouring';
import { LABEL_RULES } from '@nagare/core/draw/label-rules';
import { ATOM_LOOKS } from '@nagare/core/draw/style';
import { remember, remembered } from './remembered.ts';

const extentKinds = [
  'unique',
  'molecules',
  'motif',
  'cell',
  'closed cell',
  'packed cell',
  'block',
  'sphere',
  'net',
  'slab',
] as const;
const triple = z.tuple([z.number(), z.number(), z.number()]);

export const viewSchema = z.strictObject({
  extent: z.enum(extentKinds),
  look: z.enum(ATOM_LOOKS),
  /** Factor on the radii of balls and sticks. */
  size: z.number().min(0.2).max(3),
  colourBy: z.enum(COLOUR_RULES),
  /** Probability inside the ellipsoids, 0–1. */
  probability: z.number().min(0.05).max(0.99),
  showHydrogen: z.boolean(),
  showCell: z.boolean(),
  labels: z.enum(LABEL_RULES),
  /** Corners of a block, fractional. */
  block: z.strictObject({ from: triple, to: triple }),
  /** Å around the selection. */
  radius: z.number().positive().max(60),
  slab: z.strictObject({ plane: triple, from: z.number(), to: z.number() }),
  /** Å around the selection to which a chain, layer or framework is followed. */
  netRadius: z.number().positive().max(80),
  optics: z.strictObject({
    fieldOfView: z.number().min(0).max(80),
    cue: z.number().min(0).max(1),
    front: z.number().optional(),
    back: z.number().optional(),
  }),
});

export type ViewState = z.infer<typeof viewSchema>;

export const DEFAULT_VIEW: ViewState = {
  extent: 'unique',
  look: 'ellipsoids',
  size: 1,
  colourBy: 'element',
  probability: 0.5,
  showHydrogen: true,
  showCell: true,
  labels: 'label',
  block: { from: [0, 0, 0], to: [2, 1, 1] },
  radius: 6,
  slab: { plane: [0, 0, 1], from: 0, to: 1 },
  netRadius: 12,
  optics: { fieldOfView: 0, cue: 0 },
};

const KEY = 'view 3';

/** What this browser remembers; the usual view where it remembers nothing, or something that is none. */
export const rememberedView = (): ViewState => remembered(KEY, viewSchema, DEFAULT_VIEW);

export const rememberView = (view: ViewState): void => remember(KEY, view);
