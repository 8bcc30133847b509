/** Empty space of a crystal by a probe, and its surface in the cell. */
import { z } from 'zod';
import type { Structure } from '../crystal/structure.ts';
import { withSites } from '../model/place-hydrogens.ts';
import { contourSurface, type Surface } from '../maps/isosurface.ts';
import { VOID_KINDS, voidCurve, voidMap, type VoidCurve, type VoidMap } from '../space/voids.ts';
import { surfaceSchema } from './model-schemas.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

export interface VoidsInput {
  readonly structure: Structure;
  /** Å */
  readonly probe: number;
  readonly step?: number;
  /** Sites that are thought away: a solvent, an anion. */
  readonly without?: readonly string[];
  /** Whether the surface is of what the probe's middle reaches, not of what it touches. */
  readonly byMiddle?: boolean;
}

export type VoidFigures = Omit<VoidMap, 'touchedField' | 'reachedField' | 'grid'>;

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
export function voidsOf({ structure, probe, step, without, byMiddle }: VoidsInput): VoidsAnswer {
  const s = emptied(structure, without);
  const { touchedField, reachedField, grid, ...figures } = voidMap(s, { probe, ...(step ? { step } : {}) });
  const values = byMiddle ? reachedField : touchedField;
  const whole = { min: [0, 0, 0], max: [1, 1, 1] } as const;
  const nothing: Surface = { positions: new Float32Array(0), indices: new Uint32Array(0) };
  return { figures, surface: figures.voids.length ? contourSurface({ grid, values }, s.cell, whole, 0) : nothing };
}

export const voidsTask = task<VoidsInput, VoidsAnswer, never>({
  name: 'voids',
  input: z.strictObject({
    structure: structureSchema,
    probe: z.number().min(0).max(20),
    step: z.number().min(0.05).max(2).optional(),
    without: z.array(z.string()).optional(),
    byMiddle: z.boolean().optional(),
  }),
  output: answerSchema,
  run: async (input) => voidsOf(input),
});

export type VoidCurveInput = Pick<VoidsInput, 'structure' | 'without'>;
export const curveOf = ({ structure, without }: VoidCurveInput): VoidCurve => voidCurve(emptied(structure, without));

/** The volume against the radius of the probe: the same whatever probe is looked at. */
export const voidCurveTask = task<VoidCurveInput, VoidCurve, never>({
  name: 'void curve',
  input: z.strictObject({ structure: structureSchema, without: z.array(z.string()).optional() }),
  output: curveSchema,
  run: async (input) => curveOf(input),
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof figuresSchema, VoidFigures>, SameType<typeof curveSchema, VoidCurve>]>;
