/** What Relate says of rings, pairs of rings and centres. */
import { isHome, moveRef, siteOf, symmetryCode, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { typeSymbol } from '@nagare/core/crystal/charge';
import type { Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import type { Coordination } from '@nagare/core/geometry/coordination';
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

/** What the rule of radii says of a centre, beside what it has. */
export function ruleWords(c: Coordination): string | undefined {
  const { radiusRatio: r, neighbours } = c;
  if (!r) return undefined;
  const ratio = `r₊/r₋ = ${r.cation.toFixed(2)}/${r.anion.toFixed(2)} = ${r.ratio.toFixed(3)}`;
  return r.predicted === neighbours.length
    ? `${ratio} allows ${r.predicted}, as found.`
    : `${ratio} allows ${r.predicted}; ${neighbours.length} are found, since ions are no hard spheres.`;
}
