/**
 * Formal charges of a molecule from who is bonded to whom: bonds are doubled where both ends have valences left, as many as can be,
 * and what is left over then is a charge (Lewis 1916; the matching by Karp & Sipser 1981: atoms with one choice first).
 */
import { isMetal } from '../crystal/elements.ts';
import { seededRandom, type Random } from '../math/random.ts';

export interface ValenceCharges {
  /** Of each atom; metals have none here. */
  readonly charges: readonly number[];
  /** False where carbons that lack hydrogens leave the sum unknown. */
  readonly isSettled: boolean;
}

/** What an atom brings before bonds are doubled: valences left for that, and a charge. */
interface Start {
  free: number;
  charge: number;
}

const GROUP: Readonly<Record<string, 'tetrel' | 'pnictogen' | 'chalcogen' | 'halogen'>> = {
  C: 'tetrel',
  Si: 'tetrel',
  Ge: 'tetrel',
  N: 'pnictogen',
  P: 'pnictogen',
  As: 'pnictogen',
  Sb: 'pnictogen',
  O: 'chalcogen',
  S: 'chalcogen',
  Se: 'chalcogen',
  Te: 'chalcogen',
  F: 'halogen',
  Cl: 'halogen',
  Br: 'halogen',
  I: 'halogen',
};

/** A valence of `of` with so many bonds: what is left, or a charge for each bond too many. */
const left = (of: number, bonds: number): Start => ({ free: Math.max(0, of - bonds), charge: Math.max(0, bonds - of) });

/** `ends`: bonded oxygens that nothing else is bonded to. */
function pnictogen(element: string, bonds: number, ends: number, between: boolean): Start {
  if (element === 'N') {
    // Azide and what is like it: N=N⁺=N.
    if (bonds === 2 && between) return { free: 2, charge: 1 };
    return bonds === 3 && ends > 1 ? { free: 1, charge: 1 } : left(3, bonds);
  }
  if (bonds === 4) return ends ? left(5, bonds) : { free: 0, charge: 1 };
  return bonds > 4 ? { free: 0, charge: 5 - bonds } : left(3, bonds);
}

function chalcogen(element: string, bonds: number, ends: number): Start {
  if (element === 'O') return left(2, bonds);
  if (bonds === 3) return ends ? left(4, bonds) : { free: 0, charge: 1 };
  return bonds < 3 ? left(2, bonds) : left(6, bonds);
}

function halogen(bonds: number): Start {
  if (bonds === 2) return { free: 0, charge: -1 };
  if (bonds < 2) return bonds ? { free: 0, charge: 0 } : { free: 0, charge: -1 };
  return bonds % 2 ? left(5, bonds) : left(7, bonds);
}

function startOf(element: string, bonds: number, ends: number, between: boolean): Start {
  switch (GROUP[element]) {
    case 'tetrel':
      return bonds > 4 ? { free: 0, charge: 4 - bonds } : left(4, bonds);
    case 'pnictogen':
      return pnictogen(element, bonds, ends, between);
    case 'chalcogen':
      return chalcogen(element, bonds, ends);
    case 'halogen':
      return halogen(bonds);
    default:
      if (element === 'H' || element === 'D') return { free: 0, charge: bonds ? 0 : 1 };
      if (element === 'B') return bonds === 4 ? { free: 0, charge: -1 } : { free: 0, charge: 0 };
      return { free: 0, charge: 0 };
  }
}

/** Times that bonds are doubled in another order. */
const TRIES = 60;
/** What a valence left over costs: it is rather a charge on an oxygen than on a carbon. */
const COST: Readonly<Record<string, number>> = { O: 1, S: 1.1, Se: 1.1, N: 1.4 };
const costOf = (element: string): number => COST[element] ?? 3;
/** More than a double bond more is not in a bond. */
const MOST_MORE = 2;

/** Doubles bonds once: an atom with the fewest partners goes first, by chance among equals. */
function doubled(free: readonly number[], partners: readonly (readonly number[])[], random: Random): number[] {
  const left = [...free];
  const more = new Map<string, number>();
  const nameOf = (i: number, j: number): string => (i < j ? `${i} ${j}` : `${j} ${i}`);
  const open = (i: number): number[] =>
    partners[i]!.filter((j) => left[j]! > 0 && (more.get(nameOf(i, j)) ?? 0) < MOST_MORE);
  for (;;) {
    const choices = left.flatMap((x, i) => {
      const list = x > 0 ? open(i) : [];
      return list.length ? [{ i, list, order: list.length + random.next() / 2 }] : [];
    });
    if (!choices.length) return left;
    const { i, list } = choices.reduce((p, q) => (q.order < p.order ? q : p));
    const fewest = list
      .map((j) => ({ j, order: open(j).length + random.next() }))
      .reduce((p, q) => (q.order < p.order ? q : p));
    left[i]!--;
    left[fewest.j]!--;
    more.set(nameOf(i, fewest.j), (more.get(nameOf(i, fewest.j)) ?? 0) + 1);
  }
}

/** Atoms with valences left, each with those that such atoms lead to. */
function conjugated(free: readonly number[], partners: readonly (readonly number[])[]): number[][] {
  const seen = new Set<number>();
  return free.flatMap((x, start) => {
    if (!x || seen.has(start)) return [];
    const group = new Set([start]);
    for (const i of group) for (const j of partners[i]!) if (free[j]) group.add(j);
    for (const i of group) seen.add(i);
    return [[...group]];
  });
}

/** What is left over where the bonds of some atoms are doubled in the best of many orders, by the atoms' own numbers. */
function leftIn(
  group: readonly number[],
  elements: readonly string[],
  free: readonly number[],
  partners: readonly (readonly number[])[],
): readonly number[] {
  const random = seededRandom(1);
  const own = new Map(group.map((i, n) => [i, n]));
  const freeOf = group.map((i) => free[i]!),
    partnersOf = group.map((i) => partners[i]!.flatMap((j) => own.get(j) ?? []));
  let best = freeOf,
    least = Infinity;
  for (let n = 0; n < TRIES && least > 0; n++) {
    const tried = doubled(freeOf, partnersOf, random);
    const cost = tried.reduce((sum, x, i) => sum + x * costOf(elements[group[i]!]!), 0);
    if (cost < least) [best, least] = [tried, cost];
  }
  return best;
}

/** What is left over of the valences of each atom. */
function leftOver(
  elements: readonly string[],
  free: readonly number[],
  partners: readonly (readonly number[])[],
): number[] {
  const out = elements.map(() => 0);
  for (const group of conjugated(free, partners))
    leftIn(group, elements, free, partners).forEach((x, n) => (out[group[n]!] = x));
  return out;
}

/** Carbons with a valence left over that still may be an ion. */
const MOST_CARBONS = 1;

/** Formal charges of atoms joined by bonds, each given once by the two indices. */
export function valenceCharges(
  elements: readonly string[],
  bonds: readonly (readonly [number, number])[],
): ValenceCharges {
  const partners = elements.map((): number[] => []);
  for (const [i, j] of bonds) {
    if (isMetal(elements[i]!) || isMetal(elements[j]!)) continue;
    partners[i]!.push(j);
    partners[j]!.push(i);
  }
  const isEnd = (i: number): boolean => partners[i]!.length === 1 && GROUP[elements[i]!] === 'chalcogen';
  const starts = elements.map((e, i): Start => {
    if (isMetal(e)) return { free: 0, charge: 0 };
    const ends = partners[i]!.filter(isEnd).length;
    const between = partners[i]!.every((j) => elements[j] === 'N' && partners[j]!.length === 1);
    return startOf(e, partners[i]!.length, ends, between);
  });
  const free = starts.map((s) => s.free);
  const left = leftOver(elements, free, partners);
  const charges = starts.map((s) => s.charge);
  const carbons: number[] = [];
  left.forEach((x, i) => {
    if (!x) return;
    if (GROUP[elements[i]!] === 'tetrel') carbons.push(i);
    else charges[i]! -= x;
  });
  const lost = carbons.reduce((sum, i) => sum + left[i]!, 0);
  for (const i of carbons) charges[i] = chargeOfCarbon(i, elements, partners, free) * left[i]!;
  return { charges, isSettled: lost <= MOST_CARBONS };
}

/** A carbon that found no partner: the nitrogen of an iminium lends it a pair, otherwise it took one. */
function chargeOfCarbon(
  carbon: number,
  elements: readonly string[],
  partners: readonly (readonly number[])[],
  free: readonly number[],
): number {
  // What is conjugated with it: carbons and others with valences, and nitrogens with three bonds at their end.
  const seen = new Set([carbon]);
  for (const i of seen)
    for (const j of partners[i]!) {
      if (elements[j] === 'N' && partners[j]!.length === 3 && !free[j]) return 1;
      if (free[j]) seen.add(j);
    }
  return -1;
}
