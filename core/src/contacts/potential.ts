/**
 * Energies of two atoms of different molecules, kJ/mol: the general field of Mayo, Olafson & Goddard (1990, J. Phys. Chem. 94,
 * 8897) with its exponential form, its hydrogens of two kinds and its term for hydrogen bonds; elements it does not name with the
 * distances and depths of Rappé et al. (1992, J. Am. Chem. Soc. 114, 10024).
 */
import { elementOf } from '../crystal/elements.ts';
import { COULOMB } from '../math/ewald.ts';

const KCAL = 4.184;
/** kJ Å / mol per square of the elementary charge. */
export const COULOMB_MOLAR = COULOMB * 96.48533;

/** Distance of the minimum, Å, and its depth, kcal/mol. `H+` is a hydrogen that can be given. */
const DEPTHS: Readonly<Record<string, readonly [number, number]>> = {
  H: [3.195, 0.0152],
  'H+': [3.195, 0.0001],
  B: [4.02, 0.095],
  C: [3.8983, 0.0951],
  N: [3.6621, 0.0774],
  O: [3.4046, 0.0957],
  F: [3.472, 0.0725],
  Al: [4.39, 0.31],
  Si: [4.27, 0.31],
  P: [4.15, 0.32],
  S: [4.03, 0.344],
  Cl: [3.9503, 0.2833],
  Ga: [4.39, 0.4],
  Ge: [4.27, 0.4],
  As: [4.15, 0.41],
  Se: [4.03, 0.43],
  Br: [3.95, 0.37],
  In: [4.59, 0.55],
  Sn: [4.47, 0.55],
  Sb: [4.35, 0.55],
  Te: [4.23, 0.57],
  I: [4.15, 0.51],
  Na: [3.144, 0.5],
  Ca: [3.472, 0.05],
  Fe: [4.54, 0.055],
  Zn: [4.54, 0.055],
  // From here on Rappé et al. 1992.
  Li: [2.451, 0.025],
  Be: [2.745, 0.085],
  Mg: [3.021, 0.111],
  K: [3.812, 0.035],
  Sc: [3.295, 0.019],
  Ti: [3.175, 0.017],
  V: [3.144, 0.016],
  Cr: [3.023, 0.015],
  Mn: [2.961, 0.013],
  Co: [2.872, 0.014],
  Ni: [2.834, 0.015],
  Cu: [3.495, 0.005],
  Rb: [4.114, 0.04],
  Sr: [3.641, 0.235],
  Y: [3.345, 0.072],
  Zr: [3.124, 0.069],
  Nb: [3.165, 0.059],
  Mo: [3.052, 0.056],
  Ru: [2.963, 0.056],
  Rh: [2.929, 0.053],
  Pd: [2.899, 0.048],
  Ag: [3.148, 0.036],
  Cd: [2.848, 0.228],
  Cs: [4.517, 0.045],
  Ba: [3.703, 0.364],
  W: [3.069, 0.067],
  Re: [2.954, 0.066],
  Os: [3.12, 0.037],
  Ir: [2.84, 0.073],
  Pt: [2.754, 0.08],
  Au: [3.293, 0.039],
  Hg: [2.705, 0.385],
  Tl: [4.347, 0.68],
  Pb: [4.297, 0.663],
  Bi: [4.37, 0.518],
};

/** Steepness of the wall: the exponent at the distance of the minimum. */
const WALL = 12;
/** kcal/mol and Å: of a hydrogen bond beside charges of this size. */
const BOND_DEPTH = 4,
  BOND_LENGTH = 2.75;

export interface PairTerms {
  /** Repulsion A e^(−B r), attraction −C/r⁶; kJ/mol and Å. */
  readonly a: number;
  readonly b: number;
  readonly c: number;
}

/** Whether the tables hold an element; others are taken by their radius, as shallow as metals are. */
export const isTabled = (symbol: string): boolean => symbol === 'D' || symbol in DEPTHS;

const ofKind = (kind: string): readonly [number, number] =>
  DEPTHS[kind === 'D' ? 'H' : kind] ?? [2 * elementOf(kind).vdwRadius, 0.05];

/** The terms of two kinds (elements, or `H+`): distances by their arithmetic, depths by their geometric mean. */
export function pairTerms(p: string, q: string): PairTerms {
  const [r1, d1] = ofKind(p),
    [r2, d2] = ofKind(q);
  const r = (r1 + r2) / 2,
    depth = Math.sqrt(d1 * d2) * KCAL;
  return {
    a: (depth * 6 * Math.exp(WALL)) / (WALL - 6),
    b: WALL / r,
    c: (depth * WALL * r ** 6) / (WALL - 6),
  };
}

/** Of a hydrogen bond over a giver and taker `r` Å apart with the cosine of the angle D–H⋯A; nothing at right angles and beyond. */
export function hydrogenBondTerm(r: number, cosine: number): number {
  if (cosine >= 0) return 0;
  const x = (BOND_LENGTH / r) ** 2;
  return BOND_DEPTH * KCAL * x ** 5 * (5 * x - 6) * cosine ** 4;
}

/** Elements that give and take hydrogen bonds in this field. */
export const BONDING_ELEMENTS: ReadonlySet<string> = new Set(['N', 'O', 'F']);
