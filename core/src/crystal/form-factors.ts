/** Form factors of single sites, complex, at whole indices: what aspherical atoms scatter. Plain data. */

export interface FormFactors {
  /** Site ids. */
  readonly sites: readonly string[];
  /** Indices, of each pair with its negative the one whose first index that is not zero is positive. */
  readonly h: Int16Array;
  readonly k: Int16Array;
  readonly l: Int16Array;
  /** Electrons, without dispersion: site s at triple i stands at s·count + i. The negative triple has the conjugate. */
  readonly real: Float64Array;
  readonly imaginary: Float64Array;
}

/** Whether a triple stands for itself; its negative is the one that is kept otherwise. */
export const isKept = (h: number, k: number, l: number): boolean =>
  h > 0 || (h === 0 && (k > 0 || (k === 0 && l >= 0)));

/** One number for a triple of indices within ±1023. */
export const tripleKey = (h: number, k: number, l: number): number => ((h + 1024) * 2048 + k + 1024) * 2048 + l + 1024;

/** What a wavefunction said of one molecule. */
export interface MoleculeReading {
  /** Labels of its atoms' sites, atom by atom, neighbours left out. */
  readonly labels: readonly string[];
  /** Where these are a part of a molecule: which one, and of how many. */
  readonly part?: { readonly number: number; readonly of: number };
  readonly charge: number;
  /** 2S + 1. */
  readonly multiplicity: number;
  /** Atoms in the wavefunction, neighbours and hydrogens that end a part included. */
  readonly atoms: number;
  readonly functions: number;
  readonly electrons: number;
  /** Electrons of the shares of all its atoms; absent where neighbours are in the wavefunction. */
  readonly shared?: number;
  /** Hartree. */
  readonly energy: number;
  readonly iterations: number;
  readonly converged: boolean;
  /** kT in hartree that orbitals of nearly one energy were filled by; absent where whole electrons did. */
  readonly smearing?: number;
  /** Debye, about the middle of its nuclei's charge. */
  readonly dipole: number;
  /** Net charges of its atoms, electrons. */
  readonly charges: readonly number[];
}

/** A bond to hydrogen, Å. */
export interface HydrogenLength {
  /** Site ids. */
  readonly hydrogen: string;
  readonly parent: string;
  readonly length: number;
}

/** What the same model gave with spherical atoms, its hydrogens free. */
export interface SphericalReading {
  readonly r1: number;
  readonly wr2: number;
  /** Extremes of the residual density, e Å⁻³. */
  readonly peak: number;
  readonly hole: number;
  readonly lengths: readonly HydrogenLength[];
}

/** What the electrons of sites do, each about its own nucleus: see `aspherical/atom-potentials.ts`. */
export interface AtomPotentials {
  readonly sites: readonly string[];
  /** bohr, rising, one list a site. */
  readonly radii: readonly Float64Array[];
  /** r^(l+1) V_lm(r) to l = 3, hartree bohr^(l+1)/e, sixteen a radius, in the crystal's Cartesian axes. */
  readonly parts: readonly Float64Array[];
}

/** Temperature of electrons with so much kT (hartree), K (CODATA 2018). */
export const kelvinOf = (kT: number): number => kT * 315775.02480407;

/** The orbitals that hold the electrons of one spin: what a wavefunction is gone on from. */
export interface OccupiedOrbitals {
  /** Functions of the basis. */
  readonly size: number;
  /** size × count, row by row, in the crystal's Cartesian axes; each times the root of its electrons. */
  readonly factor: Float64Array;
}

/** Aspherical atoms of a refinement: their form factors, how they were made, and what they are compared with. */
export interface AsphericalAtoms {
  readonly factors: FormFactors;
  readonly basis: string;
  readonly method: string;
  readonly neighbours: string;
  /** How the density was divided; by free atoms where absent. */
  readonly division?: string;
  readonly molecules: readonly MoleculeReading[];
  /** Absent where the factors were read from a file. */
  readonly potentials?: AtomPotentials;
  /** By molecule and spin. */
  readonly orbitals?: readonly (readonly OccupiedOrbitals[])[];
  readonly spherical: SphericalReading;
}
