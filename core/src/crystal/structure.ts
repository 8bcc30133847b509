/** Structures: a cell, a space group and sites. A model holds sites only; copies by symmetry exist in scenes and neighbour lists. */
import { apply3, multiply3, transpose3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import type { Bonding } from './bonding.ts';
import type { Controls } from './controls.ts';
import { scaleFormula, type Formula } from './formula.ts';
import { proposeZ } from './formula-units.ts';
import { cellVolume, metricTensor, orthogonalization, reciprocalLengths, type Cell } from './cell.ts';
import { groupOrder, siteSymmetry, type SpaceGroup } from './space-group.ts';

/** U11, U22, U33, U12, U13, U23 in Å² as CIF defines them. */
export type AnisotropicU = readonly [number, number, number, number, number, number];

export type Displacement =
  /** `assumed` where nothing was said of it and a usual value stands in. */
  | { readonly kind: 'iso'; readonly u: number; readonly su?: number; readonly assumed?: true }
  | { readonly kind: 'aniso'; readonly u: AnisotropicU; readonly su?: AnisotropicU };

export interface Site {
  /** Stays with the site through renaming. */
  readonly id: string;
  readonly label: string;
  readonly element: string;
  readonly position: Vec3;
  readonly positionSu?: Vec3;
  readonly occupancy: number;
  readonly occupancySu?: number;
  readonly displacement: Displacement;
  /** Formal charge, in units of the elementary charge; absent where nobody said. */
  readonly charge?: number;
  readonly disorder?: { readonly assembly: string; readonly group: string };
}

export interface Structure {
  readonly cell: Cell;
  readonly spaceGroup: SpaceGroup;
  readonly sites: readonly Site[];
  /** Constraints and restraints; absent where none were made. */
  readonly controls?: Controls;
  /** Who is bonded to whom, where a person or a proposal said so; by covalent radii where absent. */
  readonly bonding?: Bonding;
}

let counter = 0;
/** A new identifier, unique within and between sessions. */
export const newId = (): string =>
  `${Date.now().toString(36)}${(counter++).toString(36)}${Math.floor(Math.random() * 1679616).toString(36)}`;

/** Matrix N with U_cart = (A N) U (A N)ᵀ: the reciprocal lengths on the diagonal (Trueblood et al. 1996, Acta Cryst. A52, 770). */
export const displacementToCartesian = (cell: Cell, u: AnisotropicU): Mat3 => displacementFrame(cell)(u);

/** The same for many tensors of one cell. */
export function displacementFrame(cell: Cell): (u: AnisotropicU) => Mat3 {
  const [a, b, c] = reciprocalLengths(cell);
  const m = multiply3(orthogonalization(cell), [a, 0, 0, 0, b, 0, 0, 0, c]);
  const back = transpose3(m);
  return (u) => multiply3(m, multiply3([u[0], u[3], u[4], u[3], u[1], u[5], u[4], u[5], u[2]], back));
}

/** Equivalent isotropic U: a third of the trace of the Cartesian tensor, Å². */
export function equivalentU(cell: Cell, d: Displacement): number {
  if (d.kind === 'iso') return d.u;
  const m = displacementToCartesian(cell, d.u);
  return (m[0] + m[4] + m[8]) / 3;
}

/** The anisotropic tensor that describes an isotropic displacement in this cell. */
export function isotropicTensor(cell: Cell, u: number): AnisotropicU {
  const g = metricTensor(cell);
  const gs = reciprocalLengths(cell);
  // U_ij = u · (a_i*·a_j*)/(a_i* a_j*); the reciprocal metric is the inverse of g.
  const det =
    g[0] * (g[4] * g[8] - g[5] * g[7]) - g[1] * (g[3] * g[8] - g[5] * g[6]) + g[2] * (g[3] * g[7] - g[4] * g[6]);
  const s12 = (g[2] * g[7] - g[1] * g[8]) / det,
    s13 = (g[1] * g[5] - g[2] * g[4]) / det,
    s23 = (g[2] * g[3] - g[0] * g[5]) / det;
  return [u, u, u, (u * s12) / (gs[0] * gs[1]), (u * s13) / (gs[0] * gs[2]), (u * s23) / (gs[1] * gs[2])];
}

/** U of a copy made by a rotation: carried through β_ij = U_ij a_i* a_j*, which transforms as R β Rᵀ. */
export function rotateU(cell: Cell, r: Mat3, u: AnisotropicU): AnisotropicU {
  const [a, b, c] = reciprocalLengths(cell);
  const beta: Mat3 = [
    u[0] * a * a,
    u[3] * a * b,
    u[4] * a * c,
    u[3] * a * b,
    u[1] * b * b,
    u[5] * b * c,
    u[4] * a * c,
    u[5] * b * c,
    u[2] * c * c,
  ];
  const q = multiply3(r, multiply3(beta, transpose3(r)));
  return [q[0] / (a * a), q[4] / (b * b), q[8] / (c * c), q[1] / (a * b), q[2] / (a * c), q[5] / (b * c)];
}

/** Sites of a kind per cell: group order over site-symmetry order. */
export const siteMultiplicity = (s: Structure, site: Site): number =>
  siteSymmetry(s.spaceGroup, metricTensor(s.cell), site.position).multiplicity;

/** Contents of the whole cell, element by element, occupancies counted. */
export function cellContents(s: Structure): Formula {
  const out: Record<string, number> = {};
  for (const site of s.sites) out[site.element] = (out[site.element] ?? 0) + siteMultiplicity(s, site) * site.occupancy;
  return out;
}

/** Contents of one asymmetric unit of a model: sites on symmetry elements count by their share. */
export const modelContents = (s: Structure): Formula => scaleFormula(cellContents(s), 1 / groupOrder(s.spaceGroup));

/** Contents of one asymmetric unit by formula and Z (the likeliest Z where it is not known); undefined without a formula. */
export function contentsOfUnit(s: Structure, formula: Formula | undefined, z?: number): Formula | undefined {
  const order = groupOrder(s.spaceGroup);
  return formula && scaleFormula(formula, (z ?? proposeZ(formula, cellVolume(s.cell), s.spaceGroup)) / order);
}

/** Occupancy × multiplicity / group order: the weight of a site in sums over all operators. */
export function siteWeight(s: Structure, site: Site): number {
  return (site.occupancy * siteMultiplicity(s, site)) / groupOrder(s.spaceGroup);
}

/** Cartesian position in Å. */
export const cartesian = (cell: Cell, x: Vec3): Vec3 => apply3(orthogonalization(cell), x);
