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
import type { Pattern } from '../crystal/pattern.ts';
import { measuredLines, similarityToMeasured, type PatternLine } from '../powder/similarity.ts';
import { patternSchema } from './data-schemas.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

const indices = { h: figure, k: figure, l: figure };
const expectedSchema = z.strictObject({
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
  input: z.strictObject({
    structure: structureSchema,
    wavelength: z.number(),
    from: z.number(),
    to: z.number(),
    width: z.number().min(0.001).max(10),
  }),
  output: expectedSchema,
  run: async ({ structure, ...range }) => expectedPattern(structure, range),
});

export interface MeasuredBeside {
  /** 0 … 1 */
  readonly similarity: number;
  /** The measured pattern without its background. */
  readonly points: readonly PatternLine[];
}

const measuredSchema = z.strictObject({
  similarity: figure,
  points: z.array(z.strictObject({ twoTheta: figure, intensity: figure })),
});

/** A structure's pattern at a wavelength (Å) beside a measured one. */
export const measuredBesideTask = task<
  { readonly structure: Structure; readonly wavelength: number; readonly pattern: Pattern },
  MeasuredBeside,
  never
>({
  input: z.strictObject({ structure: structureSchema, wavelength: z.number(), pattern: patternSchema }),
  output: measuredSchema,
  run: async ({ structure, wavelength, pattern }) => {
    const points = measuredLines(pattern);
    const [from, to] = [points[0]!.twoTheta, points.at(-1)!.twoTheta];
    const { lines } = expectedPattern(structure, { wavelength, from, to, width: 1 });
    return { similarity: similarityToMeasured(lines, points), points };
  },
});

const factorsSchema = z.array(z.strictObject({ ...indices, d: figure, f: figure, phase: figure }));

export const expectedFactorsTask = task<
  { readonly structure: Structure; readonly dMin: number; readonly wavelength: number },
  StructureFactor[],
  never
>({
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
    SameType<typeof expectedSchema, ExpectedPattern>,
    SameType<typeof measuredSchema, MeasuredBeside>,
    SameType<typeof factorsSchema, StructureFactor[]>,
    SameType<typeof layerSchema, ReciprocalLayer>,
  ]
>;
