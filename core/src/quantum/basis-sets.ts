/** Basis sets: published ones as far as their tables are held, and own ones for every element to Kr. */
import { ELEMENTS } from '../crystal/elements.ts';
import type { ShellRecipe } from './gaussian.ts';
import table from './tables/basis-sets.json' with { type: 'json' };
import own from './tables/own-basis.json' with { type: 'json' };

/** Rows of exponent, s and p coefficient. */
interface SplitShells {
  readonly s?: number[][];
  readonly sp: number[][][];
}

interface Published {
  readonly minimal: {
    readonly expansions: Record<string, { exponents: number[]; s: number[]; p?: number[] }>;
    readonly zetas: Record<string, number[]>;
  };
  readonly smallSplitValence: { readonly shells: Record<string, SplitShells> };
  readonly splitValence: {
    readonly shells: Record<string, SplitShells>;
    readonly polarisation: Record<string, number>;
  };
}
const published = table as unknown as Published;

const columns = (rows: readonly (readonly number[])[], k: number): number[] => rows.map((row) => row[k]!);

/** STO-3G: each Slater function as three Gaussians, exponents scaled by ζ² (Hehre, Stewart & Pople 1969). */
function minimal(element: string): readonly ShellRecipe[] | undefined {
  const zetas = published.minimal.zetas[element];
  return zetas?.flatMap((zeta, n) => {
    const { exponents, s, p } = published.minimal.expansions[`${n + 1}`]!;
    const scaled = exponents.map((x) => x * zeta * zeta);
    return [{ l: 0, exponents: scaled, coefficients: s }, ...(p ? [{ l: 1, exponents: scaled, coefficients: p }] : [])];
  });
}

const splitShells = (known: SplitShells): readonly ShellRecipe[] => [
  ...(known.s ? [{ l: 0, exponents: columns(known.s, 0), coefficients: columns(known.s, 1) }] : []),
  ...known.sp.flatMap((rows) => [
    { l: 0, exponents: columns(rows, 0), coefficients: columns(rows, 1) },
    ...(rows[0]!.length > 2 ? [{ l: 1, exponents: columns(rows, 0), coefficients: columns(rows, 2) }] : []),
  ]),
];

/** 3-21G (Binkley, Pople & Hehre 1980). */
function smallSplitValence(element: string): readonly ShellRecipe[] | undefined {
  const known = published.smallSplitValence.shells[element];
  return known && splitShells(known);
}

/** 6-31G (Ditchfield, Hehre & Pople 1971; Hehre, Ditchfield & Pople 1972), with d and p functions where asked (Hariharan & Pople 1973). */
function splitValence(element: string, onHeavy: boolean, onHydrogen: boolean): readonly ShellRecipe[] | undefined {
  const known = published.splitValence.shells[element];
  if (!known) return undefined;
  const light = element === 'H' || element === 'He';
  const polarised = light ? onHydrogen : onHeavy;
  const exponent = published.splitValence.polarisation[element];
  if (polarised && exponent === undefined) return undefined;
  return [
    ...splitShells(known),
    ...(polarised ? [{ l: light ? 1 : 2, exponents: [exponent!], coefficients: [1], cartesian: true }] : []),
  ];
}

/** Contractions of the averaged atom of an element, as scripts/contract-basis.ts made them. */
interface OwnAtom {
  /** Hartree. */
  readonly energy: number;
  readonly blocks: readonly {
    readonly l: number;
    /** Rising. */
    readonly exponents: readonly number[];
    /** Occupied orbitals over the normalised primitives. */
    readonly orbitals: readonly (readonly number[])[];
  }[];
}
const ownAtoms = own as unknown as Record<string, OwnAtom>;

/** Coefficients that are smaller than this share of the largest are left out of a contraction. */
const SLIGHT = 3e-4;

function contraction(l: number, exponents: readonly number[], orbital: readonly number[]): ShellRecipe {
  const largest = Math.max(...orbital.map(Math.abs));
  const used = orbital.map((c, i) => [exponents[i]!, c] as const).filter(([, c]) => Math.abs(c) > SLIGHT * largest);
  return { l, exponents: used.map(([x]) => x), coefficients: used.map(([, c]) => c) };
}

const single = (l: number, exponent: number): ShellRecipe => ({ l, exponents: [exponent], coefficients: [1] });

/** Exponents of polarising functions over the most diffuse one of the valence below: one function, or two. */
const POLARISING = [[9], [16, 4.6]] as const;
/** The same for p functions of atoms whose valence is s alone, metals: nearer to the s functions themselves. */
const BESIDE_S = [2, 8] as const;

/**
 * Own sets: the orbitals of the averaged atom, with one (double-zeta) or two (triple-zeta) of the more diffuse primitives of
 * every valence l let free, and polarising functions one or two of the next l.
 */
function ownShells(element: string, zetas: 2 | 3): readonly ShellRecipe[] | undefined {
  const atom = ownAtoms[element];
  if (!atom) return undefined;
  const shells = atom.blocks.flatMap(({ l, exponents, orbitals }) => [
    ...orbitals.map((orbital) => contraction(l, exponents, orbital)),
    ...exponents.slice(1, zetas).map((x) => single(l, x)),
  ]);
  const valence = atom.blocks.filter((b) => b.l < 2).at(-1)!,
    least = valence.exponents[0]!;
  const light = element === 'H' || element === 'He';
  const sMetal = !light && (valence.l === 0 || isSBlock(element));
  const s = atom.blocks[0]!.exponents[0]!;
  const polarising = sMetal
    ? BESIDE_S.map((f) => single(1, f * s))
    : POLARISING[zetas - 2]!.map((f) => single(valence.l + 1, f * least));
  return [...shells, ...polarising];
}

/** Elements whose valence shell holds s (and d) but no p electrons. */
const isSBlock = (element: string): boolean => {
  const z = ELEMENTS.findIndex((e) => e.symbol === element) + 1;
  return [3, 4, 11, 12].includes(z) || (z >= 19 && z <= 30);
};

export type BasisName = 'STO-3G' | '3-21G' | '6-31G' | '6-31G(d)' | '6-31G(d,p)' | 'double-zeta' | 'triple-zeta';
export const BASIS_NAMES: readonly BasisName[] = [
  'STO-3G',
  '3-21G',
  '6-31G',
  '6-31G(d)',
  '6-31G(d,p)',
  'double-zeta',
  'triple-zeta',
];

/** Shells of an element in a set alone, or undefined where its table is not held. */
export function tabledShells(name: BasisName, element: string): readonly ShellRecipe[] | undefined {
  const symbol = element === 'D' ? 'H' : element;
  switch (name) {
    case 'STO-3G':
      return minimal(symbol);
    case '3-21G':
      return smallSplitValence(symbol);
    case '6-31G':
      return splitValence(symbol, false, false);
    case '6-31G(d)':
      return splitValence(symbol, true, false);
    case '6-31G(d,p)':
      return splitValence(symbol, true, true);
    case 'double-zeta':
      return ownShells(symbol, 2);
    case 'triple-zeta':
      return ownShells(symbol, 3);
  }
}

/** The same, with the own double-zeta set for elements that a published one does not hold here. */
export const shellsOf = (name: BasisName, element: string): readonly ShellRecipe[] | undefined =>
  tabledShells(name, element) ?? ownShells(element === 'D' ? 'H' : element, 2);

/** The set that people mean by a name: other spellings of the published ones, and any case. */
export function basisNamed(text: string): BasisName | undefined {
  const plain = text.trim().toLowerCase().replace(/\*\*$/, '(d,p)').replace(/\*$/, '(d)').replace(/\s+/g, '');
  return BASIS_NAMES.find((name) => name.toLowerCase() === plain);
}
