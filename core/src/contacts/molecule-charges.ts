/** Charges of the molecules of a crystal: what was said of their sites, by valence otherwise; together they balance. */
import { siteOf } from '../crystal/atom-ref.ts';
import { elementOf, isMetal } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import { bondsWithin } from '../geometry/bonds.ts';
import { valenceCharges } from '../geometry/valence-charges.ts';
import type { MolecularCrystal, Molecule } from './molecules.ts';

export interface CrystalCharges {
  /** Of each distinct molecule. */
  readonly molecules: readonly number[];
  /** By site, a mean over its atoms of a molecule; 0 for those that are not named. */
  readonly bySite: ReadonlyMap<string, number>;
  /** What was assumed. */
  readonly remarks: readonly string[];
}

/** Metals that have one charge only. */
const ONE_CHARGE: Readonly<Record<string, number>> = {
  ...Object.fromEntries(['Li', 'Na', 'K', 'Rb', 'Cs', 'Ag'].map((e) => [e, 1])),
  ...Object.fromEntries(['Be', 'Mg', 'Ca', 'Sr', 'Ba', 'Zn', 'Cd'].map((e) => [e, 2])),
  ...Object.fromEntries(['Al', 'Ga', 'Sc', 'Y', 'La'].map((e) => [e, 3])),
};

/** A molecule's atoms with their charges. */
interface Charged {
  readonly charges: number[];
  readonly isSettled: boolean;
  /** By what was said of the sites: not to be changed. */
  readonly isSaid?: true;
}

/** By what was said of its sites, or by valence; metals of one charge have it. */
function chargedBySelf(s: Structure, { atoms, elements }: Molecule): Charged {
  const said = atoms.map((a) => siteOf(s, a)!.charge ?? 0);
  if (said.some((q) => q)) return { charges: said, isSettled: true, isSaid: true };
  const { charges, isSettled } = valenceCharges(elements, bondsWithin(s, atoms));
  const hasOneSum = elements.every((e) => !isMetal(e) || ONE_CHARGE[e] !== undefined);
  return {
    charges: charges.map((q, i) => q + (ONE_CHARGE[elements[i]!] ?? 0)),
    isSettled: isSettled && hasOneSum,
  };
}

const sumOf = (values: readonly number[]): number => values.reduce((sum, q) => sum + q, 0);

const chargeWords = (q: number): string => (q ? `${Math.abs(q)}${q > 0 ? '+' : '−'}` : 'neutral');

const UNBALANCED =
  'The charges of the molecules do not balance: those nobody said are taken as neutral. Put charges on sites to say more.';

/** More than this is not the charge of a molecule. */
const MOST = 6;

/** Charges of all kinds of molecules. */
export function crystalCharges({ s, molecules, copies, dimension }: MolecularCrystal): CrystalCharges {
  const own = molecules.map((m) => chargedBySelf(s, m));
  const remarks = dimension ? [] : balance(molecules, copies, own);
  return { molecules: own.map((c) => Math.round(sumOf(c.charges))), bySite: siteMeans(molecules, own), remarks };
}

/** Gives what is missing to the molecules whose charge is not known, or else to the largest without one; says so. */
function balance(molecules: readonly Molecule[], copies: readonly number[], own: Charged[]): string[] {
  const missing = -molecules.reduce((sum, _, k) => sum + sumOf(own[k]!.charges) * copies[k]!, 0);
  if (Math.abs(missing) < 0.5) return [];
  const open = molecules.map((_, k) => k).filter((k) => !own[k]!.isSettled);
  const takers = open.length ? open : largestNeutral(molecules, own);
  const each = missing / takers.reduce((sum, k) => sum + copies[k]!, 0);
  if (!Number.isInteger(each) || Math.abs(each) > MOST) {
    for (const { charges, isSaid } of own) if (!isSaid) charges.fill(0);
    return [UNBALANCED];
  }
  for (const k of takers) own[k]!.charges[holderOf(molecules[k]!)]! += each;
  const guessed = takers.filter((k) => !molecules[k]!.elements.some((e) => isMetal(e)));
  return guessed.slice(0, 1).flatMap((k) => {
    const q = Math.round(sumOf(own[k]!.charges));
    if (!q) return [];
    return `${molecules[k]!.formula} is taken as ${chargeWords(q)}, so that the charges balance.`;
  });
}

/** The largest molecule without a charge of its own, and those alike. */
function largestNeutral(molecules: readonly Molecule[], own: readonly Charged[]): number[] {
  const neutral = molecules.map((_, k) => k).filter((k) => !sumOf(own[k]!.charges));
  const size = (k: number): number => molecules[k]!.atoms.length;
  const largest = [...neutral].sort((p, q) => size(q) - size(p))[0];
  return neutral.filter((k) => molecules[k]!.formula === molecules[largest!]?.formula);
}

/** Which atom of a molecule has a charge that was not known: its metal, or the heaviest. */
function holderOf({ elements }: Molecule): number {
  const weight = (e: string): number => elementOf(e).z + (isMetal(e) ? 1000 : 0);
  return elements.reduce((best, e, i) => (weight(e) > weight(elements[best]!) ? i : best), 0);
}

function siteMeans(molecules: readonly Molecule[], own: readonly Charged[]): Map<string, number> {
  const sums = new Map<string, { sum: number; count: number }>();
  molecules.forEach((m, k) =>
    m.atoms.forEach((a, i) => {
      const known = sums.get(a.site) ?? { sum: 0, count: 0 };
      sums.set(a.site, { sum: known.sum + own[k]!.charges[i]!, count: known.count + 1 });
    }),
  );
  return new Map([...sums].map(([site, { sum, count }]) => [site, sum / count]));
}
