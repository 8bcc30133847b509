/** Empty space of a crystal by a probe, and its surface in the cell. */
import { z } from 'zod';
import { orthogonalization } from '../crystal/cell.ts';
import type { Experiment } from '../crystal/experiment.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { solventMask, voidsForData } from '../maps/solvent-mask.ts';
import { apply3, inverse3, transpose3, type Vec3 } from '../math/matrix3.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { voidNetwork, type VoidNetwork } from '../space/network.ts';
import type { TaskContext } from '../task-context.ts';
import { withSites } from '../model/place-hydrogens.ts';
import { contourSurface, type Surface } from '../maps/isosurface.ts';
import { VOID_KINDS, voidCurve, voidMap, type VoidCurve, type VoidMap } from '../space/voids.ts';
import { surfaceSchema } from './model-schemas.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { experimentFields, structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

export type Radii = Readonly<Record<string, number>>;

export interface Cut {
  readonly hkl: Vec3;
  readonly at: number;
}

export interface VoidsInput {
  readonly structure: Structure;
  /** Å */
  readonly probe: number;
  readonly step?: number;
  /** Sites that are thought away: a solvent, an anion. */
  readonly without?: readonly string[];
  /** Å by element, where they are not the usual ones. */
  readonly radii?: Radii;
  /** What lies beyond a plane is not drawn: h x + k y + l z ≤ `at`. */
  readonly cut?: Cut;
  /** Whether the surface is of what the probe's middle reaches, not of what it touches. */
  readonly byMiddle?: boolean;
}

export type VoidFigures = Omit<VoidMap, 'touchedField' | 'reachedField' | 'grid' | 'voidAt'>;

export interface VoidsAnswer {
  readonly figures: VoidFigures;
  readonly surface: Surface;
}

const volumes = { reached: figure, touched: figure };
const figuresSchema = z.strictObject({
  ...volumes,
  probe: figure,
  cell: figure,
  packing: figure,
  voids: z.array(
    z.strictObject({
      ...volumes,
      kind: z.enum(VOID_KINDS),
      directions: z.array(vec3Schema),
      centre: vec3Schema,
      sphere: figure,
      window: figure.optional(),
    }),
  ),
});
const curveSchema = z.strictObject({
  points: z.array(z.strictObject({ ...volumes, radius: figure })),
  largest: figure,
});
const answerSchema = z.strictObject({ figures: figuresSchema, surface: surfaceSchema });

/** A structure without some of its sites. Throws RangeError where nothing is left. */
function emptied(s: Structure, without: readonly string[] = []): Structure {
  if (!without.length) return s;
  const gone = new Set(without);
  const left = s.sites.filter((x) => !gone.has(x.id));
  if (!left.length) throw new RangeError('Nothing is left to look between. Think fewer atoms away.');
  return withSites(s, left);
}

/** Throws RangeError as `voidMap` does. */
export function voidsOf({ structure, probe, step, without, radii, cut, byMiddle }: VoidsInput): VoidsAnswer {
  const s = emptied(structure, without);
  const options = { probe, ...(step ? { step } : {}), ...(radii ? { radii } : {}) };
  const { touchedField, reachedField, grid, voidAt: _, ...figures } = voidMap(s, options);
  const values = byMiddle ? reachedField : touchedField;
  const whole = { min: [0, 0, 0], max: [1, 1, 1] } as const;
  const nothing: Surface = { positions: new Float32Array(0), indices: new Uint32Array(0) };
  const surface = figures.voids.length
    ? contourSurface({ grid, values }, s.cell, whole, 0, 1, cut && before(s, cut))
    : nothing;
  return { figures, surface };
}

/** Whether a Cartesian place lies before a plane. */
function before(s: Structure, { hkl, at }: Cut): (x: number, y: number, z: number) => boolean {
  const n = apply3(transpose3(inverse3(orthogonalization(s.cell))), hkl);
  return (x, y, z) => n[0] * x + n[1] * y + n[2] * z <= at;
}

const radiiSchema = z.record(z.string(), z.number().min(0).max(5));

export const voidsTask = task<VoidsInput, VoidsAnswer, never>({
  input: z.strictObject({
    structure: structureSchema,
    probe: z.number().min(0).max(20),
    step: z.number().min(0.05).max(2).optional(),
    without: z.array(z.string()).optional(),
    radii: radiiSchema.optional(),
    cut: z.strictObject({ hkl: vec3Schema, at: z.number() }).optional(),
    byMiddle: z.boolean().optional(),
  }),
  output: answerSchema,
  run: async (input) => voidsOf(input),
});

export type VoidCurveInput = Pick<VoidsInput, 'structure' | 'without' | 'radii'>;
export const curveOf = ({ structure, without, radii }: VoidCurveInput): VoidCurve =>
  voidCurve(emptied(structure, without), radii);

/** The volume against the radius of the probe: the same whatever probe is looked at. */
export const voidCurveTask = task<VoidCurveInput, VoidCurve, never>({
  input: z.strictObject({
    structure: structureSchema,
    without: z.array(z.string()).optional(),
    radii: radiiSchema.optional(),
  }),
  output: curveSchema,
  run: async (input) => curveOf(input),
});

export type VoidNetworkInput = Pick<VoidsInput, 'structure' | 'without' | 'radii' | 'probe'>;
const networkSchema = z.strictObject({
  chambers: z.array(z.strictObject({ at: vec3Schema, diameter: figure })),
  ways: z.array(
    z.strictObject({
      from: z.number().int(),
      to: z.number().int(),
      over: vec3Schema,
      at: vec3Schema,
      diameter: figure,
    }),
  ),
});

/** Chambers and the narrows between them. Throws RangeError as `voidNetwork` does. */
export const voidNetworkTask = task<VoidNetworkInput, VoidNetwork, never>({
  input: z.strictObject({
    structure: structureSchema,
    probe: z.number().min(0).max(20),
    without: z.array(z.string()).optional(),
    radii: radiiSchema.optional(),
  }),
  output: networkSchema,
  run: async ({ structure, without, ...options }) => voidNetwork(emptied(structure, without), options),
});

export interface VoidElectrons {
  /** In each void, in the order of the map; null where the data were not asked about it. */
  readonly electrons: readonly (number | null)[];
  /** R1 without and with what is in the voids. */
  readonly before: number;
  readonly r1: number;
}

/**
 * Electrons in each void of the map by a probe (Å) and a step of the grid (Å; its order is that of the map with the same step), from measured intensities: by repeated back-transformation of the difference density
 * within. Throws RangeError where no void holds 15 Å³.
 */
export async function voidElectrons(
  e: Experiment,
  probe: number,
  context: TaskContext<string>,
  step?: number,
): Promise<VoidElectrons> {
  const { mask: _, ...treatment } = e.treatment;
  const { structure: s, reflections, wavelength } = e;
  const map = voidMap(s, { probe, ...(step ? { step } : {}) });
  const found = voidsForData(s, reflections, probe);
  const mask = await solventMask(s, reflections, wavelength, treatment, context, probe, found);
  const places = found.list.map((v) => map.voidAt(v.inside));
  const electrons = map.voids.map((_v, i) => {
    const parts = mask.voids.filter((_m, k) => places[k] === i);
    return parts.length ? parts.reduce((sum, v) => sum + v.electrons, 0) : null;
  });
  const r1 = (t: Treatment): number => evaluateStructure({ ...e, treatment: t }).figures.r1;
  return { electrons, before: r1(treatment), r1: r1({ ...treatment, mask }) };
}

const electronsSchema = z.strictObject({ electrons: z.array(figure.nullable()), before: figure, r1: figure });

export const voidElectronsTask = task<
  Experiment & { readonly probe: number; readonly without?: readonly string[] },
  VoidElectrons,
  string
>({
  input: z.strictObject({
    ...experimentFields,
    probe: z.number().min(0).max(20),
    without: z.array(z.string()).optional(),
  }),
  output: electronsSchema,
  run: async ({ probe, without, ...e }, context) =>
    voidElectrons({ ...e, structure: emptied(e.structure, without) }, probe, context),
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof figuresSchema, VoidFigures>,
    SameType<typeof curveSchema, VoidCurve>,
    SameType<typeof networkSchema, VoidNetwork>,
    SameType<typeof electronsSchema, VoidElectrons>,
  ]
>;
