import type { Check } from '../check.ts';

export const neighbourRatio: Check = {
  id: 'neighbouring displacements',
  family: 'displacement',
  name: 'Displacement against neighbours',
  looks: 'Ratio of U_eq to the mean of bonded non-hydrogen neighbours: above 2.5 or below 0.4 must be explained.',
  run: (c) =>
    c.s.sites.flatMap((x, i) => {
      const near = c.heavyBondsOf(i);
      if (c.hydrogen(i) || c.metal(i) || !near.length || x.disorder) return [];
      const mean = near.reduce((p, b) => p + c.ueq()[b.to]!, 0) / near.length,
        ratio = c.ueq()[i]! / mean;
      if (ratio < 2.5 && ratio > 0.4) return [];
      return [
        {
          key: x.id,
          severity: 'explain' as const,
          value: ratio,
          sites: [i],
          title: `${x.label} moves ${ratio > 1 ? `${ratio.toFixed(1)} times as much as` : `${(1 / ratio).toFixed(1)} times less than`} its neighbours`,
          detail: `U_eq ${c.ueq()[i]!.toFixed(3)} against ${mean.toFixed(3)} Å². ${ratio > 1 ? 'A lighter element, a partial occupancy or two places.' : 'A heavier element.'}`,
          remedies: [
            { act: 'go' as const, station: 'refine' as const, sheet: 'Residual density', words: 'Count its electrons' },
            ...(ratio > 1 ? [{ act: 'second place' as const, sites: [i], words: 'Look for a second place' }] : []),
          ],
        },
      ];
    }),
};
