/** Tracing rays through a scene, a piece of the picture at a time. */
import { z } from 'zod';
import type { Size } from '../draw/camera.ts';
import { FINISHES, Tracer, type Tile, type TraceOptions } from '../draw/ray-trace.ts';
import type { Scene } from '../draw/scene.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { shaped, task } from './task.ts';

export interface TraceInput {
  readonly scene: Scene;
  readonly size: Size;
  readonly options: TraceOptions;
  readonly tile: Tile;
}

const pixels = z.number().int().min(1).max(20000);
const optionsSchema = z.strictObject({
  samples: z.number().int().min(1).max(6),
  shadows: z.number().int().min(0).max(64),
  occlusion: z.number().int().min(0).max(64),
  shared: z.union([z.literal(1), z.literal(2), z.literal(4)]),
  outline: z.boolean(),
  finish: z.enum(FINISHES),
  clear: z.boolean(),
});
const tileSchema = z.strictObject({
  x: z.number().int().min(0),
  y: z.number().int().min(0),
  width: pixels,
  height: pixels,
});
const sizeSchema = z.strictObject({ width: pixels, height: pixels });

/** The tracer used last: pieces of one picture come one after another, and its boxes are sorted once. */
let last: { key: string; scene: Scene; tracer: Tracer } | undefined;

function tracerOf({ scene, size, options }: TraceInput): Tracer {
  const key = JSON.stringify([size, options]);
  if (last?.scene !== scene || last.key !== key) last = { key, scene, tracer: new Tracer(scene, size, options) };
  return last.tracer;
}

/** Red, green, blue and cover of each pixel of the tile. */
export const traceTask = task<TraceInput, Uint8ClampedArray, never>({
  input: z.strictObject({
    // Made by our own page, and too large to be read piece by piece.
    scene: shaped<Scene>(['layers', 'camera', 'light', 'ground']),
    size: sizeSchema,
    options: optionsSchema,
    tile: tileSchema,
  }),
  output: z.instanceof(Uint8ClampedArray),
  run: async (input) => tracerOf(input).tile(input.tile),
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<
  [SameType<typeof optionsSchema, TraceOptions>, SameType<typeof tileSchema, Tile>, SameType<typeof sizeSchema, Size>]
>;
