/** How the data of a refinement are treated: what is left out, twinning, extinction, and the part of a solvent mask. Plain data. */
import type { AsphericalAtoms } from './form-factors.ts';
import type { Mat3 } from '../math/matrix3.ts';

export interface Overlaps {
  readonly h: Int16Array;
  readonly k: Int16Array;
  readonly l: Int16Array;
  readonly h2: Int16Array;
  readonly k2: Int16Array;
  readonly l2: Int16Array;
}

export interface TwinComponent {
  /** Indices in the component: h′ = M h (column vectors). */
  readonly law: Mat3;
  readonly fraction: number;
  readonly su?: number;
  /** Overlaps listed one by one instead of by the law: reflection h k l holds h2 k2 l2 of this component as well. */
  readonly overlaps?: Overlaps;
  /** How it is said: "two-fold about c*", "inversion". */
  readonly name: string;
}

/** Structure-factor contribution of disordered solvent, by reflection (A and B in electrons). */
export interface SolventMask {
  readonly h: Int16Array;
  readonly k: Int16Array;
  readonly l: Int16Array;
  readonly a: Float64Array;
  readonly b: Float64Array;
  /** Å³ per cell. */
  readonly volume: number;
  /** Electrons per cell. */
  readonly electrons: number;
  readonly voids: readonly {
    readonly centre: readonly [number, number, number];
    readonly volume: number;
    readonly electrons: number;
  }[];
}

export interface ExcludedReflection {
  readonly h: number;
  readonly k: number;
  readonly l: number;
  readonly reason: string;
}

export interface Treatment {
  /** Å; reflections of smaller spacing are left out. */
  readonly dMin?: number;
  /** Å; reflections of larger spacing are left out. */
  readonly dMax?: number;
  readonly excluded?: readonly ExcludedReflection[];
  readonly twins?: readonly TwinComponent[];
  readonly extinction?: boolean;
  readonly mask?: SolventMask;
  /** Form factors from wavefunctions; sites they do not speak of stay spherical. */
  readonly aspherical?: AsphericalAtoms;
}
