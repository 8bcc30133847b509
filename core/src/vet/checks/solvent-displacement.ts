import type { Check } from '../check.ts';

export const solventDisplacement: Check = {
  id: 'solvent displacement',
  family: 'displacement',
  name: 'Solvent against main molecule',
  looks: 'Mean U_eq of small separate molecules against the largest: above 2.5 times must be explained.',
  run: (c) => {
    const list = c.fragments().filter((f) => f.some((i) => !c.hydrogen(i)));
    const mean = (f: readonly number[]): number => {
      const h = f.filter((i) => !c.hydrogen(i));
      return h.reduce((p, i) => p + c.ueq()[i]!, 0) / h.length;
    };
    const main = list[0];
    if (!main || list.length < 2) return [];
    return list.slice(1).flatMap((f) => {
      const ratio = mean(f) / mean(main);
      if (ratio < 2.5 || f.length > main.length / 2) return [];
      const sites = f.filter((i) => !c.hydrogen(i));
      return [
        {
          key: c.s.sites[sites[0]!]!.id,
          severity: 'explain' as const,
          value: ratio,
          sites,
          title: `${c.labels(sites)} ${sites.length === 1 ? 'moves' : 'move'} ${ratio.toFixed(1)} times as much as the main molecule`,
          detail: 'Solvent that is disordered or not fully there.',
          remedies: [
            { act: 'second place' as const, sites, words: 'Look for a second place' },
            { act: 'go' as const, station: 'refine' as const, sheet: 'Data', words: 'Correct for solvent instead' },
          ],
        },
      ];
    });
  },
};
