/** How the crystal is drawn in this browser: remembered from visit to visit. */
import { z } from 'zod';
import { remember, remembered } from './remembered.ts';

const extentKinds = ['unique', 'molecules', 'cell', 'closed cell', 'packed cell', 'block', 'sphere', 'slab'] as const;
const triple = z.tuple([z.number(), z.number(), z.number()]);

const viewSchema = z.strictObject({
  extent: z.enum(extentKinds),
  look: z.enum(['ellipsoids', 'balls', 'sticks', 'space-filling']),
  /** Probability inside the ellipsoids, 0–1. */
  probability: z.number().min(0.05).max(0.99),
  showHydrogen: z.boolean(),
  showCell: z.boolean(),
  labels: z.boolean(),
  /** Corners of a block, fractional. */
  block: z.strictObject({ from: triple, to: triple }),
  /** Å around the selection. */
  radius: z.number().positive().max(60),
  slab: z.strictObject({ plane: triple, from: z.number(), to: z.number() }),
});

export type ViewState = z.infer<typeof viewSchema>;

export const DEFAULT_VIEW: ViewState = {
  extent: 'unique',
  look: 'ellipsoids',
  probability: 0.5,
  showHydrogen: true,
  showCell: true,
  labels: true,
  block: { from: [0, 0, 0], to: [2, 1, 1] },
  radius: 6,
  slab: { plane: [0, 0, 1], from: 0, to: 1 },
};

const KEY = 'view 2';

/** What this browser remembers; the usual view where it remembers nothing, or something that is none. */
export const rememberedView = (): ViewState => remembered(KEY, viewSchema, DEFAULT_VIEW);

export const rememberView = (view: ViewState): void => remember(KEY, view);
