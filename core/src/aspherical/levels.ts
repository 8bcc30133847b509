/** How good and how long: three levels in words, with the basis, method and surroundings behind each. */
import type { BasisName } from '../quantum/basis-sets.ts';
import type { MethodName } from '../quantum/functionals.ts';
import { USUAL_WAVEFUNCTION, type WavefunctionOptions } from '../quantum/wavefunction.ts';
import type { Neighbourhood } from './cluster.ts';

export type LevelName = 'quick' | 'good' | 'best';
export const LEVEL_NAMES: readonly LevelName[] = ['quick', 'good', 'best'];

export interface Level {
  readonly title: string;
  /** What it is for, in a sentence. */
  readonly says: string;
  readonly basis: BasisName;
  readonly method: MethodName;
  readonly neighbours: Neighbourhood;
}

export const LEVELS: Readonly<Record<LevelName, Level>> = {
  quick: {
    title: 'Quick',
    says: 'Each molecule alone: a first look. Hydrogens in hydrogen bonds may stay some hundredths of an Å short.',
    basis: '6-31G(d,p)',
    method: 'gga',
    neighbours: 'none',
  },
  good: {
    title: 'Good',
    says: 'Each molecule in the field of the crystal: hydrogens come to where they are, those of hydrogen bonds too.',
    basis: '6-31G(d,p)',
    method: 'hybrid',
    neighbours: 'field',
  },
  best: {
    title: 'Best',
    says: 'A larger basis in the field of the crystal: for densities that are to be shown.',
    basis: 'triple-zeta',
    method: 'hybrid',
    neighbours: 'field',
  },
};

/** What a method is, for people and for the record. */
export const METHOD_WORDS: Readonly<Record<MethodName, string>> = {
  hf: 'Hartree–Fock',
  lda: 'local density (Slater; Vosko, Wilk & Nusair 1980)',
  gga: 'gradient-corrected density functional (Perdew, Burke & Ernzerhof 1996)',
  hybrid: 'hybrid density functional (Perdew, Burke & Ernzerhof 1996 with a quarter of exact exchange)',
};

export const BASIS_WORDS: Readonly<Record<BasisName, string>> = {
  'STO-3G': 'STO-3G',
  '3-21G': '3-21G',
  '6-31G': '6-31G',
  '6-31G(d)': '6-31G(d)',
  '6-31G(d,p)': '6-31G(d,p)',
  'double-zeta': 'double-zeta polarised, contracted from even-tempered primitives',
  'triple-zeta': 'triple-zeta polarised, contracted from even-tempered primitives',
};

export const NEIGHBOUR_WORDS: Readonly<Record<Neighbourhood, string>> = {
  none: 'each molecule alone',
  'hydrogen-bonded': 'with the molecules bound by hydrogen bonds',
  field: 'in the charges and dipoles of the crystal around, made self-consistent',
};

/** How the density of a molecule is divided among its atoms, and what is said of it. */
export type Division = 'stockholder' | 'iterated';
export const DIVISIONS: readonly Division[] = ['stockholder', 'iterated'];
export const DIVISION_WORDS: Readonly<Record<Division, string>> = {
  stockholder: 'stockholder (Hirshfeld, 1977) by averaged Hartree-Fock atoms in the same basis',
  iterated: 'iterated stockholder (Bultinck et al., 2007) by averaged Hartree-Fock atoms and ions in the same basis',
};

/** Options of a wavefunction by basis and method. */
export const wavefunctionOptions = (basis: BasisName, method: MethodName): WavefunctionOptions => ({
  ...USUAL_WAVEFUNCTION,
  basis,
  method,
});

/** Primitives up to which the integrals themselves are made where an energy is asked for alone. */
const EXACT_UP_TO = 70;

/** The same for a molecule whose energy is wanted to the last digits: exact integrals where it is small, a finer grid. */
export const energyOptions = (basis: BasisName, method: MethodName): WavefunctionOptions => ({
  ...wavefunctionOptions(basis, method),
  repulsion: { exactUpTo: EXACT_UP_TO },
  grid: { radial: 75, sphere: 302 },
});
