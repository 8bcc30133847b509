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
      const principal = `Principal mean-square displacements ${p.values.map((v) => v.toFixed(3)).join(', ')} Å²`;
      const rigid = { act: 'rigid bonds' as const, sites: [i], words: 'Restrain it by rigid bonds' };
      const split = { act: 'second place' as const, sites: [i], words: 'Look for a second place' };
      return [
        {
          key: x.id,
          // Disorder that was modelled is not asked for again.
          severity: x.disorder ? ('know' as const) : ('explain' as const),
          value: ratio,
          sites: [i],
          title: `${x.label} is drawn out ${Math.sqrt(ratio).toFixed(1)} : 1`,
          detail: x.disorder
            ? `${principal}, at one of the places of a disorder that is modelled: restraints make its shape like the others’.`
            : `${principal}: it may have two places.`,
          remedies: x.disorder ? [rigid] : [split, rigid],
        },
      ];
    }),
};
