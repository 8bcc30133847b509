/** What two molecules gain by lying beside each other, and what the crystal gains: an estimate from an empirical field and charges. */
import { siteIndices, symmetryCode, type AtomRef, type Placement } from '../crystal/atom-ref.ts';
import { cartesianAxes, cellVolume } from '../crystal/cell.ts';
import { isHydrogen } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, bondsBySite } from '../geometry/bonds.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { netsOf } from '../geometry/nets.ts';
import { ewaldMatrix } from '../math/ewald.ts';
import { greatestCommonDivisor } from '../math/integer.ts';
import { norm, subtract, type Vec3 } from '../math/matrix3.ts';
import { equalisedCharges } from './charges.ts';
import { crystalCharges } from './molecule-charges.ts';
import { MolecularCrystal, mostOccupied, withNeutronHydrogens, type Molecule } from './molecules.ts';
import { BONDING_ELEMENTS, COULOMB_MOLAR, hydrogenBondTerm, isTabled, pairTerms } from './potential.ts';

/** kJ/mol; together they are the energy. */
export interface EnergyParts {
  readonly dispersion: number;
  readonly repulsion: number;
  /** Of the charges, and what hydrogen bonds are given beyond them. */
  readonly electrostatic: number;
  /** The latter alone. */
  readonly hydrogenBond: number;
}

export interface PairEnergy extends EnergyParts {
  /** Distinct molecules by number: the one looked from, and the one the neighbour is a copy of. */
  readonly from: number;
  readonly to: number;
  readonly placement: Placement;
  readonly symmetry: string;
  /** Å, of centroids and of the nearest atoms. */
  readonly distance: number;
  readonly nearest: number;
  readonly energy: number;
  /** Cartesian, Å. */
  readonly ends: readonly [Vec3, Vec3];
}

export interface CrystalEnergies {
  readonly molecules: readonly {
    readonly formula: string;
    readonly charge: number;
    readonly atoms: readonly AtomRef[];
    /** Of each atom, in units of the elementary charge. */
    readonly charges: readonly number[];
  }[];
  /** Every neighbour of every distinct molecule, the strongest first. */
  readonly pairs: readonly PairEnergy[];
  /** kJ/mol of formula units; undefined where not everything is a molecule. */
  readonly lattice?: EnergyParts & { readonly energy: number; readonly formula: string };
  /** What must be known before the figures are believed. */
  readonly remarks: readonly string[];
}

const NOTHING: EnergyParts = { dispersion: 0, repulsion: 0, electrostatic: 0, hydrogenBond: 0 };
const energyOf = (p: EnergyParts): number => p.dispersion + p.repulsion + p.electrostatic;

/** A molecule as the field sees it. */
export interface ChargedMolecule {
  readonly molecule: Molecule;
  /** Elements, or `H+` of a hydrogen at nitrogen, oxygen or fluorine. */
  readonly kinds: readonly string[];
  readonly charges: ArrayLike<number>;
  /** Index of the atom a given hydrogen is bonded to; −1 of all others. */
  readonly givers: readonly number[];
}

function chargedMolecule(s: Structure, molecule: Molecule, charge: number): ChargedMolecule {
  const { atoms, elements, at } = molecule;
  const index = siteIndices(s);
  const bySite = bondsBySite(s, bonds(s));
  const givers = atoms.map((a, i) => {
    if (!isHydrogen(elements[i]!)) return -1;
    const parent = bySite[index.get(a.site)!]![0];
    if (!parent || !BONDING_ELEMENTS.has(s.sites[parent.to]!.element)) return -1;
    return nearestOf(at, i, (j) => !isHydrogen(elements[j]!));
  });
  return {
    molecule,
    kinds: elements.map((e, i) => (givers[i]! >= 0 ? 'H+' : e)),
    charges: equalisedCharges(elements, at, charge),
    givers,
  };
}

function nearestOf(at: readonly Vec3[], i: number, wanted: (j: number) => boolean): number {
  let best = -1,
    least = Infinity;
  for (let j = 0; j < at.length; j++) {
    if (j === i || !wanted(j)) continue;
    const d = norm(subtract(at[j]!, at[i]!));
    if (d < least) [best, least] = [j, d];
  }
  return best;
}

/** Terms of every two kinds of atoms, by number. */
export class TermTable {
  readonly a: Float64Array;
  readonly b: Float64Array;
  readonly c: Float64Array;
  readonly count: number;
  private readonly numbers: ReadonlyMap<string, number>;

  constructor(kinds: Iterable<string>) {
    const list = [...new Set(kinds)];
    const all = list.flatMap((p) => list.map((q) => pairTerms(p, q)));
    this.count = list.length;
    this.numbers = new Map(list.map((k, i) => [k, i]));
    this.a = Float64Array.from(all, (t) => t.a);
    this.b = Float64Array.from(all, (t) => t.b);
    this.c = Float64Array.from(all, (t) => t.c);
  }

  /** Of the kinds of a molecule. */
  numbersOf(kinds: readonly string[]): Int32Array {
    return Int32Array.from(kinds, (k) => this.numbers.get(k)!);
  }

  /** Å⁶ kJ/mol of two kinds. */
  attraction(p: string, q: string): number {
    return this.c[this.numbers.get(p)! * this.count + this.numbers.get(q)!]!;
  }
}

/** Hydrogen bonds from one molecule to atoms at given places, kJ/mol. */
function bondsFrom(p: ChargedMolecule, q: ChargedMolecule, at: readonly Vec3[]): number {
  let sum = 0;
  p.givers.forEach((giver, h) => {
    if (giver < 0) return;
    const [d, x] = [p.molecule.at[giver]!, p.molecule.at[h]!];
    const bond = subtract(d, x);
    q.molecule.elements.forEach((e, j) => {
      if (!BONDING_ELEMENTS.has(e)) return;
      const along = subtract(at[j]!, x);
      const cosine = (bond[0] * along[0] + bond[1] * along[1] + bond[2] * along[2]) / (norm(bond) * norm(along));
      sum += hydrogenBondTerm(norm(subtract(at[j]!, d)), cosine);
    });
  });
  return sum;
}

/** Energy of two molecules, the second with its atoms at `at`. */
export function pairEnergy(
  p: ChargedMolecule,
  q: ChargedMolecule,
  at: readonly Vec3[] = q.molecule.at,
  terms = new TermTable([...p.kinds, ...q.kinds]),
): EnergyParts {
  const { dispersion, repulsion, coulomb } = plainSums(p, q, at, terms, Infinity);
  const hydrogenBond = bondsFrom(p, q, at) + bondsFrom({ ...q, molecule: { ...q.molecule, at } }, p, p.molecule.at);
  return { dispersion, repulsion, electrostatic: coulomb + hydrogenBond, hydrogenBond };
}

/** Sums over all pairs of atoms no further apart than `reach` Å. */
function plainSums(
  p: ChargedMolecule,
  q: ChargedMolecule,
  at: readonly Vec3[],
  terms: TermTable,
  reach: number,
): { dispersion: number; repulsion: number; coulomb: number } {
  const first = terms.numbersOf(p.kinds),
    second = terms.numbersOf(q.kinds);
  const others = Float64Array.from(at.flat());
  let dispersion = 0,
    repulsion = 0,
    coulomb = 0;
  for (let i = 0; i < first.length; i++) {
    const [x, y, z] = p.molecule.at[i]!;
    const row = first[i]! * terms.count;
    for (let j = 0; j < second.length; j++) {
      const square = (x - others[3 * j]!) ** 2 + (y - others[3 * j + 1]!) ** 2 + (z - others[3 * j + 2]!) ** 2;
      if (square > reach * reach) continue;
      const r = Math.sqrt(square);
      const k = row + second[j]!;
      repulsion += terms.a[k]! * Math.exp(-terms.b[k]! * r);
      dispersion -= terms.c[k]! / (square * square * square);
      coulomb += (p.charges[i]! * q.charges[j]!) / r;
    }
  }
  return { dispersion, repulsion, coulomb: COULOMB_MOLAR * coulomb };
}

/** Å: neighbours with an atom this near are told; atoms this near are summed one by one, the rest as a continuum. */
const SHELL = 6,
  SUMMED = 14;

/** Energies of the molecules of a crystal with their neighbours. Throws RangeError where there is no molecule. */
export class EnergySearch {
  readonly crystal: MolecularCrystal;
  readonly charged: readonly ChargedMolecule[];
  readonly remarks: readonly string[];
  private readonly terms: TermTable;

  constructor(given: Structure) {
    const whole = mostOccupied(given);
    const s = withNeutronHydrogens(whole);
    this.crystal = new MolecularCrystal(s);
    const { molecules } = this.crystal;
    if (!molecules.length)
      throw new RangeError(
        'There is no molecule here: bonds go on without end. Energies are told of molecules; cut the long bonds in Relate if they are none.',
      );
    const { molecules: charges, remarks: assumed } = crystalCharges(this.crystal);
    const remarks = [...assumed];
    if (whole !== given) remarks.push('Of disordered parts only the most occupied is looked at.');
    if (!s.sites.some((x) => isHydrogen(x.element)))
      remarks.push('There are no hydrogens in the model: hydrogen bonds and much of the attraction are missing.');
    const strange = [...new Set(s.sites.map((x) => x.element))].filter((e) => !isTabled(e));
    if (strange.length) remarks.push(`No published terms for ${strange.join(', ')}: taken by radius alone.`);
    this.remarks = remarks;
    this.charged = molecules.map((m, k) => chargedMolecule(s, m, charges[k]!));
    this.terms = new TermTable(this.charged.flatMap((m) => m.kinds));
  }

  private pairsOf(from: number): PairEnergy[] {
    const own = this.charged[from]!;
    return this.crystal.around(from, SHELL).map((n): PairEnergy => {
      const parts = pairEnergy(own, this.charged[n.of]!, n.molecule.at, this.terms);
      return {
        from,
        to: n.of,
        placement: n.placement,
        symmetry: symmetryCode(n.placement),
        distance: n.distance,
        nearest: n.nearest,
        energy: energyOf(parts),
        ...parts,
        ends: [own.molecule.centroid, n.molecule.centroid],
      };
    });
  }

  all(): CrystalEnergies {
    const { molecules, copies, dimension } = this.crystal;
    const pairs = molecules.flatMap((_, k) => this.pairsOf(k)).sort((p, q) => p.energy - q.energy || p.from - q.from);
    const told = molecules.map(({ formula, atoms }, k) => {
      const charges = [...Array.from(this.charged[k]!.charges)];
      return { formula, charge: Math.round(charges.reduce((p, q) => p + q, 0)), atoms, charges };
    });
    const base = { molecules: told, pairs, remarks: this.remarks };
    if (dimension) return base;
    const counts = new Map<string, number>();
    molecules.forEach((m, k) => counts.set(m.formula, (counts.get(m.formula) ?? 0) + copies[k]!));
    const units = [...counts.values()].reduce(greatestCommonDivisor, 0) || 1;
    const words = [...counts].map(([f, n]) => (n / units > 1 ? `${n / units} (${f})` : f)).join(' · ');
    const cell = this.cellEnergy(pairs);
    const parts = scaled(cell, 1 / units);
    return { ...base, lattice: { ...parts, energy: energyOf(parts), formula: words } };
  }

  /** Of all molecules of one cell. */
  private cellEnergy(pairs: readonly PairEnergy[]): EnergyParts {
    const { copies } = this.crystal;
    const hydrogenBond = pairs.reduce((sum, p) => sum + (copies[p.from]! * p.hydrogenBond) / 2, 0);
    const near = this.crystal.molecules.map((_, k) => scaled(this.wallsOf(k), copies[k]! / 2));
    const { dispersion, repulsion } = near.reduce(added, NOTHING);
    return {
      dispersion: dispersion + this.beyond(),
      repulsion,
      electrostatic: this.chargesOfCell() + hydrogenBond,
      hydrogenBond,
    };
  }

  /** Repulsion and dispersion of one molecule with every other atom near it. */
  private wallsOf(k: number): EnergyParts {
    const own = this.charged[k]!;
    let dispersion = 0,
      repulsion = 0;
    for (const n of this.crystal.around(k, SUMMED)) {
      const sums = plainSums(own, this.charged[n.of]!, n.molecule.at, this.terms, SUMMED);
      dispersion += sums.dispersion;
      repulsion += sums.repulsion;
    }
    return { ...NOTHING, dispersion, repulsion };
  }

  /** Dispersion of the atoms beyond the sum, spread evenly: −½ Σ Σ C 4π/(3 R³ V). */
  private beyond(): number {
    const { copies, s } = this.crystal;
    const counts = new Map<string, number>();
    this.charged.forEach((m, k) => {
      for (const kind of m.kinds) counts.set(kind, (counts.get(kind) ?? 0) + copies[k]!);
    });
    let sum = 0;
    for (const [p, n] of counts) for (const [q, m] of counts) sum += n * m * this.terms.attraction(p, q);
    return (-0.5 * sum * 4 * Math.PI) / (3 * SUMMED ** 3 * cellVolume(s.cell));
  }

  /** The charges of the cell by Ewald's sums, without those of each molecule among themselves. */
  private chargesOfCell(): number {
    const { s } = this.crystal;
    const nets = netsOf(s).list;
    const bySite = new Map<string, number>();
    this.charged.forEach((m) => m.molecule.atoms.forEach((a, i) => bySite.set(a.site, m.charges[i]!)));
    const at = nets.flatMap((n) => cartesianOf(s, n.atoms));
    const charges = nets.flatMap((n) => n.atoms.map((a) => bySite.get(a.site)!));
    const n = at.length;
    const matrix = ewaldMatrix(cartesianAxes(s.cell), at);
    let energy = 0;
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) energy += 0.5 * matrix[i * n + j]! * charges[i]! * charges[j]!;
    let start = 0;
    for (const net of nets) {
      for (let i = start; i < start + net.atoms.length; i++)
        for (let j = start; j < i; j++) energy -= (charges[i]! * charges[j]!) / norm(subtract(at[i]!, at[j]!));
      start += net.atoms.length;
    }
    return COULOMB_MOLAR * energy;
  }
}

const added = (p: EnergyParts, q: EnergyParts): EnergyParts => ({
  dispersion: p.dispersion + q.dispersion,
  repulsion: p.repulsion + q.repulsion,
  electrostatic: p.electrostatic + q.electrostatic,
  hydrogenBond: p.hydrogenBond + q.hydrogenBond,
});

const scaled = (p: EnergyParts, k: number): EnergyParts => ({
  dispersion: k * p.dispersion,
  repulsion: k * p.repulsion,
  electrostatic: k * p.electrostatic,
  hydrogenBond: k * p.hydrogenBond,
});
