/** What a structure lets expect of a measurement. */
import { z } from 'zod';
import type { Structure } from '../crystal/structure.ts';
import {
  expectedFactors,
  expectedPattern,
  reciprocalLayer,
  type ExpectedPattern,
  type LayerAxis,
  type ReciprocalLayer,
  type StructureFactor,
} from '../powder/expected.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

const indices = { h: figure, k: figure, l: figure };
const patternSchema = z.strictObject({
  lines: z.array(
    z.strictObject({ ...indices, d: figure, twoTheta: figure, multiplicity: figure, f2: figure, intensity: figure }),
  ),
  curve: z.strictObject({ from: figure, step: figure, values: z.instanceof(Float32Array) }),
});

export interface PatternRequest {
  readonly structure: Structure;
  /** Å */
  readonly wavelength: number;
  /** Degrees 2θ. */
  readonly from: number;
  readonly to: number;
  readonly width: number;
}

export const expectedPatternTask = task<PatternRequest, ExpectedPattern, never>({
  name: 'expected pattern',
  input: z.strictObject({
    structure: structureSchema,
    wavelength: z.number(),
    from: z.number(),
    to: z.number(),
    width: z.number().min(0.001).max(10),
  }),
  output: patternSchema,
  run: async ({ structure, ...range }) => expectedPattern(structure, range),
});

const factorsSchema = z.array(z.strictObject({ ...indices, d: figure, f: figure, phase: figure }));

export const expectedFactorsTask = task<
  { readonly structure: Structure; readonly dMin: number; readonly wavelength: number },
  StructureFactor[],
  never
>({
  name: 'expected factors',
  input: z.strictObject({ structure: structureSchema, dMin: z.number(), wavelength: z.number().min(0) }),
  output: factorsSchema,
  run: async ({ structure, dMin, wavelength }) => expectedFactors(structure, dMin, wavelength),
});

const pairSchema = z.tuple([figure, figure]);
const layerSchema = z.strictObject({
  spots: z.array(z.strictObject({ hkl: vec3Schema, x: figure, y: figure, f: figure, isForbidden: z.boolean() })),
  axes: z.tuple([pairSchema, pairSchema]),
  radius: figure,
});

export interface LayerRequest {
  readonly structure: Structure;
  readonly axis: LayerAxis;
  readonly level: number;
  readonly dMin: number;
  readonly wavelength: number;
}

export const reciprocalLayerTask = task<LayerRequest, ReciprocalLayer, never>({
  name: 'reciprocal layer',
  input: z.strictObject({
    structure: structureSchema,
    axis: z.union([z.literal(0), z.literal(1), z.literal(2)]),
    level: z.number().int().min(-60).max(60),
    dMin: z.number(),
    wavelength: z.number().min(0),
  }),
  output: layerSchema,
  run: async ({ structure, ...layer }) => reciprocalLayer(structure, layer),
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof patternSchema, ExpectedPattern>,
    SameType<typeof factorsSchema, StructureFactor[]>,
    SameType<typeof layerSchema, ReciprocalLayer>,
  ]
>;
