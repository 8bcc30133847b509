/** Jobs of Intake beyond merging: scaling and absorption, diagnosis of the data, comparison of data sets. */
import { z } from 'zod';
import { comparisonSchema, diagnosisSchema, latticePointsSchema, scalingSchema } from './data-schemas.ts';
import type { Cell } from '../crystal/cell.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import { transformReflections, type RawReflections } from '../crystal/reflections.ts';
import type { Mat3 } from '../math/matrix3.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import {
  anisotropy,
  compareSets,
  findRings,
  joinSets,
  withoutRings,
  type AnisotropyReading,
  type RingReading,
  type SetComparison,
} from '../data/diagnostics.ts';
import { latticePoints, observationsOf, type LatticePoints, type Observation } from '../data/lattice-points.ts';
import { mergeReflections } from '../data/merge.ts';
import { scaleObservations, type ScalingResult, type ScalingWish } from '../data/scaling.ts';
import { findSuperstructure, type Superstructure } from '../symmetry/opinion.ts';
import { cellSchema, faceSchema, mat3Schema, rawSchema, spaceGroupSchema } from './schemas.ts';
import { task } from './task.ts';

const base = { raw: rawSchema, cell: cellSchema, group: spaceGroupSchema };
export interface DataInput {
  raw: RawReflections;
  cell: Cell;
  group: SpaceGroup;
}
const laueOf = (g: SpaceGroup): ReturnType<typeof laueRotations> => laueRotations(rotationsOf(g));

export const scaleTask = task<DataInput & { wish: ScalingWish }, ScalingResult, number>({
  input: z.strictObject({
    ...base,
    wish: z.strictObject({
      batches: z.boolean(),
      decay: z.boolean(),
      harmonics: z.number().int().min(0).max(8),
      without: z.array(z.number().int()).optional(),
      faces: z.strictObject({ faces: z.array(faceSchema), mu: z.number().positive() }).optional(),
    }),
  }),
  output: scalingSchema,
  run: async (i, { progress }) => scaleObservations(i.raw, i.cell, laueOf(i.group), i.wish, progress),
});

export interface Diagnosis {
  anisotropy: AnisotropyReading;
  rings: RingReading[];
  superstructure: Superstructure[];
  batches: ScalingResult['batches'];
}

export const diagnoseTask = task<DataInput, Diagnosis, never>({
  input: z.strictObject(base),
  output: diagnosisSchema,
  run: async (i) => {
    const rotations = laueOf(i.group);
    return {
      anisotropy: anisotropy(mergeReflections(i.raw, i.cell, rotations, { shells: 1 }).reflections, i.cell),
      rings: i.raw.merged ? [] : findRings(i.raw, i.cell, rotations),
      superstructure: findSuperstructure(i.raw, i.cell, i.group),
      batches: i.raw.batch
        ? scaleObservations(i.raw, i.cell, rotations, { batches: false, decay: false, harmonics: 0 }).batches
        : [],
    };
  },
});

/** A further set joined to the data, or rings left out of them. */
export const reworkTask = task<
  { raw: RawReflections; cell: Cell; other?: RawReflections; rings?: readonly { d: number; width: number }[] },
  RawReflections,
  never
>({
  input: z.strictObject({
    raw: rawSchema,
    cell: cellSchema,
    other: rawSchema.optional(),
    rings: z.array(z.strictObject({ d: z.number(), width: z.number() })).optional(),
  }),
  output: rawSchema,
  run: async (i) => {
    const joined = i.other ? joinSets(i.raw, i.other) : i.raw;
    return i.rings ? withoutRings(joined, i.cell, i.rings) : joined;
  },
});

export const compareSetsTask = task<DataInput & { other: RawReflections }, SetComparison, never>({
  input: z.strictObject({ ...base, other: rawSchema }),
  output: comparisonSchema,
  run: async (i) =>
    compareSets(
      mergeReflections(i.raw, i.cell, laueOf(i.group), { shells: 1 }).reflections,
      mergeReflections(i.other, i.cell, laueOf(i.group), { shells: 1 }).reflections,
    ),
});

/** The reciprocal lattice for looking at. */
export const latticeTask = task<DataInput, LatticePoints, never>({
  input: z.strictObject(base),
  output: latticePointsSchema,
  run: async (i) => latticePoints(i.raw, i.cell, i.group),
});

/** Data carried to other axes; observations that become fractional are left out. */
export const axesTask = task<{ raw: RawReflections; p: Mat3 }, RawReflections, never>({
  input: z.strictObject({ raw: rawSchema, p: mat3Schema }),
  output: rawSchema,
  run: async (i) => transformReflections(i.raw, i.p).raw,
});

/** What was measured of one merged reflection. */
export const observationsTask = task<
  { raw: RawReflections; group: SpaceGroup; hkl: readonly [number, number, number] },
  readonly Observation[],
  never
>({
  input: z.strictObject({
    raw: rawSchema,
    group: spaceGroupSchema,
    hkl: z.tuple([z.number().int(), z.number().int(), z.number().int()]),
  }),
  output: z.array(
    z.strictObject({
      h: z.number(),
      k: z.number(),
      l: z.number(),
      intensity: z.number(),
      sigma: z.number(),
      batch: z.number().optional(),
    }),
  ),
  run: async (i) => observationsOf(i.raw, rotationsOf(i.group), i.hkl),
});
