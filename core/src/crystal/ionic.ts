/**
 * Ions: charges that a composition balances with, radii by charge and coordination (Shannon 1976, Acta Cryst. A32, 751;
 * effective ionic radii, high spin where both are given), and bond-valence parameters (Brown & Altermatt 1985, Acta Cryst.
 * B41, 244; Brese & O'Keeffe 1991, Acta Cryst. B47, 192).
 */
import type { Formula } from './formula.ts';
import { typeSymbol } from './charge.ts';
import { cellContents, type Structure } from './structure.ts';

/** Å by coordination number. */
type Radii = Readonly<Record<number, number>>;

const RADII: Readonly<Record<string, Radii>> = {
  'Li1+': { 4: 0.59, 6: 0.76, 8: 0.92 },
  'Be2+': { 3: 0.16, 4: 0.27, 6: 0.45 },
  'B3+': { 3: 0.01, 4: 0.11, 6: 0.27 },
  'C4+': { 3: -0.08, 4: 0.15, 6: 0.16 },
  'N3-': { 4: 1.46 },
  'N5+': { 3: -0.104, 6: 0.13 },
  'O2-': { 2: 1.35, 3: 1.36, 4: 1.38, 6: 1.4, 8: 1.42 },
  'F1-': { 2: 1.285, 3: 1.3, 4: 1.31, 6: 1.33 },
  'Na1+': { 4: 0.99, 5: 1, 6: 1.02, 7: 1.12, 8: 1.18, 9: 1.24, 12: 1.39 },
  'Mg2+': { 4: 0.57, 5: 0.66, 6: 0.72, 8: 0.89 },
  'Al3+': { 4: 0.39, 5: 0.48, 6: 0.535 },
  'Si4+': { 4: 0.26, 6: 0.4 },
  'P3+': { 6: 0.44 },
  'P5+': { 4: 0.17, 5: 0.29, 6: 0.38 },
  'S2-': { 6: 1.84 },
  'S4+': { 6: 0.37 },
  'S6+': { 4: 0.12, 6: 0.29 },
  'Cl1-': { 6: 1.81 },
  'Cl7+': { 4: 0.08, 6: 0.27 },
  'K1+': { 4: 1.37, 6: 1.38, 7: 1.46, 8: 1.51, 9: 1.55, 10: 1.59, 12: 1.64 },
  'Ca2+': { 6: 1, 7: 1.06, 8: 1.12, 9: 1.18, 10: 1.23, 12: 1.34 },
  'Sc3+': { 6: 0.745, 8: 0.87 },
  'Ti2+': { 6: 0.86 },
  'Ti3+': { 6: 0.67 },
  'Ti4+': { 4: 0.42, 5: 0.51, 6: 0.605, 8: 0.74 },
  'V2+': { 6: 0.79 },
  'V3+': { 6: 0.64 },
  'V4+': { 5: 0.53, 6: 0.58, 8: 0.72 },
  'V5+': { 4: 0.355, 5: 0.46, 6: 0.54 },
  'Cr2+': { 6: 0.8 },
  'Cr3+': { 6: 0.615 },
  'Cr4+': { 4: 0.41, 6: 0.55 },
  'Cr6+': { 4: 0.26, 6: 0.44 },
  'Mn2+': { 4: 0.66, 5: 0.75, 6: 0.83, 8: 0.96 },
  'Mn3+': { 5: 0.58, 6: 0.645 },
  'Mn4+': { 4: 0.39, 6: 0.53 },
  'Mn7+': { 4: 0.25 },
  'Fe2+': { 4: 0.63, 6: 0.78, 8: 0.92 },
  'Fe3+': { 4: 0.49, 5: 0.58, 6: 0.645, 8: 0.78 },
  'Co2+': { 4: 0.58, 5: 0.67, 6: 0.745, 8: 0.9 },
  'Co3+': { 6: 0.545 },
  'Ni2+': { 4: 0.55, 5: 0.63, 6: 0.69 },
  'Ni3+': { 6: 0.56 },
  'Cu1+': { 2: 0.46, 4: 0.6, 6: 0.77 },
  'Cu2+': { 4: 0.57, 5: 0.65, 6: 0.73 },
  'Zn2+': { 4: 0.6, 5: 0.68, 6: 0.74, 8: 0.9 },
  'Ga3+': { 4: 0.47, 5: 0.55, 6: 0.62 },
  'Ge4+': { 4: 0.39, 6: 0.53 },
  'As3+': { 6: 0.58 },
  'As5+': { 4: 0.335, 6: 0.46 },
  'Se2-': { 6: 1.98 },
  'Se4+': { 6: 0.5 },
  'Se6+': { 4: 0.28, 6: 0.42 },
  'Br1-': { 6: 1.96 },
  'Rb1+': { 6: 1.52, 8: 1.61, 12: 1.72 },
  'Sr2+': { 6: 1.18, 7: 1.21, 8: 1.26, 9: 1.31, 10: 1.36, 12: 1.44 },
  'Y3+': { 6: 0.9, 7: 0.96, 8: 1.019, 9: 1.075 },
  'Zr4+': { 4: 0.59, 5: 0.66, 6: 0.72, 7: 0.78, 8: 0.84, 9: 0.89 },
  'Nb5+': { 4: 0.48, 6: 0.64, 7: 0.69, 8: 0.74 },
  'Mo4+': { 6: 0.65 },
  'Mo6+': { 4: 0.41, 5: 0.5, 6: 0.59, 7: 0.73 },
  'Ru4+': { 6: 0.62 },
  'Rh3+': { 6: 0.665 },
  'Pd2+': { 4: 0.64, 6: 0.86 },
  'Ag1+': { 2: 0.67, 4: 1, 6: 1.15, 8: 1.28 },
  'Cd2+': { 4: 0.78, 5: 0.87, 6: 0.95, 8: 1.1, 12: 1.31 },
  'In3+': { 4: 0.62, 6: 0.8, 8: 0.92 },
  'Sn4+': { 4: 0.55, 5: 0.62, 6: 0.69, 8: 0.81 },
  'Sb3+': { 4: 0.76, 5: 0.8, 6: 0.76 },
  'Sb5+': { 6: 0.6 },
  'Te2-': { 6: 2.21 },
  'Te4+': { 4: 0.66, 6: 0.97 },
  'Te6+': { 4: 0.43, 6: 0.56 },
  'I1-': { 6: 2.2 },
  'I5+': { 3: 0.44, 6: 0.95 },
  'I7+': { 4: 0.42, 6: 0.53 },
  'Cs1+': { 6: 1.67, 8: 1.74, 9: 1.78, 10: 1.81, 11: 1.85, 12: 1.88 },
  'Ba2+': { 6: 1.35, 7: 1.38, 8: 1.42, 9: 1.47, 10: 1.52, 11: 1.57, 12: 1.61 },
  'La3+': { 6: 1.032, 7: 1.1, 8: 1.16, 9: 1.216, 10: 1.27, 12: 1.36 },
  'Ce3+': { 6: 1.01, 8: 1.143, 9: 1.196, 12: 1.34 },
  'Ce4+': { 6: 0.87, 8: 0.97, 10: 1.07, 12: 1.14 },
  'Pr3+': { 6: 0.99, 8: 1.126, 9: 1.179 },
  'Nd3+': { 6: 0.983, 8: 1.109, 9: 1.163, 12: 1.27 },
  'Sm3+': { 6: 0.958, 8: 1.079, 9: 1.132, 12: 1.24 },
  'Eu2+': { 6: 1.17, 8: 1.25 },
  'Eu3+': { 6: 0.947, 8: 1.066, 9: 1.12 },
  'Gd3+': { 6: 0.938, 7: 1, 8: 1.053, 9: 1.107 },
  'Tb3+': { 6: 0.923, 8: 1.04, 9: 1.095 },
  'Dy3+': { 6: 0.912, 8: 1.027, 9: 1.083 },
  'Ho3+': { 6: 0.901, 8: 1.015, 9: 1.072 },
  'Er3+': { 6: 0.89, 8: 1.004, 9: 1.062 },
  'Tm3+': { 6: 0.88, 8: 0.994 },
  'Yb3+': { 6: 0.868, 7: 0.925, 8: 0.985, 9: 1.042 },
  'Lu3+': { 6: 0.861, 8: 0.977, 9: 1.032 },
  'Hf4+': { 4: 0.58, 6: 0.71, 7: 0.76, 8: 0.83 },
  'Ta5+': { 6: 0.64, 7: 0.69, 8: 0.74 },
  'W4+': { 6: 0.66 },
  'W6+': { 4: 0.42, 5: 0.51, 6: 0.6 },
  'Re7+': { 4: 0.38, 6: 0.53 },
  'Pt2+': { 4: 0.6 },
  'Pt4+': { 6: 0.625 },
  'Au1+': { 6: 1.37 },
  'Au3+': { 4: 0.68 },
  'Hg2+': { 2: 0.69, 4: 0.96, 6: 1.02, 8: 1.14 },
  'Tl1+': { 6: 1.5, 8: 1.59, 12: 1.7 },
  'Tl3+': { 4: 0.75, 6: 0.885, 8: 0.98 },
  'Pb2+': { 4: 0.98, 6: 1.19, 7: 1.23, 8: 1.29, 9: 1.35, 10: 1.4, 12: 1.49 },
  'Pb4+': { 4: 0.65, 6: 0.775, 8: 0.94 },
  'Bi3+': { 5: 0.96, 6: 1.03, 8: 1.17 },
  'Th4+': { 6: 0.94, 8: 1.05, 9: 1.09, 10: 1.13, 12: 1.21 },
  'U4+': { 6: 0.89, 8: 1 },
  'U6+': { 2: 0.45, 4: 0.52, 6: 0.73, 7: 0.81, 8: 0.86 },
};

/** R₀, Å, of cation and anion; b is 0.37 Å throughout. */
const VALENCE: Readonly<Record<string, Readonly<Record<string, number>>>> = {
  O: {
    'Li1+': 1.466,
    'Be2+': 1.381,
    'B3+': 1.371,
    'C4+': 1.39,
    'N5+': 1.432,
    'Na1+': 1.8,
    'Mg2+': 1.693,
    'Al3+': 1.651,
    'Si4+': 1.624,
    'P5+': 1.604,
    'S4+': 1.644,
    'S6+': 1.624,
    'Cl7+': 1.632,
    'K1+': 2.13,
    'Ca2+': 1.967,
    'Sc3+': 1.849,
    'Ti3+': 1.791,
    'Ti4+': 1.815,
    'V3+': 1.743,
    'V4+': 1.784,
    'V5+': 1.803,
    'Cr3+': 1.724,
    'Cr6+': 1.794,
    'Mn2+': 1.79,
    'Mn3+': 1.76,
    'Mn4+': 1.753,
    'Fe2+': 1.734,
    'Fe3+': 1.759,
    'Co2+': 1.692,
    'Co3+': 1.7,
    'Ni2+': 1.654,
    'Cu1+': 1.593,
    'Cu2+': 1.679,
    'Zn2+': 1.704,
    'Ga3+': 1.73,
    'Ge4+': 1.748,
    'As3+': 1.789,
    'As5+': 1.767,
    'Se4+': 1.811,
    'Se6+': 1.788,
    'Rb1+': 2.26,
    'Sr2+': 2.118,
    'Y3+': 2.014,
    'Zr4+': 1.937,
    'Nb5+': 1.911,
    'Mo6+': 1.907,
    'Ag1+': 1.805,
    'Cd2+': 1.904,
    'In3+': 1.902,
    'Sn2+': 1.984,
    'Sn4+': 1.905,
    'Sb3+': 1.973,
    'Sb5+': 1.942,
    'Te4+': 1.977,
    'Te6+': 1.917,
    'I5+': 2.003,
    'I7+': 1.93,
    'Cs1+': 2.42,
    'Ba2+': 2.29,
    'La3+': 2.172,
    'Ce3+': 2.151,
    'Ce4+': 2.028,
    'Nd3+': 2.117,
    'Sm3+': 2.088,
    'Gd3+': 2.065,
    'Yb3+': 1.985,
    'Lu3+': 1.971,
    'Hf4+': 1.923,
    'Ta5+': 1.92,
    'W6+': 1.921,
    'Hg2+': 1.93,
    'Tl1+': 2.172,
    'Tl3+': 2.003,
    'Pb2+': 2.112,
    'Pb4+': 2.042,
    'Bi3+': 2.09,
    'Th4+': 2.167,
    'U4+': 2.112,
    'U6+': 2.075,
  },
  F: {
    'Li1+': 1.36,
    'Na1+': 1.677,
    'K1+': 1.992,
    'Rb1+': 2.16,
    'Cs1+': 2.33,
    'Mg2+': 1.581,
    'Ca2+': 1.842,
    'Sr2+': 2.019,
    'Ba2+': 2.19,
    'Al3+': 1.545,
    'Ti4+': 1.76,
    'Mn2+': 1.698,
    'Fe3+': 1.67,
    'Ni2+': 1.599,
    'Zn2+': 1.62,
    'Y3+': 1.904,
    'Pb2+': 2.03,
  },
  Cl: {
    'Li1+': 1.91,
    'Na1+': 2.15,
    'K1+': 2.52,
    'Rb1+': 2.65,
    'Cs1+': 2.79,
    'Mg2+': 2.08,
    'Ca2+': 2.37,
    'Sr2+': 2.51,
    'Ba2+': 2.69,
    'Mn2+': 2.13,
    'Fe2+': 2.06,
    'Cu1+': 1.85,
    'Cu2+': 2,
    'Zn2+': 2.01,
    'Ag1+': 2.09,
    'Cd2+': 2.23,
    'Hg2+': 2.25,
    'Pb2+': 2.53,
  },
  S: {
    'Na1+': 2.28,
    'Mg2+': 2.18,
    'Ca2+': 2.45,
    'Mn2+': 2.22,
    'Fe2+': 2.12,
    'Cu1+': 1.86,
    'Cu2+': 2.06,
    'Zn2+': 2.09,
    'Ge4+': 2.217,
    'As3+': 2.26,
    'Ag1+': 2.15,
    'Cd2+': 2.29,
    'Sb3+': 2.45,
    'Hg2+': 2.32,
    'Pb2+': 2.55,
  },
};
const SOFTNESS = 0.37;

const ionKey = (element: string, charge: number): string =>
  Math.abs(charge) === 1 ? `${element}1${charge > 0 ? '+' : '-'}` : typeSymbol(element, charge);

/**
 * Radius of an ion, Å; between tabulated coordination numbers by a straight line, beyond them the last one. Undefined where
 * none is tabulated.
 */
export function ionicRadius(element: string, charge: number, coordination: number): number | undefined {
  const table = RADII[ionKey(element, charge)];
  if (!table) return undefined;
  const known = Object.keys(table)
    .map(Number)
    .sort((a, b) => a - b);
  const above = known.find((n) => n >= coordination) ?? known.at(-1)!;
  const below = known.filter((n) => n <= coordination).at(-1) ?? known[0]!;
  if (above === below) return table[above];
  const t = (coordination - below) / (above - below);
  return table[below]! + t * (table[above]! - table[below]!);
}

/** Valence of a bond of this length (Å), in units of the elementary charge: exp((R₀ − d)/b). Undefined without a parameter. */
export function bondValence(cation: string, charge: number, anion: string, length: number): number | undefined {
  const r0 = VALENCE[anion]?.[ionKey(cation, charge)];
  return r0 === undefined ? undefined : Math.exp((r0 - length) / SOFTNESS);
}

/** Usual charges of elements as cations, the likeliest first. */
const CATIONS: Readonly<Record<string, readonly number[]>> = {
  H: [1],
  Li: [1],
  Na: [1],
  K: [1],
  Rb: [1],
  Cs: [1],
  Ag: [1],
  Tl: [1, 3],
  Be: [2],
  Mg: [2],
  Ca: [2],
  Sr: [2],
  Ba: [2],
  Zn: [2],
  Cd: [2],
  Hg: [2, 1],
  Ni: [2, 3],
  Co: [2, 3],
  Cu: [2, 1],
  Fe: [3, 2],
  Mn: [2, 3, 4, 7],
  Cr: [3, 6, 4, 2],
  V: [5, 4, 3, 2],
  Ti: [4, 3, 2],
  Sc: [3],
  Y: [3],
  La: [3],
  Ce: [4, 3],
  Pr: [3],
  Nd: [3],
  Sm: [3],
  Eu: [3, 2],
  Gd: [3],
  Tb: [3],
  Dy: [3],
  Ho: [3],
  Er: [3],
  Tm: [3],
  Yb: [3],
  Lu: [3],
  Zr: [4],
  Hf: [4],
  Nb: [5],
  Ta: [5],
  Mo: [6, 4],
  W: [6, 4],
  Re: [7],
  Ru: [4, 3],
  Rh: [3],
  Pd: [2],
  Pt: [4, 2],
  Au: [3, 1],
  B: [3],
  Al: [3],
  Ga: [3],
  In: [3],
  C: [4],
  Si: [4],
  Ge: [4],
  Sn: [4, 2],
  Pb: [2, 4],
  N: [5, 3],
  P: [5, 3],
  As: [5, 3],
  Sb: [3, 5],
  Bi: [3],
  S: [6, 4],
  Se: [4, 6],
  Te: [4, 6],
  Cl: [7, 5],
  Br: [5],
  I: [5, 7],
  Th: [4],
  U: [6, 4],
};
/** Charges as anions, the greediest element first: what stands before takes its electrons from what stands after. */
const ANIONS: readonly (readonly [string, number])[] = [
  ['F', -1],
  ['O', -2],
  ['Cl', -1],
  ['N', -3],
  ['Br', -1],
  ['I', -1],
  ['S', -2],
  ['Se', -2],
  ['Te', -2],
];
/** e per cell that sums of occupancies may be off. */
const BALANCED = 0.05;

/** Charge of each element that balances a composition; undefined where nothing usual does, and for molecules of carbon and hydrogen. */
export function balancedCharges(contents: Formula): Record<string, number> | undefined {
  if (contents['C'] && contents['H']) return undefined;
  const present = Object.keys(contents).filter((e) => contents[e]! > 0);
  const anions = ANIONS.filter(([e]) => present.includes(e));
  // The greediest anion alone first, then the others as anions too: sulphate before sulphide beside oxygen.
  for (let taken = 1; taken <= anions.length; taken++) {
    const fixed = Object.fromEntries(anions.slice(0, taken));
    const rest = present.filter((e) => !(e in fixed));
    const found = balance(contents, fixed, rest);
    if (found) return found;
  }
  return undefined;
}

function balance(
  contents: Formula,
  fixed: Readonly<Record<string, number>>,
  rest: readonly string[],
): Record<string, number> | undefined {
  if (!rest.length || rest.some((e) => !CATIONS[e])) return undefined;
  const start = Object.entries(fixed).reduce((sum, [e, q]) => sum + q * contents[e]!, 0);
  let best: { charges: Record<string, number>; rank: number } | undefined;
  const walk = (i: number, total: number, charges: Record<string, number>, rank: number): void => {
    if (best && rank >= best.rank) return;
    if (i === rest.length) {
      if (Math.abs(total) < BALANCED) best = { charges: { ...fixed, ...charges }, rank };
      return;
    }
    const e = rest[i]!;
    CATIONS[e]!.forEach((q, k) => walk(i + 1, total + q * contents[e]!, { ...charges, [e]: q }, rank + k));
  };
  walk(0, start, {}, 0);
  return best?.charges;
}

/** The likeliest charge of an element in a compound of ions: undefined where none is usual. */
export const usualCharge = (element: string): number | undefined =>
  ANIONS.find(([e]) => e === element)?.[1] ?? CATIONS[element]?.[0];

/** Charge of every site: the file's own where it has one, else what balances the cell; undefined where neither says. */
export function siteCharges(s: Structure): (number | undefined)[] {
  const usual = balancedCharges(cellContents(s));
  return s.sites.map((x) => x.charge ?? usual?.[x.element]);
}

/** Coordination that the ratio of radii (smaller over larger) allows (Pauling 1929, J. Am. Chem. Soc. 51, 1010). */
export function coordinationOfRatio(ratio: number): number {
  const limits: readonly (readonly [number, number])[] = [
    [0.155, 2],
    [0.225, 3],
    [Math.SQRT2 - 1, 4],
    [Math.sqrt(3) - 1, 6],
    [1, 8],
  ];
  return limits.find(([most]) => ratio < most)?.[1] ?? 12;
}
