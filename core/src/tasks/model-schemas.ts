/** Zod schemas of solving, refining and settling, and of what is proposed for a model. */
import { z } from 'zod';
import { SHAPES } from '../crystal/controls.ts';
import type { TwinLaw } from '../data/twin-laws.ts';
import type { Surface } from '../maps/isosurface.ts';
import type { Match as MoleculeMatch, MoleculeGraph } from '../model/expected.ts';
import type { HydrogenPlan, JudgedPlaces } from '../model/hydrogen-plan.ts';
import type { Fragment, PlaceProposal } from '../model/second-place.ts';
import type { RefineResult } from '../refine/single-crystal.ts';
import type { ElementReading } from '../settle/elements.ts';
import type { SettleResult } from '../settle/settle.ts';
import type { Stage } from '../settle/stage.ts';
import type { PhaseInput, PhaseResult } from '../solve/phase.ts';
import type { SolveResult } from '../solve/solve.ts';
import { candidateSchema, covarianceSchema, figure, mapSchema, readingsSchema } from './result-schemas.ts';
import type { AllTrue, SameBut, SameType } from './same-type.ts';
import {
  absoluteSchema,
  cellSchema,
  mat3Schema,
  spaceGroupSchema,
  structureSchema,
  treatmentSchema,
  vec3Schema,
} from './schemas.ts';

const text = z.string();
const count = z.number().int();
const flag = z.boolean();
const singles = z.instanceof(Float32Array);
const shorts = z.instanceof(Int16Array);
const gridSchema = z.strictObject({ nx: count, ny: count, nz: count });

const phasingDataSchema = z.strictObject({
  cell: cellSchema,
  grid: gridSchema,
  h: shorts,
  k: shorts,
  l: shorts,
  amplitude: z.instanceof(Float64Array),
  dMin: figure,
});
export const phaseInputSchema = z.strictObject({
  data: phasingDataSchema,
  groups: z.array(spaceGroupSchema),
  seed: count,
  maxIterations: count,
});
export const phaseResultSchema = z.strictObject({
  seed: count,
  iterations: count,
  converged: flag,
  skewness: figure,
  phases: singles,
  matches: z.array(z.strictObject({ group: count, score: figure, worst: figure, origin: vec3Schema })),
});
export const solveResultSchema = z.strictObject({
  candidates: z.array(candidateSchema),
  seedsTried: count,
  nextSeed: count,
  seconds: figure,
  message: text,
});
const stateSchema = z.enum(['settled', 'moving', 'diverged']);
export const refineResultSchema = z.strictObject({
  structure: structureSchema,
  readings: readingsSchema,
  history: z.array(
    z.strictObject({ cycle: count, r1: figure, wr2: figure, s: figure, maxShiftOverSu: figure, maxShiftOf: text }),
  ),
  state: stateSchema,
  message: text,
  covariance: covarianceSchema.optional(),
  undetermined: z.array(text),
});
const stageSchema = z.strictObject({
  title: text,
  cycles: count,
  structure: structureSchema,
  readings: readingsSchema,
  map: mapSchema,
  treatment: treatmentSchema,
  state: stateSchema,
  message: text,
  covariance: covarianceSchema.optional(),
});
export const settleResultSchema = z.strictObject({
  stage: stageSchema,
  stages: z.array(
    z.strictObject({
      title: text,
      cycles: count,
      r1: figure,
      wr2: figure,
      s: figure,
      parameters: count,
      peak: figure,
      hole: figure,
      message: text,
    }),
  ),
  decisions: z.array(text),
  settled: flag,
  message: text,
  absolute: absoluteSchema.optional(),
});

const partnerSchema = z.strictObject({ label: text, distance: figure, reach: figure, angle: figure });
const shapeSchema = z.union([z.enum(SHAPES), z.literal('none')]);
export const hydrogenPlanSchema = z.strictObject({
  rows: z.array(
    z.strictObject({
      key: text,
      parent: text,
      label: text,
      element: text,
      shape: shapeSchema,
      count,
      hold: z.enum(['riding', 'rotating', 'restrained', 'free']),
      length: figure,
      uFactor: figure,
      positions: z.array(vec3Schema),
      density: z.array(figure),
      partners: z.array(partnerSchema),
      circle: z.array(figure).optional(),
      torsion: figure.optional(),
      why: text,
      confidence: z.enum(['sure', 'likely', 'look']),
      options: z.array(z.strictObject({ shape: shapeSchema, count, score: figure, why: text })),
      disorder: z.strictObject({ assembly: text, group: text }).optional(),
      weight: figure,
      warning: text.optional(),
    }),
  ),
  typical: figure.optional(),
  sigma: figure.optional(),
  proposed: figure,
  expected: figure.optional(),
});
export const judgedPlacesSchema = z.strictObject({ density: z.array(figure), partners: z.array(partnerSchema) });
export const proposalSchema = z.strictObject({
  positions: z.array(vec3Schema),
  density: figure,
  covered: count,
  atoms: count,
  moved: figure,
  how: text,
  score: figure,
});
export const fragmentSchema = z.strictObject({
  sites: z.array(count),
  positions: z.array(vec3Schema),
  anchors: z.array(z.strictObject({ atom: count, outside: vec3Schema, length: figure, site: count })),
  obstacles: z.array(z.strictObject({ place: vec3Schema, least: figure, site: count })),
});
export const elementReadingSchema = z.strictObject({
  site: count,
  label: text,
  element: text,
  occupancy: figure,
  su: figure,
  electrons: figure,
  fits: z.array(text),
  text,
});
export const twinLawSchema = z.strictObject({ law: mat3Schema, name: text, misfit: figure });
export const moleculeSchema = z.strictObject({
  atoms: z.array(
    z.strictObject({
      element: text,
      hydrogens: count.optional(),
      x: z.number().optional(),
      y: z.number().optional(),
    }),
  ),
  bonds: z.array(z.tuple([count, count])),
});
export const moleculeMatchSchema = z.strictObject({
  atoms: z.array(
    z
      .union([
        z.strictObject({ kind: z.literal('site'), site: count }),
        z.strictObject({ kind: z.literal('peak'), peak: text }),
      ])
      .or(z.undefined()),
  ),
  matched: count,
  extra: z.array(count),
  retype: z.array(z.strictObject({ site: count, to: text, atom: count })),
  missing: z.array(z.strictObject({ atom: count, element: text, nearPeak: text.optional(), beside: count.optional() })),
  disordered: z.array(z.strictObject({ site: count, beside: count })),
});
export const surfaceSchema = z.strictObject({ positions: singles, indices: z.instanceof(Uint32Array) });
const cornerSchema = z.tuple([z.number(), z.number(), z.number()]);
export const contourInputSchema = z.strictObject({
  grid: gridSchema,
  values: singles,
  cell: cellSchema,
  region: z.strictObject({ min: cornerSchema, max: cornerSchema }),
  level: z.number(),
  around: singles,
  reach: z.number(),
});

/** What the schemas say and what the types say are the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof phaseInputSchema, PhaseInput>,
    SameType<typeof phaseResultSchema, PhaseResult>,
    SameBut<typeof solveResultSchema, SolveResult, 'candidates'>,
    SameBut<typeof refineResultSchema, RefineResult, 'structure'>,
    SameBut<typeof stageSchema, Stage, 'structure'>,
    SameBut<typeof settleResultSchema, SettleResult, 'stage'>,
    SameType<typeof hydrogenPlanSchema, HydrogenPlan>,
    SameType<typeof judgedPlacesSchema, JudgedPlaces>,
    SameType<typeof proposalSchema, PlaceProposal>,
    SameType<typeof fragmentSchema, Fragment>,
    SameType<typeof elementReadingSchema, ElementReading>,
    SameType<typeof twinLawSchema, TwinLaw>,
    SameType<typeof moleculeSchema, MoleculeGraph>,
    SameType<typeof moleculeMatchSchema, MoleculeMatch>,
    SameType<typeof surfaceSchema, Surface>,
  ]
>;
