import type { Check } from '../check.ts';
import { expectedBond } from '../bond-ranges.ts';

export const bondLengths: Check = {
  id: 'bond lengths',
  family: 'geometry',
  name: 'Bond lengths',
  looks:
    'Bonds between non-metals against the spread of single to multiple bonds; beyond it by 0.03 Å must be explained, by 0.12 Å mended.',
  run: (c) => {
    const off = c
      .bonds()
      .flatMap((b) => {
        if (b.from > b.to || c.s.sites[b.from]!.disorder || c.s.sites[b.to]!.disorder) return [];
        const r = expectedBond(c.s.sites[b.from]!.element, c.s.sites[b.to]!.element);
        const by = r ? Math.max(r.low - b.distance, b.distance - r.high) : 0;
        return r && by > 0.03 ? [{ b, by, r }] : [];
      })
      .sort((p, q) => q.by - p.by);
    return off.slice(0, 6).map(({ b, by, r }) => ({
      key: `${c.s.sites[b.from]!.id} ${c.s.sites[b.to]!.id}`,
      severity: by > 0.12 ? ('mend' as const) : ('explain' as const),
      value: b.distance,
      unit: 'Å',
      sites: [b.from, b.to],
      title: `${c.label(b.from)}–${c.label(b.to)} is ${b.distance.toFixed(3)} Å`,
      detail: `Usual between ${c.s.sites[b.from]!.element} and ${c.s.sites[b.to]!.element}: ${r.low.toFixed(2)} to ${r.high.toFixed(2)} Å. A wrong element, two places taken for one, or a shift not yet settled.`,
      remedies: [
        { act: 'second place' as const, sites: [b.from, b.to], words: 'Look for a second place' },
        { act: 'refine' as const, words: 'Refine' },
      ],
    }));
  },
};
