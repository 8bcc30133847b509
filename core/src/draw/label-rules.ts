/** What is written beside atoms. */
import { isHome, siteIndices, type AtomRef } from '../crystal/atom-ref.ts';
import { typeSymbol } from '../crystal/charge.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { siteCharges } from '../crystal/ionic.ts';
import { wyckoffLetters } from '../symmetry/wyckoff.ts';
import { equivalentU, siteMultiplicity, type Site, type Structure } from '../crystal/structure.ts';

export const LABEL_RULES = ['label', 'element', 'site', 'charge', 'occupancy', 'displacement', 'none'] as const;
export type LabelRule = (typeof LABEL_RULES)[number];

/** The text beside each atom; undefined where nothing is written. */
export function labelling(s: Structure, rule: LabelRule): (ref: AtomRef, site: Site) => string | undefined {
  const heavy =
    (text: (site: Site) => string | undefined) =>
    (_: AtomRef, site: Site): string | undefined =>
      isHydrogen(site.element) ? undefined : text(site);
  switch (rule) {
    case 'none':
      return () => undefined;
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
