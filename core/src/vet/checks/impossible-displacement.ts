import type { Check } from '../check.ts';

export const impossibleDisplacement: Check = {
  id: 'impossible displacement',
  family: 'displacement',
  name: 'Displacement not positive definite',
  looks: 'Smallest principal mean-square displacement above zero.',
  run: (c) => {
    const sites = c.s.sites.flatMap((x, i) =>
      (x.displacement.kind === 'aniso' ? c.principal()[i]!.values[0] <= 0 : x.displacement.u <= 0) ? [i] : [],
    );
    if (!sites.length) return [];
    const worst = Math.min(
      ...sites.map((i) => (c.s.sites[i]!.displacement.kind === 'aniso' ? c.principal()[i]!.values[0] : c.ueq()[i]!)),
    );
    return [
      {
        severity: 'mend',
        value: worst,
        unit: 'Å²',
        sites,
        title: `${c.labels(sites)}: the displacement cannot be`,
        detail: `A principal mean-square displacement of ${worst.toFixed(4)} Å². A wrong element, two places taken for one, absorption, or too few data.`,
        remedies: [
          { act: 'sensible displacement', sites, words: 'Start again isotropic, restrained' },
          { act: 'refine', words: 'Refine' },
        ],
      },
    ];
  },
};
