/** Structures made from others or from their symmetry, with the counts that prove them; and what leaves, read back. */
import { z } from 'zod';
import { orderedModels } from '../build/arrangements.ts';
import { cellNamed, preferredTermination } from '../build/choices.ts';
import {
  buildAndJudge,
  holdings,
  shortestContacts,
  siteRows,
  type Holdings,
  type NearSpecial,
  type PairContact,
  type SiteRow,
} from '../build/from-symmetry.ts';
import { withFoundSymmetry } from '../build/found-symmetry.ts';
import {
  certainty,
  FILE_KINDS,
  proveText,
  writeStructure,
  type Certainty,
  type FileKind,
  type Proof,
} from '../build/leave.ts';
import { layerSlab } from '../build/layers.ts';
import { readSiteTable } from '../build/site-table.ts';
import { substitute } from '../build/substitute.ts';
import { supercell, type NamedCell } from '../build/supercell.ts';
import { Surface, type Termination, type VacuumChoice } from '../build/surface.ts';
import type { Cell } from '../crystal/cell.ts';
import { formulaText } from '../crystal/formula.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Mat3, Vec3 } from '../math/matrix3.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameBut, SameType } from './same-type.ts';
import { cellSchema, mat3Schema, structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

/** What is to be made of a structure. */
export type BuildWish =
  | { readonly kind: 'supercell'; readonly matrix: Mat3; readonly symmetry: boolean }
  | { readonly kind: 'named'; readonly which: NamedCell }
  /** The cut that suits best where no termination is named. */
  | {
      readonly kind: 'slab';
      readonly plane: Vec3;
      readonly layers: number;
      readonly termination?: number;
      readonly vacuum: VacuumChoice;
    }
  | { readonly kind: 'layer'; readonly count: number; readonly vacuum: VacuumChoice }
  /** One of the ordered models, 0 the one of lowest energy. */
  | { readonly kind: 'ordered'; readonly matrix: Mat3; readonly index: number }
  | { readonly kind: 'substitute'; readonly site: string; readonly element: string; readonly rescale: boolean };

/** Of a slab: how the crystal can be cut, and how it was. */
export interface CutSurface {
  readonly terminations: readonly Termination[];
  readonly chosen: number;
  /** Å² and Å. */
  readonly area: number;
  readonly spacing: number;
  readonly thickness: number;
  /** The cell either way, so that both can be seen before one is chosen. */
  readonly cells: { readonly normal: Cell; readonly oblique: Cell };
}

export interface Built {
  readonly structure: Structure;
  /** What was done, for the course. */
  readonly title: string;
  /** The count, and what is to be known beside it. */
  readonly words: string;
  readonly surface?: CutSurface;
  readonly order?: OrderChoices;
}

/** The ordered models of a cell, lowest energy first. */
export interface OrderChoices {
  readonly total: number;
  readonly chosen: number;
  readonly models: readonly { readonly multiplicity: number; readonly energy?: number }[];
}

const vacuumSchema = z.strictObject({
  vacuum: z.number().min(0).max(500),
  along: z.enum(['normal', 'oblique']),
  bothSides: z.boolean(),
});
const wishSchema = z.union([
  z.strictObject({ kind: z.literal('supercell'), matrix: mat3Schema, symmetry: z.boolean() }),
  z.strictObject({ kind: z.literal('named'), which: z.enum(['primitive', 'conventional', 'reduced']) }),
  z.strictObject({
    kind: z.literal('slab'),
    plane: vec3Schema,
    layers: z.number(),
    termination: z.number().optional(),
    vacuum: vacuumSchema,
  }),
  z.strictObject({ kind: z.literal('layer'), count: z.number(), vacuum: vacuumSchema }),
  z.strictObject({ kind: z.literal('ordered'), matrix: mat3Schema, index: z.number().int().min(0) }),
  z.strictObject({ kind: z.literal('substitute'), site: z.string(), element: z.string(), rescale: z.boolean() }),
]);
const terminationSchema = z.strictObject({
  index: figure,
  height: figure,
  gap: figure,
  uppermost: z.record(z.string(), figure),
  brokenBonds: figure,
  dipole: figure.optional(),
  polar: z.boolean(),
  symmetric: z.boolean(),
});
const builtSchema = z.strictObject({
  structure: structureSchema,
  title: z.string(),
  words: z.string(),
  surface: z
    .strictObject({
      terminations: z.array(terminationSchema),
      chosen: figure,
      area: figure,
      spacing: figure,
      thickness: figure,
      cells: z.strictObject({ normal: cellSchema, oblique: cellSchema }),
    })
    .optional(),
  order: z
    .strictObject({
      total: figure,
      chosen: figure,
      models: z.array(z.strictObject({ multiplicity: figure, energy: figure.optional() })),
    })
    .optional(),
});

const matrixWords = (m: Mat3): string =>
  m.every((x, i) => i % 4 === 0 || !x)
    ? `${m[0]} × ${m[4]} × ${m[8]}`
    : [0, 1, 2].map((j) => `(${m[j]} ${m[3 + j]} ${m[6 + j]})`).join(' ');

function buildSlab(s: Structure, wish: Extract<BuildWish, { kind: 'slab' }>): Built {
  const surface = new Surface(s, wish.plane);
  const { terminations, basis } = surface;
  const chosen = wish.termination ?? preferredTermination(terminations);
  const standing = (along: VacuumChoice['along']) => surface.slab(wish.layers, chosen, { ...wish.vacuum, along });
  const both = { normal: standing('normal'), oblique: standing('oblique') };
  const { structure, thickness } = both[wish.vacuum.along];
  const cells = { normal: both.normal.structure.cell, oblique: both.oblique.structure.cell };
  const plane = `(${wish.plane.join(' ')})`;
  const one = structure.sites.length / wish.layers;
  return {
    structure,
    title: `Slab ${plane}, ${wish.layers} ${wish.layers === 1 ? 'layer' : 'layers'}, ${formulaText(terminations[chosen]!.uppermost)} uppermost`,
    words: `${one} atoms a layer × ${wish.layers} = ${structure.sites.length}, as it should be; ${thickness.toFixed(2)} Å thick with ${wish.vacuum.vacuum} Å of vacuum.`,
    surface: { terminations, chosen, area: basis.area, spacing: basis.spacing, thickness, cells },
  };
}

function buildCell(s: Structure, wish: Extract<BuildWish, { kind: 'supercell' }>): Built {
  const answer = supercell(s, wish.matrix);
  const structure = wish.symmetry ? withFoundSymmetry(answer.structure) : answer.structure;
  const found = wish.symmetry ? ` Its symmetry is ${structure.spaceGroup.symbol ?? 'unnamed'}.` : '';
  return { structure, title: `Supercell ${matrixWords(wish.matrix)}`, words: `${answer.words}${found}` };
}

/** eV: energies of cells that differ by less are one. */
const SAME_ENERGY = 1e-3;

function buildOrdered(s: Structure, wish: Extract<BuildWish, { kind: 'ordered' }>): Built {
  const { total, models } = orderedModels(s, wish.matrix);
  const chosen = Math.min(wish.index, models.length - 1);
  const { structure, multiplicity } = models[chosen]!;
  const distinct = models.length === 1 ? 'one of them is distinct' : `${models.length} of them are distinct`;
  const energies = models.flatMap((m) => m.energy ?? []);
  const alike = energies.length > 1 && Math.max(...energies) - Math.min(...energies) < SAME_ENERGY;
  const ranked = !energies.length
    ? ' Charges are not known, so they are not ranked.'
    : alike
      ? ' Their charges do not tell them apart.'
      : '';
  return {
    structure,
    title: `Ordered model ${chosen + 1} of ${models.length}, cell ${matrixWords(wish.matrix)}`,
    words: `${total} arrangements, ${distinct} under the symmetry; this one stands for ${multiplicity}.${ranked}`,
    order: {
      total,
      chosen,
      models: models.map(({ multiplicity: n, energy }) => ({
        multiplicity: n,
        ...(energy === undefined ? {} : { energy }),
      })),
    },
  };
}

/** Makes what is wished. Throws RangeError in words where it cannot be made. */
export function build(s: Structure, wish: BuildWish): Built {
  switch (wish.kind) {
    case 'supercell':
      return buildCell(s, wish);
    case 'named': {
      const { structure, words } = cellNamed(s, wish.which);
      const title = `${wish.which[0]!.toUpperCase()}${wish.which.slice(1)} cell`;
      return {
        structure,
        title,
        words: `${words} The group is ${structure.spaceGroup.symbol ?? 'one without a name'} there.`,
      };
    }
    case 'slab':
      return buildSlab(s, wish);
    case 'layer': {
      const { structure, count, thickness } = layerSlab(s, wish.count, wish.vacuum);
      const what = count === 1 ? 'One layer' : `${count} layers`;
      return {
        structure,
        title: what,
        words: `${what}: ${structure.sites.length} atoms, ${thickness.toFixed(2)} Å thick, ${wish.vacuum.vacuum} Å of vacuum.`,
      };
    }
    case 'ordered':
      return buildOrdered(s, wish);
    case 'substitute': {
      const { structure, words } = substitute(s, wish.site, wish.element, wish.rescale);
      return { structure, title: `${wish.element} for ${wish.site}`, words };
    }
  }
}

export const buildTask = task<{ structure: Structure; wish: BuildWish }, Built, never>({
  name: 'build',
  input: z.strictObject({ structure: structureSchema, wish: wishSchema }),
  output: builtSchema,
  run: async ({ structure, wish }) => build(structure, wish),
});

/** A crystal as it is typed. */
export interface SymmetryWish {
  readonly symbol: string;
  readonly constants: readonly number[];
  readonly table: string;
  /** Labels of sites that go onto the special position they stand near to. */
  readonly snapped: readonly string[];
}
export interface JudgedCrystal {
  readonly origin: string;
  readonly structure: Structure;
  readonly score: number;
  readonly coordination: string;
  readonly reason: string;
  readonly holdings: Holdings;
  readonly contacts: readonly PairContact[];
  readonly special: readonly NearSpecial[];
  readonly rows: readonly SiteRow[];
}
export interface FromSymmetry {
  /** The most sensible first. */
  readonly judged: readonly JudgedCrystal[];
  readonly understood: string;
  readonly problems: readonly { readonly line: number; readonly text: string; readonly reason: string }[];
}
const judgedSchema = z.strictObject({
  origin: z.string(),
  structure: structureSchema,
  score: figure,
  coordination: z.string(),
  reason: z.string(),
  holdings: z.strictObject({
    formula: z.string(),
    z: figure,
    atoms: figure,
    density: figure,
    charge: figure.optional(),
  }),
  contacts: z.array(z.strictObject({ pair: z.tuple([z.string(), z.string()]), distance: figure, absurd: z.boolean() })),
  rows: z.array(
    z.strictObject({
      label: z.string(),
      multiplicity: figure,
      letter: z.string().optional(),
      siteSymmetry: z.string(),
      nearest: z.strictObject({ label: z.string(), distance: figure }).optional(),
    }),
  ),
  special: z.array(
    z.strictObject({ label: z.string(), position: vec3Schema, away: figure, now: figure, then: figure }),
  ),
});
const fromSymmetrySchema = z.strictObject({
  judged: z.array(judgedSchema),
  understood: z.string(),
  problems: z.array(z.strictObject({ line: figure, text: z.string(), reason: z.string() })),
});

export const fromSymmetryTask = task<SymmetryWish, FromSymmetry, never>({
  name: 'from symmetry',
  input: z.strictObject({
    symbol: z.string(),
    constants: z.array(z.number()),
    table: z.string(),
    snapped: z.array(z.string()),
  }),
  output: fromSymmetrySchema,
  run: async ({ symbol, constants, table, snapped }) => {
    const { sites, problems, understood } = readSiteTable(table);
    const judged = sites.length
      ? buildAndJudge(
          symbol,
          constants,
          sites.map((r) => r.site),
          new Set(snapped),
        )
      : [];
    return {
      understood,
      problems: [...problems],
      judged: judged.map(({ origin, structure, score, coordination, reason, special }) => ({
        origin,
        structure,
        score,
        coordination,
        reason,
        holdings: holdings(structure),
        contacts: shortestContacts(structure),
        special,
        rows: siteRows(structure),
      })),
    };
  },
});

export interface LeaveWish {
  readonly structure: Structure;
  readonly kind: FileKind;
  readonly name: string;
  /** Ids of sites held still. */
  readonly fixed: readonly string[];
  /** ISO date. */
  readonly date: string;
}
export interface Leaving {
  readonly text: string;
  readonly proof: Proof;
  readonly sheet: Certainty;
}
const leavingSchema = z.strictObject({
  text: z.string(),
  proof: z.strictObject({ same: z.boolean(), words: z.string() }),
  sheet: z.strictObject({
    atoms: z.record(z.string(), figure),
    total: figure,
    formula: z.string(),
    z: figure,
    symmetry: z.string(),
    vectors: z.tuple([vec3Schema, vec3Schema, vec3Schema]),
    boundaries: z.array(
      z.strictObject({
        axis: z.enum(['a', 'b', 'c']),
        distance: figure,
        pair: z.tuple([z.string(), z.string()]),
        empty: figure,
      }),
    ),
    fixed: figure,
  }),
});

export const leaveTask = task<LeaveWish, Leaving, never>({
  name: 'leave',
  input: z.strictObject({
    structure: structureSchema,
    kind: z.enum(FILE_KINDS),
    name: z.string(),
    fixed: z.array(z.string()),
    date: z.string(),
  }),
  output: leavingSchema,
  run: async ({ structure, kind, name, fixed, date }) => {
    const held = new Set(fixed);
    const text = writeStructure(structure, { kind, name, fixed: held, date });
    return { text, proof: proveText(structure, text, kind), sheet: certainty(structure, held) };
  },
});

/** The answers and their schemas say the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof wishSchema, BuildWish>,
    SameBut<typeof builtSchema, Built, 'structure'>,
    SameBut<typeof judgedSchema, JudgedCrystal, 'structure'>,
    SameBut<typeof fromSymmetrySchema, FromSymmetry, 'judged'>,
    SameType<typeof leavingSchema, Leaving>,
  ]
>;
