/** What Relate shows of a structure at once: its rings, how they lie to one another, and what surrounds its centres. */
import { z } from 'zod';
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { Surroundings, type Coordination } from '../geometry/coordination.ts';
import { ionBalance, type IonBalance } from '../geometry/ion-balance.ts';
import { readRing, ringRelations, type RingReading, type RingRelation } from '../geometry/ring-readings.ts';
import { findRings } from '../geometry/rings.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { covarianceSchema, figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { atomRefSchema, structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

export interface RelateInput {
  readonly structure: Structure;
  /** Å between the centroids of rings. */
  readonly reach: number;
  readonly covariance?: CovarianceData;
  /** Å by site id: where its neighbours end, instead of at the largest gap. */
  readonly cuts?: Readonly<Record<string, number>>;
}

export interface Relations {
  readonly rings: readonly RingReading[];
  readonly relations: readonly RingRelation[];
  /** Of cations, or of the metals of a molecule. */
  readonly coordination: readonly Coordination[];
  readonly anions: readonly Coordination[];
  /** Valence units; undefined where a bond has no parameter. */
  readonly globalInstability?: number;
  /** Undefined where charges are not known. */
  readonly balance?: IonBalance;
}

const count = z.number().int();
const placement = { operator: count, shift: vec3Schema };
const measuredSchema = z.strictObject({ value: figure, su: figure });
const puckeringSchema = z.strictObject({
  q: figure,
  phi: figure.optional(),
  theta: figure.optional(),
  pairs: z.array(z.strictObject({ q: figure, phi: figure })),
  single: figure.optional(),
  heights: z.array(figure),
  form: z.string(),
  flap: count.optional(),
});
const ringSchema = z.strictObject({
  atoms: z.array(atomRefSchema),
  members: z.string(),
  rms: figure,
  deviations: z.array(measuredSchema),
  centroid: vec3Schema,
  normal: vec3Schema,
  puckering: puckeringSchema.optional(),
  source: z.enum(['covariance', 'file', 'none']),
});
const relationSchema = z.strictObject({
  first: count,
  second: count,
  placement: z.strictObject(placement),
  angle: measuredSchema,
  centroidDistance: measuredSchema,
  perpendicular1: measuredSchema,
  perpendicular2: measuredSchema,
  offset: figure,
  kind: z.enum(['face to face', 'parallel and offset', 'edge to face', 'inclined', 'fused', 'far']),
});
const coordinationSchema = z.strictObject({
  site: count,
  charge: z.number().optional(),
  neighbours: z.array(
    z.strictObject({ atom: atomRefSchema, distance: figure, su: figure, valence: figure.optional() }),
  ),
  effective: figure,
  shapes: z.array(z.strictObject({ name: z.string(), measure: figure })),
  volume: figure,
  distortion: figure,
  elongation: figure.optional(),
  angleVariance: figure.optional(),
  valenceSum: figure.optional(),
  radiusRatio: z.strictObject({ cation: figure, anion: figure, ratio: figure, predicted: figure }).optional(),
  distances: z.array(figure),
  cut: figure,
  lengthClasses: z.array(count),
});
const balanceSchema = z.strictObject({
  charge: figure,
  pairs: z.array(
    z.strictObject({
      cation: z.string(),
      anion: z.string(),
      cations: figure,
      anions: figure,
      cationCoordination: figure,
      anionCoordination: figure,
      balanced: z.boolean(),
    }),
  ),
});
const outputSchema = z.strictObject({
  rings: z.array(ringSchema),
  relations: z.array(relationSchema),
  coordination: z.array(coordinationSchema),
  anions: z.array(coordinationSchema),
  globalInstability: figure.optional(),
  balance: balanceSchema.optional(),
});
/** The answer and its schema say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof outputSchema, Relations>]>;

export const relateTask = task<RelateInput, Relations, string>({
  input: z.strictObject({
    structure: structureSchema,
    reach: z.number().positive().max(20),
    covariance: covarianceSchema.optional(),
    cuts: z.record(z.string(), z.number().positive()).readonly().optional(),
  }),
  output: outputSchema,
  run: async ({ structure: plain, reach, covariance, cuts }, context) => {
    const structure = bonded(plain);
    context.progress('Rings');
    await context.breath();
    const rings = findRings(structure);
    const readings = rings.map((r) => readRing(structure, r, covariance));
    context.progress('How they lie to one another');
    await context.breath();
    const relations = ringRelations(structure, rings, reach, covariance);
    context.progress('What surrounds the centres');
    await context.breath();
    const around = new Surroundings(structure, covariance, cuts);
    const balance = ionBalance(around);
    const globalInstability = around.globalInstability();
    return {
      rings: readings,
      relations,
      coordination: around.centres().map((i) => around.read(i)),
      anions: around.anions().map((i) => around.read(i)),
      ...(globalInstability === undefined ? {} : { globalInstability }),
      ...(balance ? { balance } : {}),
    };
  },
});
