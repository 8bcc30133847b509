/**
 * Refinement with stockholder atoms (Jayatilaka & Dittrich 2008; Capelli et al. 2014): wavefunction, form factors and least
 * squares in turn until model and wavefunction agree.
 */
import { withNeutronHydrogens } from '../contacts/molecules.ts';
import type { Experiment } from '../crystal/experiment.ts';
import type { AsphericalAtoms, FormFactors, MoleculeReading, SphericalReading } from '../crystal/form-factors.ts';
import type { Structure } from '../crystal/structure.ts';
import { SingleCrystalProblem } from '../refine/single-crystal-problem.ts';
import type { CycleReport } from '../refine/single-crystal.ts';
import { triplesOf } from '../scattering/tabulated-factors.ts';
import { refineStage, type Stage } from '../settle/stage.ts';
import type { TaskContext } from '../task-context.ts';
import { fromFactor, type SpinDensity } from '../quantum/spin-density.ts';
import { crystalFactors, type FactorOptions, type FactorReport } from './crystal-factors.ts';
import { freeHydrogens, hydrogenLengths, type HydrogenFreedom } from './free-hydrogens.ts';

export interface AsphericalOptions extends FactorOptions {
  readonly hydrogens: HydrogenFreedom;
  /** At most. */
  readonly rounds: number;
  /** What the levels and terms are called in the record. */
  readonly words: Pick<AsphericalAtoms, 'basis' | 'method' | 'neighbours' | 'division'>;
}

export interface AsphericalRound {
  readonly stage: Stage;
  /** Sum over the molecules, hartree. */
  readonly energy: number;
  /** Largest change of a parameter since the round before, in its s.u. */
  readonly maxShiftOverSu: number;
}

export type AsphericalReport =
  | { readonly kind: 'spherical'; readonly cycle: CycleReport }
  | { readonly kind: 'round'; readonly round: number; readonly factors: FactorReport }
  | { readonly kind: 'cycle'; readonly round: number; readonly cycle: CycleReport };

export interface AsphericalResult {
  /** The same model, its hydrogens as free, with spherical atoms; absent where an earlier run was gone on from. */
  readonly sphericalStage?: Stage;
  readonly spherical: SphericalReading;
  readonly rounds: readonly AsphericalRound[];
  readonly settled: boolean;
  readonly message: string;
}

/** Model and wavefunction agree when no parameter moves by more than this share of its s.u. and the energy by no more than this. */
const SHIFT_SETTLED = 0.01,
  ENERGY_SETTLED = 1e-4;
const CYCLES = 12;

/** All triples that refining against a set may ask for, whatever limits are set. */
function neededTriples(e: Experiment): Pick<FormFactors, 'h' | 'k' | 'l'> {
  const { dMin: _n, dMax: _x, excluded: _e, aspherical: _a, ...treatment } = e.treatment;
  const tables = new SingleCrystalProblem({ ...e, treatment }).tables;
  const lists = tables.map(triplesOf);
  if (lists.length === 1) return lists[0]!;
  const joined = (key: 'h' | 'k' | 'l'): Int16Array => Int16Array.from(lists.flatMap((l) => Array.from(l[key])));
  return { h: joined('h'), k: joined('k'), l: joined('l') };
}

/** Largest change of a free coordinate or displacement between two refinements, in s.u. of the later. */
export function largestShift(before: Structure, after: Structure): number {
  const old = new Map(before.sites.map((x) => [x.id, x]));
  let most = 0;
  const compare = (was: number, is: number, su: number | undefined): void => {
    if (su && su > 0) most = Math.max(most, Math.abs(is - was) / su);
  };
  for (const site of after.sites) {
    const last = old.get(site.id);
    if (!last) continue;
    site.position.forEach((x, k) => compare(last.position[k]!, x, site.positionSu?.[k]));
    const [u, v] = [site.displacement, last.displacement];
    if (u.kind === 'iso' && v.kind === 'iso') compare(v.u, u.u, u.su);
    if (u.kind === 'aniso' && v.kind === 'aniso') u.u.forEach((x, k) => compare(v.u[k]!, x, u.su?.[k]));
  }
  return most;
}

const sphericalReading = (stage: Stage): SphericalReading => ({
  r1: stage.readings.r1,
  wr2: stage.readings.wr2,
  peak: stage.map.peaks[0]?.height ?? 0,
  hole: stage.map.holes[0]?.height ?? 0,
  lengths: hydrogenLengths(stage.structure),
});

/**
 * Refines a model with aspherical atoms. A model that already has them (of an earlier run) is gone on from; otherwise the same
 * model is first refined with spherical atoms, for comparison. `onStage` is called with every stage as it ends: 0 is the
 * spherical one. Throws ImpossibleMolecule where a wavefunction cannot be made.
 */
export async function asphericalRefinement(
  e: Experiment,
  options: AsphericalOptions,
  context: TaskContext<AsphericalReport>,
  onStage: (round: number, stage: Stage) => void = () => undefined,
): Promise<AsphericalResult> {
  const earlier = e.treatment.aspherical;
  const { aspherical: _, ...plain } = e.treatment;
  const freed = freeHydrogens(e.structure, options.hydrogens);
  const quiet = context as TaskContext<unknown>;
  let sphericalStage: Stage | undefined;
  if (!earlier) {
    sphericalStage = await refineStage(
      {
        reflections: e.reflections,
        wavelength: e.wavelength,
        context: quiet,
        onCycle: (_title, cycle) => context.progress({ kind: 'spherical', cycle }),
      },
      'Spherical atoms, hydrogens free',
      freed,
      plain,
      { cycles: CYCLES, weights: e.weights, optimizeWeights: true, covariance: true, extinctionStart: e.extinction },
    );
    onStage(0, sphericalStage);
  }
  const spherical = earlier?.spherical ?? sphericalReading(sphericalStage!);
  const triples = neededTriples(e);
  const rounds: AsphericalRound[] = [];
  let model = sphericalStage ? withNeutronHydrogens(sphericalStage.structure) : freed;
  let last: Structure = sphericalStage?.structure ?? freed;
  let weights = sphericalStage?.readings.weights ?? e.weights;
  let energy = Infinity;
  // Orbitals of an earlier run in the same basis are gone on from, also those of a field that had not settled.
  let densities = earlier?.basis === options.words.basis ? densitiesOf(earlier) : [];
  for (let round = 1; round <= options.rounds; round++) {
    const made = await crystalFactors(
      model,
      triples,
      options,
      quiet,
      (factors) => context.progress({ kind: 'round', round, factors }),
      densities,
    );
    densities = made.wavefunctions.map((w) => w.spins);
    const total = made.molecules.reduce((sum, m) => sum + m.energy, 0);
    const aspherical: AsphericalAtoms = {
      factors: made.factors,
      ...options.words,
      molecules: made.molecules,
      potentials: made.potentials,
      orbitals: densities.map((spins) => spins.map(({ factor, count }) => ({ size: factor.length / count, factor }))),
      spherical,
    };
    const stage = await refineStage(
      {
        reflections: e.reflections,
        wavelength: e.wavelength,
        context: quiet,
        onCycle: (_title, cycle) => context.progress({ kind: 'cycle', round, cycle }),
      },
      `Aspherical atoms, round ${round}`,
      model,
      { ...plain, aspherical },
      {
        cycles: CYCLES,
        weights,
        // Weights that go on changing would keep model and wavefunction from agreeing.
        optimizeWeights: round < 3,
        settled: SHIFT_SETTLED / 2,
        covariance: true,
        extinctionStart: e.extinction,
      },
    );
    const maxShiftOverSu = largestShift(last, stage.structure);
    rounds.push({ stage, energy: total, maxShiftOverSu });
    onStage(round, stage);
    const quietNow = maxShiftOverSu < SHIFT_SETTLED && Math.abs(total - energy) < ENERGY_SETTLED;
    const lost = made.molecules.find((m) => !m.converged);
    if (lost) return { ...common(), settled: false, message: unconverged(lost) };
    if (quietNow) return { ...common(), settled: true, message: agreed(round) };
    [model, last, energy, weights] = [stage.structure, stage.structure, total, stage.readings.weights];
  }
  return {
    ...common(),
    settled: false,
    message: `After ${options.rounds} rounds the largest change was still ${rounds.at(-1)!.maxShiftOverSu.toFixed(2)} s.u.; go on for more.`,
  };

  function common(): Pick<AsphericalResult, 'sphericalStage' | 'spherical' | 'rounds'> {
    return { ...(sphericalStage ? { sphericalStage } : {}), spherical, rounds };
  }
}

/** Densities of each molecule and spin by the orbitals that were kept. */
const densitiesOf = ({ orbitals = [] }: AsphericalAtoms): readonly (readonly SpinDensity[])[] =>
  orbitals.map((spins) => spins.map(({ factor, size }) => fromFactor(factor, size)));

const agreed = (rounds: number): string =>
  `Model and wavefunction agree after ${rounds} ${rounds === 1 ? 'round' : 'rounds'}: nothing moves by more than ${SHIFT_SETTLED} s.u.`;

const unconverged = (m: MoleculeReading): string =>
  `The wavefunction of the molecule of ${m.labels[0]} did not become self-consistent in ${m.iterations} iterations. Where it got to is kept: go on from this mark for more iterations. If it still does not settle, check its charge (${m.charge}) and spin (${m.multiplicity}), or take the quick level first and go on from there.`;
