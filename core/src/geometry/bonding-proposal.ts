/**
 * Which pairs of elements are taken as bonded, and why: the distances as they occur, a cut by the gap between them and by
 * chemistry, and a reason in words. Covalent radii: Cordero et al. 2008.
 */
import { pairKey, withBonding, type Bonding, type PairCut } from '../crystal/bonding.ts';
import { elementOf, isHydrogen, isMetal } from '../crystal/elements.ts';
import { siteCharges } from '../crystal/ionic.ts';
import { neighbours, type Neighbour } from '../crystal/neighbours.ts';
import { siteMultiplicity, type Structure } from '../crystal/structure.ts';
import { bondLimit, compatible, knowBonds, mayBond } from './bonds.ts';

export interface PairLengths {
  readonly elements: readonly [string, string];
  /** Ascending, Å, with how many of them a cell holds. */
  readonly lengths: readonly { readonly distance: number; readonly count: number }[];
}

export interface PairProposal extends PairLengths {
  /** Å; 0 where the pair is better not drawn. */
  readonly proposed: number;
  readonly reason: string;
}

/** Å beyond the sum of radii that distances are listed to, and where that ends. */
const LISTED = 1.2,
  FURTHEST = 5;
/** Å beyond the sum of radii where ions still touch. */
const IONIC_SLACK = 0.75;
/** Å beyond the sum of radii where a hydrogen is still bonded. */
const HYDROGEN_SLACK = 0.3;
/** Of the sum of radii: cations of a salt that stand nearer are bonded to one another. */
const SHORT = 0.87;
/** Å: distances nearer than this are one. */
const SAME = 0.002;
/** Å: a gap narrower than this is none. */
const GAP = 0.08;
/** More neighbours than this make a thicket of a picture. */
const MOST = 6;

const LARGE = new Set(['Na', 'K', 'Rb', 'Cs', 'Ca', 'Sr', 'Ba', 'Tl', 'Pb', 'La', 'Ce', 'Pr', 'Nd', 'Sm', 'Eu', 'Gd']);

const radii = (p: string, q: string): number => elementOf(p).covalentRadius + elementOf(q).covalentRadius;
const angstrom = (d: number): string => `${d.toFixed(2)} Å`;

/** The cation or the metal first, hydrogen last, else carbon first and by the alphabet. */
function ordered(p: string, q: string, charge: (e: string) => number | undefined): [string, string] {
  const rank = (e: string): number => {
    const c = charge(e);
    if (isHydrogen(e)) return 9;
    if (c !== undefined) return -c;
    if (isMetal(e)) return -1;
    return e === 'C' ? 0 : 1;
  };
  const d = rank(p) - rank(q);
  return d < 0 || (d === 0 && p <= q) ? [p, q] : [q, p];
}

/** Distances gathered in steps of SAME, so that a hundred thousand of them need no sorting. */
class Bins {
  private readonly sums = new Float64Array(Math.ceil(FURTHEST / SAME) + 2);
  private readonly counts = new Float64Array(this.sums.length);

  add(distance: number, count: number): void {
    const i = Math.floor(distance / SAME);
    this.sums[i]! += distance * count;
    this.counts[i]! += count;
  }

  /** Ascending; distances nearer to one another than SAME are one, at their mean. */
  lengths(): PairLengths['lengths'] {
    const out: { distance: number; count: number }[] = [];
    for (let i = 0; i < this.counts.length; i++) {
      const count = this.counts[i]!;
      if (!count) continue;
      const distance = this.sums[i]! / count;
      const last = out.at(-1);
      if (!last || distance - last.distance >= SAME) out.push({ distance, count });
      else {
        const both = last.count + count;
        last.distance = (last.distance * last.count + distance * count) / both;
        last.count = both;
      }
    }
    return out;
  }
}

/** Everything the proposal asks of a structure, worked out once. */
class Crystal {
  readonly charges: ReadonlyMap<string, number>;
  readonly onlyMetals: boolean;
  private readonly multiplicities: readonly number[];

  constructor(readonly s: Structure) {
    const charges = new Map<string, number>();
    siteCharges(s).forEach((q, i) => {
      if (q !== undefined) charges.set(s.sites[i]!.element, q);
    });
    this.charges = charges;
    this.onlyMetals = s.sites.every((x) => isMetal(x.element));
    this.multiplicities = s.sites.map((x) => siteMultiplicity(s, x));
    this.near = this.search();
  }

  /** Everything that comes near, as neighbours are listed. */
  readonly near: readonly Neighbour[];

  private search(): Neighbour[] {
    const { s } = this;
    const elements = s.sites.map((x) => x.element);
    const names = [...new Set(elements)];
    const kinds = elements.map((e) => names.indexOf(e));
    const reaches = names.map((p) => names.map((q) => Math.min(FURTHEST, radii(p, q) + LISTED)));
    const widest = Math.max(0, ...reaches.flat());
    return neighbours(
      s.cell,
      s.spaceGroup,
      s.sites.map((x) => x.position),
      { widest, of: (i, j) => (compatible(s, i, j) ? reaches[kinds[i]!]![kinds[j]!]! : 0) },
    ).filter((n) => mayBond(s, n));
  }

  /** Distances of every pair of elements that comes near. */
  pairs(): PairLengths[] {
    const { s } = this;
    const names = [...new Set(s.sites.map((x) => x.element))];
    const kinds = s.sites.map((x) => names.indexOf(x.element));
    const tables = names.map(() => names.map((): Bins | undefined => undefined));
    for (const n of this.near) {
      const p = Math.min(kinds[n.from]!, kinds[n.to]!),
        q = Math.max(kinds[n.from]!, kinds[n.to]!);
      // Every bond is told from both ends; half of what the sites tell is what a cell holds.
      (tables[p]![q] ??= new Bins()).add(n.distance, this.multiplicities[n.from]! / 2);
    }
    const charge = (e: string): number | undefined => this.charges.get(e);
    return tables.flatMap((row, p) =>
      row.flatMap((bins, q) =>
        bins ? [{ elements: ordered(names[p]!, names[q]!, charge), lengths: bins.lengths() }] : [],
      ),
    );
  }

  /** Of an element in a cell, partly occupied sites counted whole. */
  count(element: string): number {
    return this.s.sites.reduce((n, x, i) => n + (x.element === element ? this.multiplicities[i]! : 0), 0);
  }
}

/** A cut between the last distance that counts and the one after it. */
function cutAfter(lengths: PairLengths['lengths'], i: number): number {
  const here = lengths[i]!.distance,
    next = lengths[i + 1]?.distance ?? Infinity;
  return Math.min((here + next) / 2, here + 0.3);
}

const lastWithin = (lengths: PairLengths['lengths'], limit: number): number =>
  lengths.findLastIndex((x) => x.distance <= limit);

/** The distance before the largest relative gap among those up to a limit. */
function beforeLargestGap(lengths: PairLengths['lengths'], from: number, limit: number): number {
  let best = -1,
    widest = 0;
  for (let i = 0; i < lengths.length && lengths[i]!.distance <= limit; i++) {
    if (lengths[i]!.distance < from) continue;
    const gap = (lengths[i + 1]?.distance ?? limit + IONIC_SLACK) / lengths[i]!.distance;
    if (gap <= widest + 1e-6) continue;
    widest = gap;
    best = i;
  }
  return best;
}

type Verdict = Pick<PairProposal, 'proposed' | 'reason'>;
const off = (reason: string): Verdict => ({ proposed: 0, reason });

/** Bonds of electrons shared: by the radii, and where they cut through a crowd by the gap nearest to them. */
function covalent({ elements: [p, q], lengths }: PairLengths): Verdict {
  const limit = bondLimit(p, q);
  const nearest = lengths[0]!.distance;
  const last = lastWithin(lengths, limit);
  if (last < 0) return off(`The nearest are ${angstrom(nearest)} apart, more than their radii reach.`);
  const next = lengths[last + 1]?.distance ?? Infinity;
  if (next - lengths[last]!.distance >= GAP)
    return { proposed: cutAfter(lengths, last), reason: `By the radii: up to ${angstrom(lengths[last]!.distance)}.` };
  const gap = beforeLargestGap(lengths, 0, limit + 0.3);
  return {
    proposed: cutAfter(lengths, gap),
    reason: `Up to the largest gap near the sum of radii, after ${angstrom(lengths[gap]!.distance)}.`,
  };
}

/** Ions that touch: up to the largest gap between the distances. */
function ionic({ elements: [p, q], lengths }: PairLengths): Verdict {
  const gap = beforeLargestGap(lengths, 0, radii(p, q) + IONIC_SLACK);
  if (gap < 0) return off(`The nearest are ${angstrom(lengths[0]!.distance)} apart, further than ions that touch.`);
  return {
    proposed: cutAfter(lengths, gap),
    reason: `Up to the largest gap between the distances, after ${angstrom(lengths[gap]!.distance)}.`,
  };
}

function hydrogen(pair: PairLengths): Verdict {
  const [p, q] = pair.elements;
  const nearest = pair.lengths[0]!.distance;
  if (isHydrogen(p) && isHydrogen(q))
    return nearest < 0.9
      ? { proposed: 0.9, reason: 'As near as in a molecule of hydrogen.' }
      : off('Hydrogens do not bond to one another.');
  const last = lastWithin(pair.lengths, Math.min(bondLimit(p, q), radii(p, q) + HYDROGEN_SLACK));
  return last < 0
    ? off(`The nearest are ${angstrom(nearest)} apart: a contact, not a bond.`)
    : { proposed: cutAfter(pair.lengths.slice(0, last + 2), last), reason: 'Hydrogen stays with its one partner.' };
}

function metals(pair: PairLengths, crystal: Crystal): Verdict {
  const [p, q] = pair.elements;
  const nearest = pair.lengths[0]!.distance;
  const sum = radii(p, q);
  if (crystal.onlyMetals) return ionic(pair);
  const salt = crystal.charges.has(p) && crystal.charges.has(q);
  // Alkali metals have no electrons left to share in a salt.
  const large = LARGE.has(p) || LARGE.has(q);
  if (nearest > (salt ? SHORT : 0.95) * sum || (salt && large))
    return off(`Metals ${angstrom(nearest)} apart face one another across what lies between them.`);
  const last = lastWithin(pair.lengths, sum);
  return { proposed: cutAfter(pair.lengths, last), reason: `As short as a bond: ${angstrom(nearest)}.` };
}

function verdict(pair: PairLengths, crystal: Crystal): Verdict {
  const [p, q] = pair.elements;
  const nearest = pair.lengths[0]!.distance;
  if (isHydrogen(p) || isHydrogen(q)) return hydrogen(pair);
  if (isMetal(p) && isMetal(q)) return metals(pair, crystal);
  const a = crystal.charges.get(p),
    b = crystal.charges.get(q);
  if (a === undefined || b === undefined) {
    if (LARGE.has(p) && q === 'C') return off('Large cations attract carbon; they do not bond to it.');
    return covalent(pair);
  }
  if (a * b < 0) return ionic(pair);
  // Anions pair up (peroxides, disulfides); cations hardly ever do.
  if (a < 0 ? nearest <= radii(p, q) + 0.2 : nearest <= SHORT * radii(p, q)) return covalent(pair);
  return off(
    a > 0
      ? `Both are cations here; ${angstrom(nearest)} is how near they come across the anions.`
      : `Both are anions here; ${angstrom(nearest)} is how near they come.`,
  );
}

const within = (p: PairProposal): number => p.lengths.reduce((n, x) => n + (x.distance <= p.proposed ? x.count : 0), 0);

/** Large cations with many neighbours hide the network that holds a crystal: off where there is one without them. */
function withoutThickets(list: readonly PairProposal[], crystal: Crystal): PairProposal[] {
  const around = (p: PairProposal): number =>
    (within(p) * (p.elements[0] === p.elements[1] ? 2 : 1)) / crystal.count(p.elements[0]);
  const isIonic = (p: PairProposal): boolean => {
    const a = crystal.charges.get(p.elements[0]),
      b = crystal.charges.get(p.elements[1]);
    return p.proposed > 0 && a !== undefined && b !== undefined && a * b < 0;
  };
  const network = list.find((p) => isIonic(p) && around(p) <= MOST && !LARGE.has(p.elements[0]) && !hasHydrogen(p));
  if (!network) return [...list];
  return list.map((p) => {
    const [cation, anion] = p.elements;
    if (!isIonic(p) || !LARGE.has(cation) || around(p) <= MOST) return p;
    return {
      ...p,
      proposed: 0,
      reason: `${cation} has ${Math.round(around(p))} ${anion}: more than the crystal’s scheme needs beside ${network.elements.join('–')}.`,
    };
  });
}

const hasHydrogen = (p: PairLengths): boolean => p.elements.some(isHydrogen);

interface Proposal {
  readonly pairs: readonly PairProposal[];
  readonly bonding: Bonding;
}
const known = new WeakMap<Structure, Proposal>();

function proposalOf(s: Structure): Proposal {
  const found = known.get(s);
  if (found) return found;
  const crystal = new Crystal(s);
  const all = crystal.pairs().map((p) => ({ ...p, ...verdict(p, crystal) }));
  const pairs = withoutThickets(all, crystal).sort(
    (p, q) => Number(q.proposed > 0) - Number(p.proposed > 0) || p.lengths[0]!.distance - q.lengths[0]!.distance,
  );
  const bonding: Bonding = {
    pairs: pairs.map((p): PairCut => ({ elements: p.elements, cut: p.proposed })),
    hidden: [],
    added: [],
  };
  const cuts = new Map(bonding.pairs.map((p) => [pairKey(...p.elements), p.cut]));
  const elements = s.sites.map((x) => x.element);
  const cutOf = (n: Neighbour): number => cuts.get(pairKey(elements[n.from]!, elements[n.to]!)) ?? 0;
  // The bonds of the proposal are among what was just found.
  knowBonds(
    withBonding(s, bonding),
    crystal.near.filter((n) => n.distance <= cutOf(n)),
  );
  const proposal = { pairs, bonding };
  known.set(s, proposal);
  return proposal;
}

/**
 * Every pair of elements that comes near in a crystal (within the sum of radii and 1.2 Å), with the cut that is proposed
 * and its reason; bonded pairs first, shortest first.
 */
export const pairProposals = (s: Structure): readonly PairProposal[] => proposalOf(s).pairs;

/** The proposal as a bonding. */
export const proposedBonding = (s: Structure): Bonding => proposalOf(s).bonding;

/** The structure with its own bonding where it has one, else with what is proposed. */
export const bonded = (s: Structure): Structure => (s.bonding ? s : withBonding(s, proposedBonding(s)));
