/** What Relate says of rings, pairs of rings and centres. */
import { isHome, moveRef, siteOf, symmetryCode, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { typeSymbol } from '@nagare/core/crystal/charge';
import type { Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import type { Coordination } from '@nagare/core/geometry/coordination';
import type { IonBalance } from '@nagare/core/geometry/ion-balance';
import type { RingReading, RingRelation } from '@nagare/core/geometry/ring-readings';
import type { UncertaintySource } from '@nagare/core/geometry/measure';

export const SOURCE_WORDS: Readonly<Record<UncertaintySource, string>> = {
  covariance: 'S.u. from the covariance of the refinement.',
  file: 'S.u. from those of the sites in the file, taken as independent.',
  none: 'No s.u.: the sites come without any.',
};

/** "C1 C2 C3 …" of a ring. */
export const ringAtoms = (s: Structure, r: RingReading): string =>
  r.atoms.map((a) => siteOf(s, a)?.label ?? '?').join(' ');

/** "chair", "envelope, C3 at the flap". */
export function formWords(s: Structure, r: RingReading): string {
  const { puckering } = r;
  if (!puckering) return 'flat';
  const flap = puckering.flap === undefined ? undefined : siteOf(s, r.atoms[puckering.flap]!)?.label;
  if (!flap) return puckering.form;
  return puckering.form === 'twist' ? `twist about ${flap}` : `${puckering.form}, ${flap} at the flap`;
}

/** "2 and 5 (3_656)", rings numbered from one. */
export const pairName = (r: RingRelation): string =>
  `${r.first + 1} and ${r.second + 1}${isHome(r.placement) ? '' : ` (${symmetryCode(r.placement)})`}`;

/** The atoms of both rings where the relation has them. */
export const pairAtoms = (s: Structure, rings: readonly RingReading[], r: RingRelation): AtomRef[] => [
  ...rings[r.first]!.atoms,
  ...rings[r.second]!.atoms.map((a) => moveRef(s.spaceGroup, r.placement, a)),
];

/** "Ti1 (Ti4+)". */
export function centreName(s: Structure, c: Coordination): string {
  const { label, element } = s.sites[c.site]!;
  return c.charge === undefined ? label : `${label} (${typeSymbol(element, c.charge)})`;
}

/** Shortest and longest bond of a centre. */
export function rangeWords(c: Coordination): string {
  const [first] = c.neighbours,
    last = c.neighbours.at(-1);
  if (!first || !last) return 'nothing near';
  const one = formatMeasured(first.distance, first.su, 3);
  return last.distance - first.distance < 5e-4 ? one : `${one}–${formatMeasured(last.distance, last.su, 3)}`;
}

const wholeOr = (x: number): string => (Math.abs(x - Math.round(x)) < 0.005 ? String(Math.round(x)) : x.toFixed(2));

/** What the rule of radii says of a centre, beside what it has, and why the two differ where they do. */
export function ruleWords(c: Coordination): string | undefined {
  const { radiusRatio: r, neighbours } = c;
  if (!r) return undefined;
  const ratio = `r₊/r₋ = ${r.cation.toFixed(2)}/${r.anion.toFixed(2)} = ${r.ratio.toFixed(3)}`;
  const found = neighbours.length;
  // The larger ion has the number that the smaller ones around it leave.
  const follows = r.ratio <= 1 === (c.charge ?? 0) > 0 ? 'allows' : 'leaves this ion';
  if (Math.abs(r.predicted - found) < 0.005) return `${ratio} ${follows} ${found}, as found.`;
  return `${ratio} ${follows} ${wholeOr(r.predicted)}; ${found} are found. ${whyWords(c, r)}`;
}

/** Bond-length distortion above which a centre is off its middle. */
const OFF_CENTRE = 0.02;
/** A ratio this near to a limit decides nothing. */
const NEAR_LIMIT = 0.04;
const LIMITS: readonly number[] = [0.155, 0.225, 0.414, 0.732, 1];

function whyWords(c: Coordination, r: NonNullable<Coordination['radiusRatio']>): string {
  const small = Math.min(r.ratio, 1 / r.ratio);
  if (c.distortion > OFF_CENTRE)
    return `The lengths spread by ${(100 * c.distortion).toFixed(1)} %: the centre stands off the middle, so that fewer of its neighbours count (effective number ${c.effective.toFixed(1)}).`;
  if (LIMITS.some((l) => Math.abs(small - l) < NEAR_LIMIT))
    return 'The ratio stands near a limit of the rule, where either number is possible.';
  return c.neighbours.length < r.predicted
    ? 'Fewer than hard spheres would allow: the bonds are partly covalent, or the anions’ own charge is met by fewer.'
    : 'More than hard spheres would allow: the anions give way, and long weak bonds share the charge.';
}

/** Whether charges and coordination numbers balance. */
export function balanceWords(b: IonBalance): string[] {
  const charge =
    b.charge === 0
      ? 'The charges of a cell balance.'
      : `The charges of a cell leave ${b.charge > 0 ? '+' : '−'}${Math.abs(b.charge).toFixed(1)}: a charge or an occupancy is not right.`;
  return [
    charge,
    ...b.pairs.map((p) => {
      const n = `${p.cation} has ${wholeOr(p.cationCoordination)} ${p.anion}, ${p.anion} has ${wholeOr(p.anionCoordination)} ${p.cation}`;
      const sums = `${wholeOr(p.cations)} × ${wholeOr(p.cationCoordination)} ${p.balanced ? '=' : '≠'} ${wholeOr(p.anions)} × ${wholeOr(p.anionCoordination)}`;
      return p.balanced
        ? `${n}: ${sums}, the numbers balance.`
        : `${n}: ${sums}; the gaps end the neighbours at different lengths from the two sides. Move a cut to make them meet.`;
    }),
  ];
}

/** Marks of different lengths by shape: the shortest first. */
export const LENGTH_MARKS: readonly string[] = ['●', '■', '▲', '◆', '★', '✚', '⬟', '⬢'];
export const lengthMark = (index: number): string => `${LENGTH_MARKS[index % LENGTH_MARKS.length]!}${index + 1}`;
