import type { Check, Draft, Remedy } from '../check.ts';
import { mistakenFor, type VetContext } from '../context.ts';
import { elementOf } from '../../crystal/elements.ts';
import { formatMeasured } from '../../crystal/uncertainty.ts';
import { expectedBond } from '../bond-ranges.ts';

/** Electrons that a count must be off to speak against the element; bonds and lone pairs make up to 0.15 of them. */
const OFF = 0.55;
/** s.u. that it must be off as well, and how well it must be known to count at all. */
const SIGNIFICANT = 5;
const KNOWN = 0.2;
/** Counts this near speak for the element. */
const FITS = 0.3;

type Says = 'lighter' | 'heavier';
interface Sign {
  readonly says: Says;
  readonly words: string;
  /** Enough by itself. */
  readonly sure?: true;
}

/** What the data count on the site: for the element, against it, or nothing. */
function countOn(c: VetContext, i: number): { readonly fits: boolean; readonly sign?: Sign; readonly as?: string } {
  const count = c.electrons().get(i);
  const { element } = c.s.sites[i]!;
  if (!count || !(count.su <= KNOWN)) return { fits: false };
  const { z } = elementOf(element);
  const off = count.electrons - z;
  if (Math.abs(off) < Math.max(OFF, SIGNIFICANT * count.su)) return { fits: Math.abs(off) < FITS };
  const { better } = count;
  const as = better ? ` (${better.electrons.toFixed(1)} counted as ${better.element})` : '';
  const words = `${formatMeasured(count.electrons, count.su, 2)} electrons counted on it, not ${z}${as}`;
  const sign = { says: off < 0 ? ('lighter' as const) : ('heavier' as const), words, sure: true as const };
  return { fits: false, sign, ...(better ? { as: better.element } : {}) };
}

/** Mean U_eq of the bonded neighbours that are no hydrogens, Å². */
function meanAround(c: VetContext, i: number): number {
  const heavy = c.heavyBondsOf(i);
  return heavy.reduce((sum, b) => sum + c.ueq()[b.to]!, 0) / heavy.length;
}

/** Ends of groups swing; what is bonded on both sides cannot. */
function displacementSigns(c: VetContext, i: number): Sign[] {
  if (c.heavyBondsOf(i).length < 2) return [];
  const [u, mean] = [c.ueq()[i]!, meanAround(c, i)];
  const words = `U_eq ${u.toFixed(3)} against ${mean.toFixed(3)} Å² of its neighbours`;
  if (u > 1.33 * mean) return [{ says: 'lighter', words }];
  return u < 0.62 * mean ? [{ says: 'heavier', words }] : [];
}

function densitySigns(c: VetContext, i: number): Sign[] {
  const limit = Math.max(0.3, 4 * (c.input.residualSigma ?? 0.06));
  const on = (p: { near: readonly { site: number; distance: number }[] }): boolean =>
    p.near[0]?.site === i && p.near[0].distance < 0.35;
  const hole = c.input.holes?.find((p) => on(p) && p.height < -limit);
  const peak = c.input.peaks?.find((p) => on(p) && p.height > limit);
  return [
    ...(hole ? [{ says: 'lighter' as const, words: `a hole of ${hole.height.toFixed(2)} e Å⁻³ on the site` }] : []),
    ...(peak ? [{ says: 'heavier' as const, words: `a maximum of ${peak.height.toFixed(2)} e Å⁻³ on the site` }] : []),
  ];
}

/** More partners than the element has. */
function partnerSigns(c: VetContext, i: number): Sign[] {
  const { element } = c.s.sites[i]!;
  const all = c.bondsOf(i).length;
  const heavy = c.heavyBondsOf(i).length;
  const partners = c.bondsOf(i).filter((b) => !c.metal(b.to)).length;
  const says = (words: string): Sign[] => [
    { says: 'lighter', words: `${partners} partners, which ${words} does not have`, sure: true },
  ];
  if (element === 'O' && partners > 2) return says('oxygen');
  if (element === 'F' && partners > 1) return says('fluorine');
  if (element === 'N' && heavy > 3 && all > heavy) return says('nitrogen');
  return [];
}

/** The element that the site should be tried as: what was counted, else the next in its row. */
function otherFor(c: VetContext, i: number, says: Says): string | undefined {
  const { element } = c.s.sites[i]!;
  const { as } = countOn(c, i);
  if (as) return as;
  const { z } = elementOf(element);
  return mistakenFor(element).find((e) => elementOf(e).z === z + (says === 'lighter' ? -1 : 1));
}

/** Weak signs alone: libration of a ring, or a loose end. */
const isWeak = (c: VetContext, i: number, sign: Sign): boolean =>
  sign.words.startsWith('U_eq') && (sign.says === 'heavier' || c.ueq()[i]! < 1.8 * meanAround(c, i));

function findingOn(c: VetContext, i: number): Draft | undefined {
  const x = c.s.sites[i]!;
  if (c.hydrogen(i) || x.disorder || x.occupancy < 0.999) return undefined;
  const count = countOn(c, i);
  // Where the electrons are those of the element, displacements and ripples of the map say nothing against it.
  const signs = [
    ...(count.sign ? [count.sign] : []),
    ...(count.fits ? [] : [...displacementSigns(c, i), ...densitySigns(c, i)]),
    ...partnerSigns(c, i),
  ];
  const [first] = signs;
  if (!first) return undefined;
  const agreeing = signs.filter((q) => q.says === first.says);
  const mend = agreeing.length > 1 || !!first.sure;
  if (!mend && isWeak(c, i, first)) return undefined;
  const heavy = c.heavyBondsOf(i);
  const other = otherFor(c, i, first.says);
  const fitting = other
    ? heavy.filter((b) => {
        const r = expectedBond(other, c.s.sites[b.to]!.element);
        return r && b.distance > r.low && b.distance < r.high;
      }).length
    : 0;
  const remedies: Remedy[] = [
    ...(other ? [{ act: 'element' as const, site: i, element: other, words: `Make it ${other}` }] : []),
    { act: 'go', station: 'refine', sheet: 'Residual density', words: 'Count its electrons' },
  ];
  return {
    key: x.id,
    severity: mend ? 'mend' : 'explain',
    sites: [i],
    value: c.ueq()[i]!,
    unit: 'Å²',
    title: `${x.label} looks ${first.says} than ${x.element}`,
    detail: `${agreeing.map((q) => q.words).join('; ')}.${other && heavy.length ? ` As ${other}, ${fitting} of its ${heavy.length} bonds would be in the usual range.` : ''}`,
    remedies,
  };
}

export const elementMistaken: Check = {
  id: 'element mistaken',
  family: 'contents',
  name: 'Element mistaken',
  looks:
    'Electrons counted on the site (off by 0.55 and five s.u. must be mended), displacement against the bonded neighbours, residual density on the site, number of partners, and bond lengths: two signs that agree must be mended, one is worth knowing.',
  run: (c) => c.s.sites.flatMap((_, i) => findingOn(c, i) ?? []),
};
