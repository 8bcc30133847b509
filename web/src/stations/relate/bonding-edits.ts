/** What is done to the bonds that are drawn: cuts of pairs, single bonds hidden and added. */
import {
  composePlacements,
  invertPlacement,
  placeKey,
  symmetryCode,
  isHome,
  siteOf,
  type AtomRef,
} from '@nagare/core/crystal/atom-ref';
import { pairKey, type Bonding, type SingleBond } from '@nagare/core/crystal/bonding';
import type { Structure } from '@nagare/core/crystal/structure';
import type { PairLengths, PairProposal } from '@nagare/core/geometry/bonding-proposal';

export interface PairRow extends PairProposal {
  /** Å; 0 where the pair is not drawn. */
  readonly cut: number;
  /** Bonds a cell holds within the cut. */
  readonly count: number;
  /** Shortest and longest of them, Å. */
  readonly range: readonly [number, number] | undefined;
  /** Set by the person. */
  readonly changed: boolean;
}

const SAME_CUT = 1e-6;

/** The proposals as a bonding to begin changes from. */
export const asBonding = (proposals: readonly PairProposal[]): Bonding => ({
  pairs: proposals.map((p) => ({ elements: p.elements, cut: p.proposed })),
  hidden: [],
  added: [],
});

export function pairRows(proposals: readonly PairProposal[], bonding: Bonding | undefined): PairRow[] {
  const own = new Map(bonding?.pairs.map((p) => [pairKey(...p.elements), p.cut]));
  return proposals.map((p) => {
    const cut = own.get(pairKey(...p.elements)) ?? p.proposed;
    return { ...p, cut, ...within(p, cut), changed: Math.abs(cut - p.proposed) > SAME_CUT };
  });
}

function within({ lengths }: PairLengths, cut: number): Pick<PairRow, 'count' | 'range'> {
  const near = lengths.filter((l) => l.distance <= cut);
  const count = near.reduce((n, l) => n + l.count, 0);
  return { count, range: near.length ? [near[0]!.distance, near.at(-1)!.distance] : undefined };
}

/** With the longest bond of a pair set; 0 switches it off. */
export function withCut(bonding: Bonding, elements: readonly [string, string], cut: number): Bonding {
  const key = pairKey(...elements);
  const others = bonding.pairs.filter((p) => pairKey(...p.elements) !== key);
  return { ...bonding, pairs: [...others, { elements, cut: Math.max(0, cut) }] };
}

/** What a pair is cut at when it is switched on: as proposed, else after the nearest distances. */
export function cutWhenOn(p: PairProposal): number {
  if (p.proposed > 0) return p.proposed;
  const gaps = p.lengths.map((l, i) => (p.lengths[i + 1]?.distance ?? l.distance * 1.02) / l.distance);
  const widest = gaps.indexOf(Math.max(...gaps.slice(0, 12)));
  const next = p.lengths[widest + 1]?.distance ?? Infinity;
  return Math.min((p.lengths[widest]!.distance + next) / 2, p.lengths[widest]!.distance + 0.3);
}

/** Two atoms of the crystal as a bond of the model: from the site of the first as it stands. */
export function singleBond(s: Structure, a: AtomRef, b: AtomRef): SingleBond {
  const back = invertPlacement(s.spaceGroup, a);
  return { from: a.site, to: { site: b.site, ...composePlacements(s.spaceGroup, back, b) } };
}

const bondKey = (s: Structure, b: SingleBond): string => `${b.from} ${placeKey(s, b.to)}`;

/** The same bond from whichever end it is named. */
function sameBond(s: Structure, p: SingleBond, q: SingleBond): boolean {
  const turned = singleBond(s, q.to, { site: q.from, operator: 0, shift: [0, 0, 0] });
  return bondKey(s, p) === bondKey(s, q) || bondKey(s, p) === bondKey(s, turned);
}

const without = (s: Structure, list: readonly SingleBond[], bond: SingleBond): SingleBond[] =>
  list.filter((b) => !sameBond(s, b, bond));

/** Not drawn any more; one that was only added is forgotten. */
export function hideBond(s: Structure, bonding: Bonding, bond: SingleBond): Bonding {
  const added = without(s, bonding.added, bond);
  if (added.length < bonding.added.length) return { ...bonding, added };
  return { ...bonding, hidden: [...without(s, bonding.hidden, bond), bond] };
}

/** Drawn, whatever its length; one that was hidden comes back. */
export function addBond(s: Structure, bonding: Bonding, bond: SingleBond): Bonding {
  const hidden = without(s, bonding.hidden, bond);
  if (hidden.length < bonding.hidden.length) return { ...bonding, hidden };
  return { ...bonding, added: [...without(s, bonding.added, bond), bond] };
}

/** "Ti1–O2 (3_655)". */
export function bondName(s: Structure, b: SingleBond): string {
  const label = (a: AtomRef): string => siteOf(s, a)?.label ?? '?';
  const from = label({ site: b.from, operator: 0, shift: [0, 0, 0] });
  return `${from}–${label(b.to)}${isHome(b.to) ? '' : ` (${symmetryCode(b.to)})`}`;
}

/** Bars of a histogram: heights 0–1 on a root scale, so that rare distances show. */
export function histogram(lengths: PairLengths['lengths'], from: number, to: number, bins: number): number[] {
  const out = new Array<number>(bins).fill(0);
  for (const l of lengths) {
    const at = Math.floor(((l.distance - from) / (to - from)) * bins);
    if (at >= 0 && at < bins) out[at]! += l.count;
  }
  const most = Math.max(...out);
  return out.map((n) => (most > 0 ? Math.sqrt(n / most) : 0));
}
