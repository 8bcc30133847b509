/** Form factors of the sites of a crystal from wavefunctions of its molecules. */
import { operatorOf, siteIndices } from '../crystal/atom-ref.ts';
import type { AtomPotentials, FormFactors, MoleculeReading } from '../crystal/form-factors.ts';
import type { Structure } from '../crystal/structure.ts';
import type { TaskContext } from '../task-context.ts';
import type { RadialPotential } from '../crystal/atom-potentials.ts';
import { sitePotential } from './share-potentials.ts';
import { alternatives, clustersOf, togetherOf, type Cluster, type Neighbourhood } from './cluster.ts';
import { momentsOf, surroundingsOf, type AtomMoments } from './crystal-field.ts';
import type { Division } from './levels.ts';
import { siteFactors } from './site-factors.ts';
import { iteratedShares } from '../quantum/iterated-stockholder.ts';
import type { SpinDensity } from '../quantum/spin-density.ts';
import { freeAtoms, stockholderShares, type AtomShare } from '../quantum/stockholder.ts';
import {
  prepareMolecule,
  solveMolecule,
  type Molecule,
  type PreparedMolecule,
  type Wavefunction,
  type WavefunctionOptions,
  type WavefunctionReport,
} from '../quantum/wavefunction.ts';

export interface FactorOptions {
  readonly wavefunction: WavefunctionOptions;
  readonly neighbours: Neighbourhood;
  /** How the density is divided; by free atoms where absent. */
  readonly division?: Division;
  /** All atoms as they stand in one wavefunction, whatever is bonded to what. */
  readonly together?: boolean;
  /** Large molecules in one wavefunction each, however long it takes. */
  readonly whole?: boolean;
  /** Charge of each molecule in the order of the model; its atoms' formal charges where absent. */
  readonly charges?: readonly number[];
  /** Spin multiplicity 2S + 1 of each molecule; the lowest that its electrons allow where absent. */
  readonly spins?: readonly number[];
}

export type FactorReport =
  | (WavefunctionReport & { readonly molecule: number; readonly of: number })
  | { readonly stage: 'shares' | 'factors'; readonly molecule: number; readonly of: number; readonly share: number };

export interface CrystalFactors {
  readonly factors: FormFactors;
  readonly potentials: AtomPotentials;
  readonly molecules: readonly MoleculeReading[];
  /** One for each molecule. */
  readonly wavefunctions: readonly Wavefunction[];
}

/** Notes a site, and says whether it was not noted before. */
const isFirst = (noted: Set<string>, site: string): boolean => !noted.has(site) && !!noted.add(site);

/** Charges of the surroundings have settled when none changes by more than this, electrons. */
const FIELD_SETTLED = 2e-3,
  FIELD_ROUNDS = 4;

/** One molecule with its wavefunction and the shares of its own atoms. */
interface Solved {
  readonly cluster: Cluster;
  readonly wavefunction: Wavefunction;
  readonly shares: readonly AtomShare[];
}

/** The lowest multiplicity that the electrons of a cluster allow. */
export const lowestMultiplicity = (c: Cluster, charge: number): number =>
  1 + (Math.abs(c.centres.reduce((sum, x) => sum + x.charge, 0) - charge) % 2);

/** Debye of one electron bohr. */
const DEBYE = 2.541746473;

/**
 * Makes the form factors of every site at the triples given. Throws ImpossibleMolecule where a molecule, its charge or its spin
 * cannot be taken. `before`: densities of an earlier round of the same model to go on from.
 */
export async function crystalFactors(
  s: Structure,
  triples: Pick<FormFactors, 'h' | 'k' | 'l'>,
  options: FactorOptions,
  context: TaskContext,
  report: (r: FactorReport) => void = () => undefined,
  before: readonly (readonly SpinDensity[])[] = [],
): Promise<CrystalFactors> {
  const done = new Set<string>();
  const sites: string[] = [],
    rows: Float64Array[] = [],
    potentials: RadialPotential[] = [],
    molecules: MoleculeReading[] = [],
    wavefunctions: Wavefunction[] = [];
  const charged = new Map<string, Beside>();
  for (const alternative of alternatives(s)) {
    const all = options.together
      ? [togetherOf(alternative)]
      : clustersOf(alternative, options.neighbours, options.whole);
    const clusters = all.filter((c) => c.atoms.slice(0, c.own).some((a) => !done.has(a.site)));
    const first = molecules.length;
    // What is the same in this alternative stands around the rest as it was found before.
    const beside = all.flatMap((c) => (clusters.includes(c) ? [] : (charged.get(nameOf(c)) ?? [])));
    const solved = await solveClusters(alternative, clusters, beside, options, context, report, before, first);
    for (const one of solved) charged.set(nameOf(one.cluster), { cluster: one.cluster, moments: momentsIn(one) });
    for (const [n, one] of solved.entries()) {
      molecules.push(readingOf(alternative, one));
      wavefunctions.push(one.wavefunction);
      const fresh = [...one.cluster.atoms.slice(0, one.cluster.own).entries()].filter(([, a]) => isFirst(done, a.site));
      for (const [i, a] of fresh) {
        sites.push(a.site);
        potentials.push(sitePotential(s, a, one.shares[i]!));
      }
      const shares = fresh.map(([i, a]) => ({ share: one.shares[i]!, rotation: operatorOf(s.spaceGroup, a).r }));
      const told = (share: number): void => report({ stage: 'factors', molecule: n, of: solved.length, share });
      rows.push(...(await siteFactors(shares, s.cell, triples, context, told)));
    }
  }
  const count = triples.h.length;
  const real = new Float64Array(count * sites.length),
    imaginary = new Float64Array(count * sites.length);
  rows.forEach((row, n) => {
    real.set(row.subarray(0, count), n * count);
    imaginary.set(row.subarray(count), n * count);
  });
  return {
    factors: { sites, ...triples, real, imaginary },
    potentials: { sites, radii: potentials.map((p) => p.radii), parts: potentials.map((p) => p.parts) },
    molecules,
    wavefunctions,
  };
}

/** A cluster whose charges and dipoles are known. */
interface Beside {
  readonly cluster: Cluster;
  readonly moments: readonly AtomMoments[];
}

const nameOf = (c: Cluster): string =>
  c.atoms
    .slice(0, c.own)
    .map((a) => a.site)
    .join();

const momentsIn = ({ cluster, shares }: Solved): AtomMoments[] =>
  shares.map((x, i) => momentsOf(x, cluster.centres[i]!.charge));

/** Wavefunctions of all molecules; in a field, again until the charges around have settled. */
async function solveClusters(
  s: Structure,
  clusters: readonly Cluster[],
  beside: readonly Beside[],
  options: FactorOptions,
  context: TaskContext,
  report: (r: FactorReport) => void,
  before: readonly (readonly SpinDensity[])[],
  first: number,
): Promise<Solved[]> {
  const tell = (molecule: number) => (r: WavefunctionReport | { stage: 'shares'; share: number }) =>
    report({ ...r, molecule, of: clusters.length } as FactorReport);
  const prepare = (n: number): Promise<PreparedMolecule> =>
    prepareMolecule(moleculeOf(clusters[n]!, first + n, options), options.wavefunction, context, tell(n));
  // Only a field comes back to a molecule: otherwise the integrals of one are let go before the next.
  const held: PreparedMolecule[] = [];
  const crystal = [...clusters, ...beside.map((b) => b.cluster)],
    fixed = beside.map((b) => b.moments);
  let moments: (readonly AtomMoments[])[] | undefined;
  let solved: Solved[] = [];
  for (let round = 1; ; round++) {
    const next: Solved[] = [];
    for (const [n, cluster] of clusters.entries()) {
      const around = moments ? surroundingsOf(s, cluster, crystal, [...moments, ...fixed]) : [];
      const start = solved[n]?.wavefunction.spins ?? before[first + n];
      const prepared = held[n] ?? (await prepare(n));
      if (options.neighbours === 'field') held[n] = prepared;
      const wavefunction = await solveMolecule(prepared, around, context, tell(n), start);
      tell(n)({ stage: 'shares', share: 0 });
      next.push({ cluster, wavefunction, shares: await sharesOf(cluster, wavefunction, options, context) });
    }
    solved = next;
    if (options.neighbours !== 'field') return solved;
    const found = solved.map(momentsIn);
    const changed = moments ? largestChange(moments, found) : Infinity;
    moments = found;
    if (changed < FIELD_SETTLED || round >= FIELD_ROUNDS) return solved;
  }
}

const largestChange = (a: readonly (readonly AtomMoments[])[], b: readonly (readonly AtomMoments[])[]): number =>
  Math.max(...a.flatMap((list, n) => list.map((x, i) => Math.abs(x.charge - b[n]![i]!.charge))));

/** A cluster as a molecule with the charge and spin asked for, or proposed. */
function moleculeOf(cluster: Cluster, index: number, options: FactorOptions): Molecule {
  const charge = options.charges?.[index] ?? cluster.charge;
  return {
    centres: cluster.centres,
    charge,
    multiplicity: options.spins?.[index] ?? lowestMultiplicity(cluster, charge),
  };
}

function sharesOf(
  cluster: Cluster,
  wavefunction: Wavefunction,
  { division }: FactorOptions,
  context: TaskContext,
): Promise<AtomShare[]> {
  const own = Array.from({ length: cluster.own }, (_, i) => i);
  if (division === 'iterated') return iteratedShares(wavefunction, context, own);
  const free = freeAtoms(wavefunction.atoms);
  return stockholderShares(
    wavefunction,
    cluster.centres.map((c) => free.get(c.element)!),
    context,
    own,
  );
}

function readingOf(s: Structure, { cluster, wavefunction: w, shares }: Solved): MoleculeReading {
  const own = cluster.atoms.slice(0, cluster.own);
  const indices = siteIndices(s);
  const { centres, charge, multiplicity } = w.molecule;
  const all = centres.reduce((sum, c) => sum + c.charge, 0);
  // About the middle of the nuclear charge, so that the dipole of an ion says something too.
  const dipole = w.dipole.map(
    (x, k) => x - (charge * centres.reduce((sum, c) => sum + c.charge * c.position[k]!, 0)) / all,
  );
  return {
    labels: own.map((a) => s.sites[indices.get(a.site)!]!.label),
    charge,
    multiplicity,
    atoms: cluster.centres.length,
    ...(cluster.part ? { part: cluster.part } : {}),
    functions: w.basis.size,
    electrons: w.electrons,
    ...(cluster.own === cluster.centres.length ? { shared: shares.reduce((sum, x) => sum + x.electrons, 0) } : {}),
    energy: w.energy,
    iterations: w.iterations,
    converged: w.converged,
    ...(w.smearing ? { smearing: w.smearing } : {}),
    dipole: DEBYE * Math.hypot(...dipole),
    charges: shares.map((x, i) => cluster.centres[i]!.charge - x.electrons),
  };
}
