/** Structures made from others, each with the count that proves it. */
import { z } from 'zod';
import { orderedModels, orderedUpTo } from '../build/arrangements.ts';
import { cellNamed, preferredTermination } from '../build/choices.ts';
import { cutSlab } from '../build/cut-slab.ts';
import {
  addSite,
  balanceOccupancy,
  changeSite,
  mergeSites,
  moveSites,
  removeSites,
  splitSite,
  withHydrogens,
} from '../build/edit-sites.ts';
import { withFoundSymmetry } from '../build/found-symmetry.ts';
import { placeGuest } from '../build/guest.ts';
import { layerSlab, netAlone } from '../build/layers.ts';
import { shapedCell } from '../build/shaped-cell.ts';
import { movedOrigin, slice } from '../build/slice.ts';
import { stackLayers } from '../build/stack.ts';
import { strained } from '../build/strain.ts';
import { substitute } from '../build/substitute.ts';
import { supercell } from '../build/supercell.ts';
import { Surface, type Termination, type VacuumChoice } from '../build/surface.ts';
import { wholeCell } from '../build/whole-cell.ts';
import type { Cell } from '../crystal/cell.ts';
import { formulaText, type Formula } from '../crystal/formula.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { formulaUnit } from '../geometry/formula-unit.ts';
import { determinant2 } from '../math/matrix2.ts';
import type { Mat3 } from '../math/matrix3.ts';
import { wishSchema, type BuildWish } from './build-wish.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameBut } from './same-type.ts';
import { cellSchema, mat3Schema, structureSchema } from './schemas.ts';
import { task } from './task.ts';

export type { BuildWish } from './build-wish.ts';

/** Of a slab: how the crystal can be cut, and how it was. */
export interface CutSurface {
  readonly terminations: readonly Termination[];
  readonly chosen: number;
  /** Å² and Å. */
  readonly area: number;
  readonly spacing: number;
  readonly thickness: number;
  /** Formula units of one layer. */
  readonly units: number;
  /** e Å⁻¹ of the slab as it was cut; undefined where charges are not known. */
  readonly dipole?: number;
  /** Atoms beyond whole formula units. */
  readonly excess: Formula;
  /** The shortest axes of the plane and the normal one in terms of the crystal's, columns. */
  readonly matrix: Mat3;
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
  readonly models: readonly {
    readonly multiplicity: number;
    /** Of the cell, or of one primitive cell where cells differ. */
    readonly energy?: number;
    /** Primitive cells, where cells differ. */
    readonly cells?: number;
  }[];
}

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
      units: figure,
      dipole: figure.optional(),
      excess: z.record(z.string(), figure),
      matrix: mat3Schema,
      cells: z.strictObject({ normal: cellSchema, oblique: cellSchema }),
    })
    .optional(),
  order: z
    .strictObject({
      total: figure,
      chosen: figure,
      models: z.array(z.strictObject({ multiplicity: figure, energy: figure.optional(), cells: figure.optional() })),
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
  const termination = wish.termination ?? preferredTermination(terminations);
  const { layers, remedy, inPlane } = wish;
  const standing = (along: VacuumChoice['along']) =>
    cutSlab(surface, { layers, termination, remedy, inPlane }, { ...wish.vacuum, along });
  const both = { normal: standing('normal'), oblique: standing('oblique') };
  const { structure, thickness, dipole, excess, words } = both[wish.vacuum.along];
  const cells = { normal: both.normal.structure.cell, oblique: both.oblique.structure.cell };
  const units = (formulaUnit(bonded(s)).z * surface.atoms.length) / wholeCell(s).sites.length;
  const top = formulaText(terminations[termination]!.uppermost);
  return {
    structure,
    title: `Slab (${wish.plane.join(' ')}), ${layers} ${layers === 1 ? 'layer' : 'layers'}, ${top} uppermost`,
    words: `${slabCount(surface, wish, structure)}${words ? `; ${lowerFirst(words)}` : ''}; ${thickness.toFixed(2)} Å thick with ${wish.vacuum.vacuum} Å of vacuum.`,
    surface: {
      terminations,
      chosen: termination,
      area: basis.area,
      spacing: basis.spacing,
      thickness,
      units,
      ...(dipole === undefined ? {} : { dipole }),
      excess,
      matrix: basis.p,
      cells,
    },
  };
}

const lowerFirst = (text: string): string => text[0]!.toLowerCase() + text.slice(1);

/** Atoms of a layer times layers, in so many cells of the plane; with a remedy only what came. */
function slabCount(surface: Surface, wish: Extract<BuildWish, { kind: 'slab' }>, structure: Structure): string {
  const now = structure.sites.length;
  const cells = wish.inPlane ? determinant2(wish.inPlane) : 1;
  if (wish.remedy) return `${now} atoms`;
  const times = cells === 1 ? '' : ` × ${cells} cells of the plane`;
  return `${surface.atoms.length} atoms a layer × ${wish.layers}${times} = ${now}, as it should be`;
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

const capital = (word: string): string => `${word[0]!.toUpperCase()}${word.slice(1)}`;
const plural = (n: number, one: string): string => (n === 1 ? one : `${one}s`);

const strainTitle = (wish: Extract<BuildWish, { kind: 'strain' }>): string =>
  wish.strain.by === 'constants'
    ? 'Other constants'
    : `Strained by ${wish.strain.components.map((x) => Number((100 * x).toFixed(3))).join(', ')} %`;

function buildNamed(s: Structure, which: Extract<BuildWish, { kind: 'named' }>['which']): Built {
  const { structure, words } = cellNamed(s, which);
  const group = structure.spaceGroup.symbol || 'one without a name';
  return { structure, title: `${capital(which)} cell`, words: `${words} The group is ${group} there.` };
}

function buildLayer(s: Structure, wish: Extract<BuildWish, { kind: 'layer' }>): Built {
  const { structure, count, thickness } = layerSlab(s, wish.count, wish.vacuum);
  const title = count === 1 ? 'One layer' : `${count} layers`;
  const words = `${title}: ${structure.sites.length} atoms, ${thickness.toFixed(2)} Å thick, no bond is cut, ${wish.vacuum.vacuum} Å of vacuum.`;
  return { structure, title, words };
}

function buildStack(s: Structure, { upper, stack }: Extract<BuildWish, { kind: 'stack' }>): Built {
  const { structure, counts, thickness } = stackLayers(s, upper ?? s, stack);
  const { twist, strain } = stack.cell;
  const sum = `${counts.join(' + ')} = ${structure.sites.length} atoms`;
  const turned = Math.abs(twist) < 0.005 ? 'not turned' : `turned by ${twist.toFixed(2)}°`;
  const most = Math.max(...strain.map(Math.abs));
  const strained = most < 5e-6 ? 'no strain' : `strained by ${strain.map((x) => (100 * x).toFixed(2)).join(' and ')} %`;
  const title = `Stack of ${counts.length} ${plural(counts.length, 'layer')}, ${turned}`;
  return { structure, title, words: `${sum}, as it should be; ${strained}; ${thickness.toFixed(2)} Å thick.` };
}

function buildOrderedUpTo(s: Structure, wish: Extract<BuildWish, { kind: 'ordered up to' }>): Built {
  const { total, models } = orderedUpTo(s, wish.cells);
  const chosen = Math.min(wish.index, models.length - 1);
  const { structure, multiplicity, cells } = models[chosen]!;
  return {
    structure,
    title: `Ordered model ${chosen + 1} of ${models.length}, ${cells} primitive ${plural(cells, 'cell')}`,
    words: `${total} arrangements in cells of up to ${wish.cells} primitive ones, ${models.length} of them distinct; this one stands for ${multiplicity} of its cell.`,
    order: {
      total,
      chosen,
      models: models.map((m) => ({
        multiplicity: m.multiplicity,
        cells: m.cells,
        ...(m.energy === undefined ? {} : { energy: m.energy / m.cells }),
      })),
    },
  };
}

function buildNet(s: Structure, { net, vacuum }: Extract<BuildWish, { kind: 'net' }>): Built {
  const { structure, size } = netAlone(s, net, vacuum);
  const wide = size.map((x) => x.toFixed(2)).join(' × ');
  return {
    structure,
    title: net === 'chain' ? 'One chain' : 'One cluster',
    words: `${structure.sites.length} atoms, ${wide} Å ${net === 'chain' ? 'across' : 'large'}, no bond is cut; ${vacuum} Å empty.`,
  };
}

/** Makes what is wished. Throws RangeError in words where it cannot be made. */
export function build(s: Structure, wish: BuildWish): Built {
  const labels = (ids: readonly string[]): string =>
    s.sites
      .filter((x) => ids.includes(x.id))
      .map((x) => x.label)
      .join(', ');
  switch (wish.kind) {
    case 'supercell':
      return buildCell(s, wish);
    case 'named':
      return buildNamed(s, wish.which);
    case 'shaped':
      return { ...shapedCell(s, wish.matrix), title: `Supercell ${matrixWords(wish.matrix)} of the primitive one` };
    case 'strain':
      return { ...strained(s, wish.strain), title: strainTitle(wish) };
    case 'slice':
      return { ...slice(s, wish.slice), title: `Slice along ${'abc'[wish.slice.axis]}` };
    case 'origin':
      return {
        ...movedOrigin(s, wish.origin),
        title: `Origin at ${wish.origin.map((x) => Number(x.toFixed(4))).join(', ')}`,
      };
    case 'slab':
      return buildSlab(s, wish);
    case 'layer':
      return buildLayer(s, wish);
    case 'net':
      return buildNet(s, wish);
    case 'stack':
      return buildStack(s, wish);
    case 'guest':
      return { ...placeGuest(s, wish.guest, wish.placing), title: `${wish.name} over the surface` };
    case 'ordered':
      return buildOrdered(s, wish);
    case 'ordered up to':
      return buildOrderedUpTo(s, wish);
    case 'substitute':
      return { ...substitute(s, wish.site, wish.element, wish.rescale), title: `${wish.element} for ${wish.site}` };
    case 'change':
      return { ...changeSite(s, wish.site, wish.values), title: `${labels([wish.site])} changed` };
    case 'add':
      return { ...addSite(s, { ...wish.values, ...wish }), title: `${wish.element} added` };
    case 'remove':
      return { ...removeSites(s, wish.sites), title: `Without ${labels(wish.sites)}` };
    case 'move':
      return { ...moveSites(s, wish.sites, wish.by), title: `${labels(wish.sites)} moved` };
    case 'split':
      return { ...splitSite(s, wish.site, wish.element, wish.share), title: `${labels([wish.site])} shared` };
    case 'merge':
      return { ...mergeSites(s, wish.sites), title: `${labels(wish.sites)} merged` };
    case 'balance':
      return { ...balanceOccupancy(s, wish.site), title: 'Charges balanced' };
    case 'hydrogens':
      return { ...withHydrogens(s), title: 'Hydrogens by geometry' };
  }
}

/** Nothing but what the page is told. */
const told = ({ structure, title, words, surface, order }: Built): Built => ({
  structure,
  title,
  words,
  ...(surface ? { surface } : {}),
  ...(order ? { order } : {}),
});

export const buildTask = task<{ structure: Structure; wish: BuildWish }, Built, never>({
  input: z.strictObject({ structure: structureSchema, wish: wishSchema }),
  output: builtSchema,
  run: async ({ structure, wish }) => told(build(structure, wish)),
});

/** The answer and its schema say the same; this line compiles only then. */
export type Checked = AllTrue<[SameBut<typeof builtSchema, Built, 'structure'>]>;
