import type { Check } from '../check.ts';
import { percent } from '../context.ts';

export const completeness: Check = {
  id: 'completeness',
  family: 'data',
  name: 'Completeness of the data',
  looks: 'Unique reflections measured against possible ones: below 98 % must be explained, below 90 % mended.',
  needs: ['merged data'],
  run: ({ input: { statistics: m, treatment } }) => {
    if (!m || m.completeness >= 0.98) return [];
    return [
      {
        severity: m.completeness < 0.9 ? 'mend' : 'explain',
        value: m.completeness,
        title: `${percent(m.completeness)} of the reflections to ${m.dMin.toFixed(2)} Å were measured`,
        detail: `${m.unique} unique reflections out of ${Math.round(m.unique / m.completeness)} possible. Missing reflections blur the density and make displacements uncertain.${treatment?.dMin ? '' : ' If only the outermost shell is incomplete, a resolution limit says so honestly.'}`,
        remedies: [
          { act: 'go', station: 'refine', sheet: 'Data', words: 'Set a resolution limit' },
          { act: 'go', station: 'intake', words: 'See completeness by shell' },
        ],
      },
    ];
  },
};
