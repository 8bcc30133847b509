/** Zod schemas at the doors: storage, files, worker and network messages. */
import { z } from 'zod';
import { isPlausibleCell, type Cell } from '../crystal/cell.ts';
import { findElement } from '../crystal/elements.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import type { MergedReflections, RawReflections } from '../crystal/reflections.ts';
import type { Site } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { SHAPES, type Constraint, type HydrogenGroup, type OccupancyTie } from '../crystal/controls.ts';
import type { SampleRecord } from '../formats/cif-data.ts';
import type { ResidualPeak } from '../maps/residual.ts';
import type { AbsoluteStructure } from '../refine/absolute-structure.ts';
import type { AllTrue, SameType } from './same-type.ts';

const triple = z.tuple([z.number(), z.number(), z.number()]);
const six = z.tuple([z.number(), z.number(), z.number(), z.number(), z.number(), z.number()]);
const n = z.number();
const nine = z.tuple([n, n, n, n, n, n, n, n, n]);
export const mat3Schema = nine;
export const vec3Schema = triple;

export const cellSchema = z
  .strictObject({
    a: z.number().positive(),
    b: z.number().positive(),
    c: z.number().positive(),
    alpha: z.number(),
    beta: z.number(),
    gamma: z.number(),
    su: six.optional(),
  })
  .refine(isPlausibleCell, 'is no cell that can be');

/** Whether columns have the length that is said, every value a number that is finite. */
const areColumns = (count: number, columns: readonly (ArrayLike<number> | undefined)[]): boolean =>
  columns.every((c) => !c || (c.length === count && Array.prototype.every.call(c, Number.isFinite)));
const UNEVEN = 'has columns of different lengths, or values that are no numbers';

const operator = z.strictObject({ r: nine, t: triple });
export const spaceGroupSchema = z.strictObject({
  number: z.number().int(),
  symbol: z.string(),
  hall: z.string(),
  code: z.string(),
  representatives: z.array(operator).min(1),
  centring: z.array(triple).min(1),
  centricAtOrigin: z.boolean(),
  centric: z.boolean(),
});

const displacement = z.union([
  z.strictObject({
    kind: z.literal('iso'),
    u: z.number(),
    su: z.number().optional(),
    assumed: z.literal(true).optional(),
  }),
  z.strictObject({ kind: z.literal('aniso'), u: six, su: six.optional() }),
]);

export const siteSchema = z.strictObject({
  id: z.string(),
  label: z.string(),
  element: z.string().refine((x) => !!findElement(x), 'is not an element'),
  position: triple,
  positionSu: triple.optional(),
  occupancy: z.number(),
  occupancySu: z.number().optional(),
  displacement,
  /** Electrons missing: formal charge, in units of the elementary charge. */
  charge: z.number().optional(),
  disorder: z.strictObject({ assembly: z.string(), group: z.string() }).optional(),
});

const pair = z.tuple([z.string(), z.string()]);
const ids = z.array(z.string());
const restraintBase = {
  id: z.string(),
  su: z.number().positive(),
  off: z.boolean().optional(),
  why: z.string().optional(),
};
export const restraintSchema = z.union([
  z.strictObject({
    ...restraintBase,
    kind: z.enum(['distance', 'distance 1,3', 'keep apart']),
    pairs: z.array(pair),
    target: z.number(),
  }),
  z.strictObject({ ...restraintBase, kind: z.literal('equal distance'), pairs: z.array(pair) }),
  z.strictObject({
    ...restraintBase,
    kind: z.literal('chiral volume'),
    sites: z.tuple([z.string(), z.string(), z.string(), z.string()]),
    target: z.number(),
  }),
  z.strictObject({ ...restraintBase, kind: z.literal('same geometry'), first: ids, second: ids }),
  z.strictObject({
    ...restraintBase,
    kind: z.enum(['planar', 'rigid bond', 'enhanced rigid bond', 'similar displacement', 'near isotropic']),
    sites: ids,
  }),
  z.strictObject({ ...restraintBase, kind: z.enum(['occupancy', 'displacement']), sites: ids, target: z.number() }),
]);
const why = z.string().optional();
export const constraintSchema = z.union([
  z.strictObject({
    id: z.string(),
    kind: z.enum(['shared displacement', 'shared position', 'rigid group']),
    sites: ids,
    why,
  }),
  z.strictObject({
    id: z.string(),
    kind: z.literal('fixed'),
    sites: ids,
    what: z.array(z.enum(['position', 'displacement', 'occupancy'])),
    why,
  }),
]);
export const hydrogenGroupSchema = z.strictObject({
  id: z.string(),
  parent: z.string(),
  hydrogens: ids,
  shape: z.enum(SHAPES),
  hold: z.enum(['riding', 'rotating', 'restrained', 'free']),
  uFactor: z.number(),
  length: z.number().positive(),
});
export const occupancyTieSchema = z.union([
  z.strictObject({
    id: z.string(),
    kind: z.literal('assembly'),
    assembly: z.string(),
    groups: ids,
    held: z.boolean().optional(),
  }),
  z.strictObject({ id: z.string(), kind: z.literal('shared'), sites: ids }),
]);
const controlsSchema = z.strictObject({
  hydrogens: z.array(hydrogenGroupSchema),
  occupancies: z.array(occupancyTieSchema),
  constraints: z.array(constraintSchema),
  restraints: z.array(restraintSchema),
});

export const atomRefSchema = z.strictObject({ site: z.string(), operator: z.number().int(), shift: vec3Schema });
const singleBondSchema = z.strictObject({ from: z.string(), to: atomRefSchema });
export const bondingSchema = z.strictObject({
  pairs: z.array(z.strictObject({ elements: z.tuple([z.string(), z.string()]), cut: z.number().min(0) })),
  hidden: z.array(singleBondSchema),
  added: z.array(singleBondSchema),
});

export const structureSchema = z.strictObject({
  cell: cellSchema,
  spaceGroup: spaceGroupSchema,
  sites: z.array(siteSchema),
  controls: controlsSchema.optional(),
  bonding: bondingSchema.optional(),
});

/** A face of the crystal: whole indices, and how far from the middle. */
export const faceSchema = z.strictObject({ hkl: vec3Schema, distance: z.number().positive() });

export const experimentSchema = z.strictObject({
  wavelength: z.number().optional(),
  formula: z.record(z.string(), z.number()).optional(),
  z: z.number().optional(),
  temperature: z.number().optional(),
  colour: z.string().optional(),
  habit: z.string().optional(),
  size: triple.optional(),
  faces: z.array(faceSchema).optional(),
  kept: z.record(z.string(), z.string()),
});

export const rawSchema = z
  .strictObject({
    count: z.number().int(),
    h: z.instanceof(Int16Array),
    k: z.instanceof(Int16Array),
    l: z.instanceof(Int16Array),
    intensity: z.instanceof(Float64Array),
    sigma: z.instanceof(Float64Array),
    batch: z.instanceof(Int16Array).optional(),
    beams: z.instanceof(Float32Array).optional(),
    merged: z.boolean(),
    lineRuns: z
      .instanceof(Int32Array)
      .refine((runs) => runs.length % 2 === 0, UNEVEN)
      .optional(),
  })
  .refine((r) => areColumns(r.count, [r.h, r.k, r.l, r.intensity, r.sigma, r.batch]), UNEVEN)
  .refine((r) => areColumns(6 * r.count, [r.beams]), UNEVEN);

export const mergedSchema = z
  .strictObject({
    count: z.number().int(),
    h: z.instanceof(Int16Array),
    k: z.instanceof(Int16Array),
    l: z.instanceof(Int16Array),
    fsq: z.instanceof(Float64Array),
    sigma: z.instanceof(Float64Array),
    multiplicity: z.instanceof(Uint16Array),
  })
  .refine((r) => areColumns(r.count, [r.h, r.k, r.l, r.fsq, r.sigma, r.multiplicity]), UNEVEN);

const shorts = z.instanceof(Int16Array);
const floats = z.instanceof(Float64Array);
const overlapsSchema = z.strictObject({ h: shorts, k: shorts, l: shorts, h2: shorts, k2: shorts, l2: shorts });
export const twinSchema = z.strictObject({
  law: nine,
  fraction: z.number(),
  su: z.number().optional(),
  name: z.string(),
  overlaps: overlapsSchema.optional(),
});
export const maskSchema = z.strictObject({
  h: shorts,
  k: shorts,
  l: shorts,
  a: floats,
  b: floats,
  volume: z.number(),
  electrons: z.number(),
  voids: z.array(z.strictObject({ centre: triple, volume: z.number(), electrons: z.number() })),
});
const excludedSchema = z.strictObject({
  h: z.number().int(),
  k: z.number().int(),
  l: z.number().int(),
  reason: z.string(),
});
const moleculeReadingSchema = z.strictObject({
  labels: z.array(z.string()),
  part: z.strictObject({ number: z.number().int(), of: z.number().int() }).optional(),
  charge: z.number(),
  multiplicity: z.number().int(),
  atoms: z.number().int(),
  functions: z.number().int(),
  electrons: z.number(),
  shared: z.number().optional(),
  energy: z.number(),
  iterations: z.number().int(),
  converged: z.boolean(),
  smearing: z.number().positive().optional(),
  dipole: z.number(),
  charges: z.array(z.number()),
});
const formFactorsSchema = z
  .strictObject({
    sites: z.array(z.string()),
    h: shorts,
    k: shorts,
    l: shorts,
    real: floats,
    imaginary: floats,
  })
  .refine(
    (f) =>
      f.k.length === f.h.length &&
      f.l.length === f.h.length &&
      f.real.length === f.h.length * f.sites.length &&
      f.imaginary.length === f.real.length,
    'lists of form factors that do not fit one another',
  );
export const sphericalReadingSchema = z.strictObject({
  r1: z.number(),
  wr2: z.number(),
  peak: z.number(),
  hole: z.number(),
  lengths: z.array(z.strictObject({ hydrogen: z.string(), parent: z.string(), length: z.number() })),
});
const doubles = z.instanceof(Float64Array);
/** Potentials of atoms about their nuclei: sixteen parts a radius. */
export const atomPotentialsSchema = z
  .strictObject({ sites: z.array(z.string()), radii: z.array(doubles), parts: z.array(doubles) })
  .refine(
    ({ sites, radii, parts }) =>
      radii.length === sites.length &&
      parts.length === sites.length &&
      radii.every((r, i) => r.length > 0 && parts[i]!.length === 16 * r.length),
    'has lists of uneven length',
  );
const orbitalsSchema = z
  .strictObject({ size: z.number().int().positive(), factor: doubles })
  .refine(({ size, factor }) => factor.length % size === 0, 'are not whole orbitals');
const asphericalSchema = z.strictObject({
  factors: formFactorsSchema,
  basis: z.string(),
  method: z.string(),
  neighbours: z.string(),
  division: z.string().optional(),
  potentials: atomPotentialsSchema.optional(),
  orbitals: z.array(z.array(orbitalsSchema)).optional(),
  molecules: z.array(moleculeReadingSchema),
  spherical: sphericalReadingSchema,
});
export const treatmentSchema = z.strictObject({
  dMin: z.number().optional(),
  dMax: z.number().optional(),
  extinction: z.boolean().optional(),
  excluded: z.array(excludedSchema).optional(),
  twins: z.array(twinSchema).optional(),
  mask: maskSchema.optional(),
  aspherical: asphericalSchema.optional(),
});

export const weightsSchema = z.strictObject({ a: z.number(), b: z.number() });

export const residualPeakSchema = z.strictObject({
  name: z.string(),
  position: triple,
  height: z.number(),
  near: z.array(z.strictObject({ site: z.number().int(), label: z.string(), distance: z.number() })),
});
export const absoluteSchema = z.strictObject({
  x: z.number(),
  su: z.number(),
  pairs: z.number(),
  verdict: z.string(),
});

/** The fields of an experiment, for tasks that take one with more beside it. */
export const experimentFields = {
  structure: structureSchema,
  reflections: mergedSchema,
  wavelength: z.number().positive(),
  treatment: treatmentSchema,
  weights: weightsSchema,
  extinction: z.number(),
};

/** What the schemas say and what the types say are the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof cellSchema, Cell>,
    SameType<typeof spaceGroupSchema, SpaceGroup>,
    SameType<typeof siteSchema, Site>,
    SameType<typeof hydrogenGroupSchema, HydrogenGroup>,
    SameType<typeof occupancyTieSchema, OccupancyTie>,
    SameType<typeof constraintSchema, Constraint>,
    SameType<typeof experimentSchema, SampleRecord>,
    SameType<typeof rawSchema, RawReflections>,
    SameType<typeof mergedSchema, MergedReflections>,
    SameType<typeof treatmentSchema, Treatment>,
    SameType<typeof residualPeakSchema, ResidualPeak>,
    SameType<typeof absoluteSchema, AbsoluteStructure>,
  ]
>;
