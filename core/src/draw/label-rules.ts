/** What is written beside atoms. */
import { isHome, siteIndices, symmetryCode, type AtomRef } from '../crystal/atom-ref.ts';
import { typeSymbol } from '../crystal/charge.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { bondValence, siteCharges } from '../crystal/ionic.ts';
import { bonds, bondsBySite } from '../geometry/bonds.ts';
import { wyckoffLetters } from '../symmetry/wyckoff.ts';
import { equivalentU, siteMultiplicity, type Site, type Structure } from '../crystal/structure.ts';

export const LABEL_RULES = [
  'label',
  'element',
  'site',
  'charge',
  'occupancy',
  'valence',
  'displacement',
  'label with code',
  'none',
] as const;
export type LabelRule = (typeof LABEL_RULES)[number];

/** What is written at bonds and between them rather than beside atoms. */
export const MEASURE_LABELS = ['length', 'angle'] as const;
export type MeasureLabel = (typeof MEASURE_LABELS)[number];
export const isMeasureLabel = (say: LabelRule | MeasureLabel): say is MeasureLabel =>
  (MEASURE_LABELS as readonly string[]).includes(say);

/** The text beside each atom; undefined where nothing is written. */
export function labelling(s: Structure, rule: LabelRule): (ref: AtomRef, site: Site) => string | undefined {
  const heavy =
    (text: (site: Site) => string | undefined) =>
    (_: AtomRef, site: Site): string | undefined =>
      isHydrogen(site.element) ? undefined : text(site);
  switch (rule) {
    case 'none':
      return () => undefined;
    case 'label with code':
      return labelsWithCodes();
    case 'valence': {
      const sums = valenceSums(s);
      return heavy((x) => sums.get(x.id));
    }
    case 'label':
      // Copies bear the same names: once is enough.
      return (ref, site) => (isHome(ref) && !isHydrogen(site.element) ? site.label : undefined);
    case 'element':
      return heavy((x) => x.element);
    case 'site': {
      const letters = wyckoffLetters(s);
      const kinds = new Map(s.sites.map((x, i) => [x.id, `${siteMultiplicity(s, x)}${letters[i] ?? ''}`]));
      return heavy((x) => kinds.get(x.id));
    }
    case 'charge': {
      const charges = siteCharges(s),
        index = siteIndices(s);
      return heavy((x) => {
        const q = charges[index.get(x.id)!];
        return q === undefined ? undefined : typeSymbol(x.element, q);
      });
    }
    case 'occupancy':
      return heavy((x) => (x.occupancy < 1 ? x.occupancy.toFixed(2) : undefined));
    case 'displacement':
      return heavy((x) => equivalentU(s.cell, x.displacement).toFixed(3));
  }
}

/** Small Roman numerals that stand above the line. */
const ABOVE: readonly (readonly [number, string])[] = [
  [10, 'ˣ'],
  [9, 'ⁱˣ'],
  [5, 'ᵛ'],
  [4, 'ⁱᵛ'],
  [1, 'ⁱ'],
];

/** 1, 2, 3 … as ⁱ, ⁱⁱ, ⁱⁱⁱ …; up to 39. */
export function romanAbove(n: number): string {
  let left = n,
    out = '';
  for (const [value, sign] of ABOVE)
    while (left >= value) {
      out += sign;
      left -= value;
    }
  return out;
}

/** More operations than this are not told apart by small numerals. */
const MOST_CODES = 39;

/** Labels, those of copies with the number of their operation above; numbers are given as copies are met. */
function labelsWithCodes(): (ref: AtomRef, site: Site) => string | undefined {
  const codes = new Map<string, number>();
  return (ref, site) => {
    if (isHydrogen(site.element)) return undefined;
    if (isHome(ref)) return site.label;
    const code = symmetryCode(ref);
    if (!codes.has(code)) codes.set(code, codes.size + 1);
    const n = codes.get(code)!;
    return n > MOST_CODES ? undefined : `${site.label}${romanAbove(n)}`;
  };
}

/** Bond-valence sums by site, two digits; of sites whose charge and neighbours are known. */
function valenceSums(s: Structure): ReadonlyMap<string, string> {
  const charges = siteCharges(s);
  const around = bondsBySite(s, bonds(s));
  const out = new Map<string, string>();
  s.sites.forEach((x, i) => {
    const q = charges[i];
    if (!q) return;
    let sum = 0;
    for (const b of around[i]!) {
      const other = s.sites[b.to]!,
        p = charges[b.to];
      if (!p || p * q > 0) continue;
      const v =
        q > 0
          ? bondValence(x.element, q, other.element, b.distance)
          : bondValence(other.element, p, x.element, b.distance);
      if (v === undefined) return;
      sum += v * other.occupancy;
    }
    if (sum > 0) out.set(x.id, sum.toFixed(2));
  });
  return out;
}
