/** Densities of the two spins in a basis, and what they do to one another. */
import type { TaskContext } from '../task-context.ts';
import { eigen, outerSquare } from './matrices.ts';

/** Density of one spin: D = C Cᵀ. */
export interface SpinDensity {
  /** size × size. */
  readonly density: Float64Array;
  /** C, size × count: occupied orbitals, or what does their work. */
  readonly factor: Float64Array;
  readonly count: number;
}

/** From the first `count` columns of orbitals (size × width). */
export function fromOrbitals(orbitals: Float64Array, size: number, width: number, count: number): SpinDensity {
  const factor = new Float64Array(size * count);
  for (let i = 0; i < size; i++) for (let k = 0; k < count; k++) factor[i * count + k] = orbitals[i * width + k]!;
  return fromFactor(factor, size);
}

/** From occupied orbitals, size × count. */
export function fromFactor(factor: Float64Array, size: number): SpinDensity {
  const count = factor.length / size;
  return { density: outerSquare(factor, size, count), factor, count };
}

/** From orbitals (columns of size × width) that are filled in part. */
export function fromOccupations(
  orbitals: Float64Array,
  size: number,
  width: number,
  occupations: Float64Array,
): SpinDensity {
  const used = Array.from(occupations.keys()).filter((k) => occupations[k]! > 1e-12);
  const factor = new Float64Array(size * used.length);
  for (let i = 0; i < size; i++)
    used.forEach((k, n) => (factor[i * used.length + n] = orbitals[i * width + k]! * Math.sqrt(occupations[k]!)));
  return fromFactor(factor, size);
}

/** From a density that came from elsewhere; its factor by eigenvectors, what is negative left out. */
export function fromDensity(density: Float64Array, size: number): SpinDensity {
  const { values, vectors } = eigen(density, size);
  const used = Array.from(values.keys()).filter((j) => values[j]! > 1e-10);
  const factor = new Float64Array(size * used.length);
  for (let i = 0; i < size; i++)
    used.forEach((j, k) => (factor[i * used.length + k] = vectors[i * size + j]! * Math.sqrt(values[j]!)));
  return { density, factor, count: used.length };
}

/** What electrons do to another one. */
export interface Repulsion {
  /** J of the whole density. */
  readonly coulomb: Float64Array;
  /** K of each spin; empty where it was not asked for. */
  readonly exchange: readonly Float64Array[];
}

/** Makes J of the density of all electrons and K of each spin. */
export interface RepulsionBuilder {
  build(
    total: Float64Array,
    spins: readonly SpinDensity[],
    withExchange: boolean,
    context: TaskContext,
  ): Promise<Repulsion>;
}

/** Energy and potential of exchange and correlation for the densities of one (closed shell) or two spins. */
export interface ExchangeCorrelation {
  evaluate(
    spins: readonly SpinDensity[],
    context: TaskContext,
  ): Promise<{ readonly energy: number; readonly potentials: readonly Float64Array[]; readonly electrons: number }>;
}
