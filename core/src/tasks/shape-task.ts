/** The shape of a crystal by its lattice, by energies or by given faces, and what a face of it shows. */
import { z } from 'zod';
import { attachmentShape } from '../contacts/attachment.ts';
import { faceView, type FaceView } from '../contacts/face-view.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { crystalShape, type CrystalFace } from '../space/crystal-shape.ts';
import type { GivenFace } from '../crystal/faces.ts';
import { completed, hiddenFaces, shapeOfFaces } from '../space/given-shape.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { atomRefSchema, structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

export const SHAPE_SOURCES = ['spacings', 'energies', 'faces'] as const;
export type ShapeSource = (typeof SHAPE_SOURCES)[number];

export interface ShapeInput {
  readonly structure: Structure;
  readonly by: ShapeSource;
  /** Where the shape is of given faces. */
  readonly given?: readonly GivenFace[];
  /** Whether the class makes the others of each given face. */
  readonly complete?: boolean;
}

export interface ShapeAnswer {
  readonly faces: readonly CrystalFace[];
  /** kJ per mol of molecules, by indices of the faces. */
  readonly energies?: readonly { readonly hkl: Vec3; readonly energy: number; readonly cut: number }[];
  readonly remarks: readonly string[];
}

const faceSchema = z.strictObject({
  hkl: vec3Schema,
  normal: vec3Schema,
  distance: figure,
  corners: z.array(vec3Schema),
  area: figure,
});
export const givenFaceSchema = z.strictObject({ hkl: vec3Schema, distance: z.number() });
const answerSchema = z.strictObject({
  faces: z.array(faceSchema),
  energies: z.array(z.strictObject({ hkl: vec3Schema, energy: figure, cut: figure })).optional(),
  remarks: z.array(z.string()),
});

/** Throws RangeError where there is no such shape, with what to do. */
export function shapeOf({ structure, by, given = [], complete = true }: ShapeInput): ShapeAnswer {
  if (by === 'spacings') return { faces: crystalShape(structure), remarks: [] };
  if (by === 'energies') {
    const { faces, energies, remarks } = attachmentShape(bonded(structure));
    const seen = new Set(faces.map((f) => f.hkl.join()));
    const told = energies.filter((e) => seen.has(e.hkl.join()));
    // From layers to Å along the normal.
    return { faces, energies: told.map((e) => ({ hkl: e.hkl, energy: e.energy, cut: e.cut * e.spacing })), remarks };
  }
  const all = complete ? completed(structure, given) : given;
  const faces = shapeOfFaces(structure, all);
  const hidden = hiddenFaces(given, faces);
  const names = hidden.map((f) => `(${f.hkl.join(' ')})`).join(', ');
  const verb = hidden.length === 1 ? 'lies' : 'lie';
  return { faces, remarks: hidden.length ? [`${names} ${verb} outside of what the other faces leave.`] : [] };
}

export const shapeTask = task<ShapeInput, ShapeAnswer, never>({
  input: z.strictObject({
    structure: structureSchema,
    by: z.enum(SHAPE_SOURCES),
    given: z.array(givenFaceSchema).optional(),
    complete: z.boolean().optional(),
  }),
  output: answerSchema,
  run: async (input) => shapeOf(input),
});

const viewSchema = z.strictObject({
  hkl: vec3Schema,
  area: figure,
  roughness: figure,
  relief: figure,
  kinds: z.array(z.strictObject({ kind: z.string(), isPolar: z.boolean(), share: figure, perArea: figure })),
  polarShare: figure,
  polarPerArea: figure,
  molecules: z.array(z.strictObject({ formula: z.string(), share: figure })),
  atoms: z.array(atomRefSchema),
});

export const faceViewTask = task<
  { readonly structure: Structure; readonly hkl: Vec3; readonly cut?: number },
  FaceView,
  never
>({
  input: z.strictObject({ structure: structureSchema, hkl: vec3Schema, cut: z.number().optional() }),
  output: viewSchema,
  run: async ({ structure, hkl, cut }) => faceView(bonded(structure), hkl, cut),
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<[SameType<typeof answerSchema, ShapeAnswer>, SameType<typeof viewSchema, FaceView>]>;
