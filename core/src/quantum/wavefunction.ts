/** The wavefunction of a molecule from its nuclei: bases, integrals, grid and field put together. */
import type { Vec3 } from '../math/matrix3.ts';
import type { TaskContext } from '../task-context.ts';
import { shellsOf, type BasisName } from './basis-sets.ts';
import { exactRepulsion } from './exact-repulsion.ts';
import { Crew, FEW_FUNCTIONS } from './crew.ts';
import {
  correlationPlan,
  CorrelationWorkshop,
  exchangeCorrelation,
  type CorrelationPlan,
} from './exchange-correlation.ts';
import {
  fitProducts,
  fittedRepulsion,
  repulsionPlan,
  RepulsionWorkshop,
  type RepulsionPlan,
} from './fitted-repulsion.ts';
import { fittingShells } from './fitting-basis.ts';
import { functionalOf, type Functional, type MethodName } from './functionals.ts';
import { basisOf, type Basis, type Centre, type ShellRecipe } from './gaussian.ts';
import { contracted } from './matrices.ts';
import { molecularGrid, type GridFineness } from './molecular-grid.ts';
import { attractionMatrix, kineticMatrix, momentMatrix, overlapMatrix } from './one-electron.ts';
import {
  selfConsistentField,
  USUAL_FIELD,
  type FieldOptions,
  type FieldProblem,
  type FieldReport,
  type Orbitals,
} from './self-consistent-field.ts';
import { shellPairs, type HermitePair, type PointCharge } from './shell-pairs.ts';
import type { ExchangeCorrelation, RepulsionBuilder, SpinDensity } from './spin-density.ts';
import type { SphericalAtom } from './spherical-atom.ts';
import { atomsOf, startingDensity } from './starting-density.ts';

export interface Molecule {
  /** Positions in bohr. */
  readonly centres: readonly Centre[];
  readonly charge: number;
  /** 2S + 1. */
  readonly multiplicity: number;
  /** Charges and dipoles of what is around. */
  readonly surroundings?: readonly PointCharge[];
}

export interface WavefunctionOptions {
  readonly basis: BasisName;
  readonly method: MethodName;
  /** Whether products are fitted (quick; a few 1e-5 hartree an atom) or integrals over four functions made; or these up to so many primitives. */
  readonly repulsion: 'fitted' | 'exact' | { readonly exactUpTo: number };
  readonly grid: GridFineness;
  readonly field: FieldOptions;
}

export const USUAL_WAVEFUNCTION: WavefunctionOptions = {
  basis: '6-31G(d,p)',
  method: 'hybrid',
  repulsion: 'fitted',
  grid: { radial: 45, sphere: 194 },
  field: USUAL_FIELD,
};

export type WavefunctionReport =
  { readonly stage: 'integrals'; readonly share: number } | ({ readonly stage: 'field' } & FieldReport);

export interface Wavefunction {
  readonly molecule: Molecule;
  readonly options: WavefunctionOptions;
  readonly basis: Basis;
  /** Averaged atoms of its elements in the same basis. */
  readonly atoms: ReadonlyMap<string, SphericalAtom>;
  /** Hartree. */
  readonly energy: number;
  readonly iterations: number;
  readonly converged: boolean;
  /** kT (hartree) that orbitals are filled by, where the field did not settle with whole electrons. */
  readonly smearing?: number;
  readonly electrons: number;
  /** Density matrix of all electrons. */
  readonly total: Float64Array;
  readonly spins: readonly SpinDensity[];
  readonly orbitals: readonly Orbitals[];
  /** About the origin of the coordinates, electron bohr. */
  readonly dipole: Vec3;
}

/** What a molecule asks for that cannot be done; the message says what to change. */
export class ImpossibleMolecule extends RangeError {}

/** Electrons of each spin; one number where both are equal and nothing is unpaired. */
export function occupation({ centres, charge, multiplicity }: Molecule): readonly number[] {
  const electrons = centres.reduce((sum, c) => sum + c.charge, 0) - charge;
  const unpaired = multiplicity - 1;
  if (!Number.isInteger(multiplicity) || unpaired < 0)
    throw new ImpossibleMolecule(`A spin multiplicity is a whole number from 1 on, not ${multiplicity}.`);
  if (electrons < 1 || unpaired > electrons || (electrons - unpaired) % 2)
    throw new ImpossibleMolecule(
      `${electrons} electrons (charge ${charge}) cannot have multiplicity ${multiplicity}: ${
        electrons % 2 ? 'an odd number of electrons needs 2, 4, …' : 'an even number of electrons needs 1, 3, …'
      }`,
    );
  const paired = (electrons - unpaired) / 2;
  return unpaired ? [paired + unpaired, paired] : [paired];
}

/** Shells of every element of the molecule. Throws ImpossibleMolecule where the set does not hold one. */
function recipesOf(molecule: Molecule, name: BasisName): (element: string) => readonly ShellRecipe[] {
  const missing = new Set(molecule.centres.map((c) => c.element).filter((e) => !shellsOf(name, e)));
  if (missing.size)
    throw new ImpossibleMolecule(`${name} has no functions here for ${[...missing].join(', ')}; take another basis.`);
  return (element) => shellsOf(name, element)!;
}

/** Energy of the nuclei among themselves and with the charges and dipoles around, hartree. */
export function nuclearEnergy({ centres, surroundings = [] }: Molecule): number {
  let sum = 0;
  centres.forEach((a, i) => {
    for (const b of centres.slice(0, i))
      sum += (a.charge * b.charge) / Math.hypot(...a.position.map((x, k) => x - b.position[k]!));
    for (const { charge, position, dipole } of surroundings) {
      const d = a.position.map((x, k) => x - position[k]!);
      const r = Math.hypot(...d);
      sum += (a.charge * charge) / r;
      if (dipole) sum += (a.charge * d.reduce((s, x, k) => s + x * dipole[k]!, 0)) / r ** 3;
    }
  });
  return sum;
}

const primitivesOf = (basis: Basis): number => basis.shells.reduce((n, s) => n + s.exponents.length, 0);

const isExact = ({ repulsion }: WavefunctionOptions, basis: Basis): boolean =>
  typeof repulsion === 'string' ? repulsion === 'exact' : primitivesOf(basis) <= repulsion.exactUpTo;

type FieldPlan = RepulsionPlan | CorrelationPlan;

/** A molecule with everything that does not depend on what is around it. */
export interface PreparedMolecule {
  readonly molecule: Molecule;
  readonly options: WavefunctionOptions;
  readonly occupied: readonly number[];
  readonly basis: Basis;
  readonly pairs: readonly HermitePair[];
  readonly overlap: Float64Array;
  readonly kinetic: Float64Array;
  readonly atoms: ReadonlyMap<string, SphericalAtom>;
  readonly repulsion: RepulsionBuilder;
  readonly functional: Functional | undefined;
  readonly correlation: ExchangeCorrelation | undefined;
  /** Who makes the field. */
  readonly crew: Crew<FieldPlan>;
}

/** Bases, integrals and grid of a molecule. Throws ImpossibleMolecule where charge, spin or basis do not fit it. */
export async function prepareMolecule(
  molecule: Molecule,
  options: WavefunctionOptions,
  context: TaskContext,
  report: (r: WavefunctionReport) => void = () => undefined,
): Promise<PreparedMolecule> {
  const occupied = occupation(molecule),
    recipes = recipesOf(molecule, options.basis),
    { centres } = molecule;
  const basis = basisOf(centres, recipes),
    pairs = shellPairs(basis.shells),
    functional = functionalOf(options.method);
  const parts = await partsOf(molecule, options, basis, occupied.length, recipes, context);
  const { crew } = parts;
  const repulsion = parts.products ? fittedRepulsion(parts.products, crew) : exactRepulsion(pairs, basis.size);
  if (parts.products) {
    const { products } = parts;
    await crew.during(context, () =>
      fitProducts(products, crew, context, (share) => report({ stage: 'integrals', share })),
    );
  }
  return {
    molecule,
    options,
    occupied,
    basis,
    pairs,
    overlap: overlapMatrix(pairs, basis.size),
    kinetic: kineticMatrix(basis),
    atoms: atomsOf(centres, recipes),
    repulsion,
    functional,
    correlation: parts.correlation && exchangeCorrelation(parts.correlation, crew),
    crew,
  };
}

/** What is shared out of a molecule's field: its fitted products, and exchange and correlation on its grid. */
async function partsOf(
  { centres }: Molecule,
  options: WavefunctionOptions,
  basis: Basis,
  spins: number,
  recipes: (element: string) => readonly ShellRecipe[],
  context: TaskContext,
): Promise<{ products?: RepulsionWorkshop; correlation?: CorrelationWorkshop; crew: Crew<FieldPlan> }> {
  const products = isExact(options, basis)
    ? undefined
    : new RepulsionWorkshop(
        repulsionPlan(basis.shells, basis.size, basisOf(centres, (e) => fittingShells(recipes(e))).shells, spins),
      );
  const correlation = functionalOf(options.method)
    ? new CorrelationWorkshop(
        correlationPlan(basis, await molecularGrid(centres, options.grid, context), options.method, spins),
      )
    : undefined;
  const crew = new Crew<FieldPlan>(
    [products, correlation].flatMap((workshop) => (workshop ? [{ plan: workshop.plan, workshop }] : [])),
    basis.size >= FEW_FUNCTIONS,
  );
  return { ...(products ? { products } : {}), ...(correlation ? { correlation } : {}), crew };
}

/** Makes the wavefunction of a molecule; `before` is one of the same molecule in the same basis to go on from. */
export async function wavefunctionOf(
  molecule: Molecule,
  options: WavefunctionOptions,
  context: TaskContext,
  report: (r: WavefunctionReport) => void = () => undefined,
  before?: readonly SpinDensity[],
): Promise<Wavefunction> {
  return solveMolecule(
    await prepareMolecule(molecule, options, context, report),
    molecule.surroundings ?? [],
    context,
    report,
    before,
  );
}

/** The wavefunction of a prepared molecule among charges and dipoles. */
export async function solveMolecule(
  prepared: PreparedMolecule,
  surroundings: readonly PointCharge[],
  context: TaskContext,
  report: (r: WavefunctionReport) => void = () => undefined,
  before?: readonly SpinDensity[],
): Promise<Wavefunction> {
  const { options, occupied, basis, pairs, overlap, kinetic, atoms, repulsion, functional, correlation } = prepared;
  const molecule: Molecule = { ...prepared.molecule, surroundings };
  const { centres } = molecule,
    { size } = basis;
  const attraction = attractionMatrix(pairs, size, [...centres, ...surroundings]);
  const core = kinetic.map((x, i) => x + attraction[i]!);
  const usable = before?.length === occupied.length && before[0]!.density.length === size * size;
  const problem: FieldProblem = {
    size,
    overlap,
    core,
    nuclear: nuclearEnergy(molecule),
    repulsion,
    exactExchange: functional ? functional.exactExchange : 1,
    ...(correlation ? { correlation } : {}),
    occupied,
  };
  const start = usable ? before : startingDensity(basis, centres, atoms, occupied);
  const field = await prepared.crew.during(context, () =>
    selfConsistentField(problem, start, options.field, context, (r) => report({ stage: 'field', ...r })),
  );
  return {
    molecule,
    options,
    basis,
    atoms,
    energy: field.energy,
    iterations: field.iterations,
    converged: field.converged,
    ...(field.smearing ? { smearing: field.smearing } : {}),
    electrons: occupied.reduce((sum, n) => sum + n, 0) * (occupied.length === 1 ? 2 : 1),
    total: field.total,
    spins: field.spins,
    orbitals: field.orbitals,
    dipole: dipoleOf(molecule, pairs, size, field.total),
  };
}

/** Dipole of nuclei and electrons about the origin, electron bohr. */
function dipoleOf({ centres }: Molecule, pairs: readonly HermitePair[], size: number, total: Float64Array): Vec3 {
  const along = (k: 0 | 1 | 2): number =>
    centres.reduce((sum, c) => sum + c.charge * c.position[k], 0) - contracted(total, momentMatrix(pairs, size, k));
  return [along(0), along(1), along(2)];
}
