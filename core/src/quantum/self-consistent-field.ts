/** The self-consistent field: restricted and unrestricted, Hartree–Fock and Kohn–Sham (Roothaan 1951; Pople & Nesbet 1954). */
import type { TaskContext } from '../task-context.ts';
import { Diis } from './diis.ts';
import { product } from '../math/dense-product.ts';
import { commutator, contracted, eigen, orthogonaliser, within } from './matrices.ts';
import {
  fromOccupations,
  fromOrbitals,
  type ExchangeCorrelation,
  type RepulsionBuilder,
  type SpinDensity,
} from './spin-density.ts';

/** What does not change while the field becomes consistent. */
export interface FieldProblem {
  readonly size: number;
  readonly overlap: Float64Array;
  /** Kinetic energy, nuclei and what is around. */
  readonly core: Float64Array;
  /** Energy of the nuclei among themselves and in what is around. */
  readonly nuclear: number;
  readonly repulsion: RepulsionBuilder;
  /** Share of exact exchange: 1 is Hartree–Fock without `correlation`. */
  readonly exactExchange: number;
  readonly correlation?: ExchangeCorrelation;
  /** Electrons of either spin; equal numbers of a closed shell may be given as one. */
  readonly occupied: readonly number[];
}

export interface FieldOptions {
  readonly cycles: number;
  /** Largest element of the orbital gradient at which it has settled. */
  readonly settled: number;
  /** Hartree by which empty orbitals are raised. */
  readonly levelShift: number;
  /** Iterations after which a field that swings is settled with orbitals filled by their energies. */
  readonly patience: number;
  /** How sharply they are then filled: kT in hartree. */
  readonly smearing: number;
}

export const USUAL_FIELD: FieldOptions = { cycles: 80, settled: 1e-6, levelShift: 0, patience: 35, smearing: 0.01 };

export interface Orbitals {
  /** size × width, columns by rising energy. */
  readonly coefficients: Float64Array;
  readonly width: number;
  /** Hartree. */
  readonly energies: Float64Array;
  readonly occupied: number;
}

export interface FieldReport {
  readonly iteration: number;
  readonly energy: number;
  /** Largest element of the orbital gradient. */
  readonly gradient: number;
}

export interface FieldResult {
  readonly energy: number;
  readonly iterations: number;
  readonly converged: boolean;
  /** kT (hartree) that the orbitals are filled by, where the field did not settle with whole electrons. */
  readonly smearing?: number;
  readonly spins: readonly SpinDensity[];
  readonly orbitals: readonly Orbitals[];
  /** Density of all electrons. */
  readonly total: Float64Array;
}

/** Σ over the spins; one stands for both. */
export function totalDensity(spins: readonly SpinDensity[]): Float64Array {
  const share = spins.length === 1 ? 2 : 1;
  const out = new Float64Array(spins[0]!.density.length);
  for (const { density } of spins) for (let i = 0; i < out.length; i++) out[i]! += share * density[i]!;
  return out;
}

interface Fock {
  readonly energy: number;
  readonly matrices: readonly Float64Array[];
}

async function fockOf(p: FieldProblem, spins: readonly SpinDensity[], context: TaskContext): Promise<Fock> {
  const total = totalDensity(spins),
    share = spins.length === 1 ? 2 : 1;
  const { coulomb, exchange } = await p.repulsion.build(total, spins, p.exactExchange > 0, context);
  const xc = await p.correlation?.evaluate(spins, context);
  let energy = p.nuclear + contracted(total, p.core) + 0.5 * contracted(total, coulomb) + (xc?.energy ?? 0);
  const matrices = spins.map(({ density }, s) => {
    const k = exchange[s],
      v = xc?.potentials[s];
    if (k) energy -= 0.5 * share * p.exactExchange * contracted(density, k);
    return Float64Array.from(p.core, (x, i) => x + coulomb[i]! - (k ? p.exactExchange * k[i]! : 0) + (v ? v[i]! : 0));
  });
  return { energy, matrices };
}

/**
 * How far each orbital of one spin is filled at kT (hartree): 1/(1 + exp((ε − μ)/kT)), μ by their number (Rabuck & Scuseria 1999,
 * J. Chem. Phys. 110, 695).
 */
export function fermiOccupations(energies: Float64Array, count: number, kT: number): Float64Array {
  const filled = (mu: number): Float64Array => energies.map((e) => 1 / (1 + Math.exp((e - mu) / kT)));
  let [low, high] = [energies[0]! - 60 * kT, energies[energies.length - 1]! + 60 * kT];
  for (let i = 0; i < 200 && high - low > 1e-14; i++) {
    const mu = (low + high) / 2;
    if (filled(mu).reduce((sum, x) => sum + x, 0) < count) low = mu;
    else high = mu;
  }
  return filled((low + high) / 2);
}

/** F + shift·(S − S D S): raises what the density does not hold. */
function shifted(f: Float64Array, d: Float64Array, overlap: Float64Array, size: number, shift: number): Float64Array {
  if (!shift) return f;
  const sds = product(product(overlap, d, size, size, size), overlap, size, size, size);
  return f.map((x, i) => x + shift * (overlap[i]! - sds[i]!));
}

const densityOf = ({ coefficients, width, energies, occupied }: Orbitals, size: number, kT: number): SpinDensity =>
  kT && occupied
    ? fromOccupations(coefficients, size, width, fermiOccupations(energies, occupied, kT))
    : fromOrbitals(coefficients, size, width, occupied);

/**
 * Iterates until the orbital gradient is below `settled`, from densities given; one that swings is settled with orbitals filled by their energies. Never throws for want of convergence: the
 * result says so and can be gone on from.
 */
export async function selfConsistentField(
  p: FieldProblem,
  start: readonly SpinDensity[],
  options: FieldOptions,
  context: TaskContext,
  report: (r: FieldReport) => void = () => undefined,
): Promise<FieldResult> {
  const { size } = p;
  const basis = orthogonaliser(p.overlap, size),
    { x, kept } = basis;
  let diis = new Diis();
  let smearing = 0;
  let spins = start;
  let orbitals: Orbitals[] = [];
  for (let iteration = 1; ; iteration++) {
    await context.breath();
    const fock = await fockOf(p, spins, context);
    const errors = fock.matrices.map((f, s) => commutator(f, spins[s]!.density, p.overlap, size, basis));
    const gradient = errors.reduce((most, e) => e.reduce((m, v) => Math.max(m, Math.abs(v)), most), 0);
    report({ iteration, energy: fock.energy, gradient });
    const converged = iteration > 1 && gradient < options.settled;
    if (converged || iteration >= options.cycles)
      return {
        energy: fock.energy,
        iterations: iteration,
        converged,
        ...(smearing ? { smearing } : {}),
        spins,
        orbitals,
        total: totalDensity(spins),
      };
    if (!smearing && options.smearing && iteration >= options.patience) {
      // It swings between orbitals of nearly one energy: each gets its part, and what was learned while swinging is dropped.
      smearing = options.smearing;
      diis = new Diis();
    }
    orbitals = diis.next(fock.matrices, errors).map((f, s) => {
      const raised = shifted(f, spins[s]!.density, p.overlap, size, gradient > 1e-3 ? options.levelShift : 0);
      const { values, vectors } = eigen(within(raised, x, size, kept), kept);
      return {
        coefficients: product(x, vectors, size, kept, kept),
        width: kept,
        energies: values,
        occupied: p.occupied[s]!,
      };
    });
    spins = orbitals.map((o) => densityOf(o, size, smearing));
  }
}
