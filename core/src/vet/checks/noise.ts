import type { Check } from '../check.ts';
import { percent } from '../context.ts';

export const noise: Check = {
  id: 'noise',
  family: 'data',
  name: 'Strength of the data',
  looks: 'R_σ above 10 %, or less than half of the reflections above 2σ.',
  needs: ['merged data'],
  run: ({ input: { statistics: m, readings: r } }) => [
    ...(m && m.rSigma > 0.1
      ? [
          {
            key: 'sigma',
            severity: m.rSigma > 0.25 ? ('mend' as const) : ('explain' as const),
            value: m.rSigma,
            title: `R_σ is ${percent(m.rSigma)}`,
            detail:
              'The mean standard uncertainty is large against the mean intensity: the crystal scattered weakly or the exposure was short.',
            remedies: [
              { act: 'go' as const, station: 'refine' as const, sheet: 'Data', words: 'Set a resolution limit' },
            ],
          },
        ]
      : []),
    ...(r && r.observed < 0.5 * r.reflections
      ? [
          {
            key: 'observed',
            severity: 'explain' as const,
            value: r.observed / r.reflections,
            title: `Only ${percent(r.observed / r.reflections, 0)} of the reflections stand above 2σ`,
            detail: `${r.observed} of ${r.reflections}. Refinement on F² uses the weak ones rightly, but the effective resolution is lower than the limit says.`,
          },
        ]
      : []),
  ],
};
