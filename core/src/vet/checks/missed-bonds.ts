import type { Check } from '../check.ts';
import { bondLimit } from '../../geometry/bonds.ts';

export const missedBonds: Check = {
  id: 'missed bonds',
  family: 'geometry',
  name: 'Bonds that were missed',
  looks: 'Pairs just beyond bonding distance (up to 0.25 Å) where one atom lacks a partner.',
  run: (c) => {
    const seen = new Set<string>();
    return c
      .contacts()
      .flatMap((n) => {
        if (c.hydrogen(n.from) || c.hydrogen(n.to)) return [];
        const p = c.s.sites[n.from]!,
          q = c.s.sites[n.to]!;
        const limit = bondLimit(p.element, q.element);
        if (!limit || n.distance > limit + 0.25 || seen.has([p.id, q.id].sort().join())) return [];
        seen.add([p.id, q.id].sort().join());
        return [
          {
            key: [p.id, q.id].sort().join(' '),
            severity: 'know' as const,
            value: n.distance,
            unit: 'Å',
            sites: [n.from, n.to],
            title: `${p.label} and ${q.label} are ${n.distance.toFixed(2)} Å apart`,
            detail: `A bond would end at ${limit.toFixed(2)} Å. A long contact to a metal or a strained bond may be meant.`,
          },
        ];
      })
      .slice(0, 6);
  },
};
