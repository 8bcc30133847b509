/** Whether charges and coordination numbers of the ions of a crystal balance (Pauling 1929, J. Am. Chem. Soc. 51, 1010). */
import { siteMultiplicity } from '../crystal/structure.ts';
import type { Surroundings } from './coordination.ts';

export interface IonPair {
  readonly cation: string;
  readonly anion: string;
  /** How many of each a cell holds, occupancies counted. */
  readonly cations: number;
  readonly anions: number;
  /** Mean number of anions of the kind around a cation, and of cations around an anion. */
  readonly cationCoordination: number;
  readonly anionCoordination: number;
  /** Both tell the same number of contacts. */
  readonly balanced: boolean;
}

export interface IonBalance {
  /** Charge of a cell: zero where the formula is neutral. */
  readonly charge: number;
  readonly pairs: readonly IonPair[];
}

/** Share by which the contacts counted from either side may differ. */
const SAME = 0.01;

/** Undefined where charges are not known. */
export function ionBalance(around: Surroundings): IonBalance | undefined {
  const { s, charges } = around;
  if (!s.sites.length || charges.some((q) => q === undefined)) return undefined;
  const counts = s.sites.map((x) => siteMultiplicity(s, x) * x.occupancy);
  const amounts = new Map<string, number>();
  const contacts = new Map<string, number>();
  let charge = 0;
  s.sites.forEach((x, i) => {
    charge += counts[i]! * charges[i]!;
    amounts.set(x.element, (amounts.get(x.element) ?? 0) + counts[i]!);
    for (const n of around.around(i)) {
      const key = `${x.element} ${s.sites[n.to]!.element}`;
      contacts.set(key, (contacts.get(key) ?? 0) + counts[i]!);
    }
  });
  const positive = new Set(s.sites.flatMap((x, i) => (charges[i]! > 0 ? [x.element] : [])));
  const pairs = [...contacts.keys()].flatMap((key): IonPair[] => {
    const [cation, anion] = key.split(' ') as [string, string];
    if (!positive.has(cation) || positive.has(anion)) return [];
    const out = contacts.get(key)!,
      back = contacts.get(`${anion} ${cation}`) ?? 0;
    const cations = amounts.get(cation)!,
      anions = amounts.get(anion)!;
    return [
      {
        cation,
        anion,
        cations,
        anions,
        cationCoordination: out / cations,
        anionCoordination: back / anions,
        balanced: Math.abs(out - back) <= SAME * Math.max(out, back),
      },
    ];
  });
  return { charge: Math.abs(charge) < 1e-6 ? 0 : charge, pairs };
}
