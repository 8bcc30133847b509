import type { Check } from '../check.ts';

export const elongation: Check = {
  id: 'elongation',
  family: 'displacement',
  name: 'Elongated ellipsoids',
  looks: 'Ratio of the largest to the smallest principal mean-square displacement: above 6 must be explained.',
  run: (c) =>
    c.s.sites.flatMap((x, i) => {
      const p = c.principal()[i];
      if (!p || p.values[0] <= 0) return [];
      const ratio = p.values[2] / p.values[0];
      if (ratio < 6 || p.values[2] < 0.06) return [];
      return [
        {
          key: x.id,
          severity: 'explain' as const,
          value: ratio,
          sites: [i],
          title: `${x.label} is drawn out ${Math.sqrt(ratio).toFixed(1)} : 1`,
          detail: `Principal mean-square displacements ${p.values.map((v) => v.toFixed(3)).join(', ')} Å²: it may have two places.`,
          remedies: [
            { act: 'second place' as const, sites: [i], words: 'Look for a second place' },
            { act: 'rigid bonds' as const, sites: [i], words: 'Restrain it by rigid bonds' },
          ],
        },
      ];
    }),
};
