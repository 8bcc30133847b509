import type { Check } from '../check.ts';
import { percent } from '../context.ts';

export const agreement: Check = {
  id: 'agreement',
  family: 'data',
  name: 'Agreement of equivalents',
  looks: 'R_int above 12 % must be explained, above 25 % mended.',
  needs: ['merged data'],
  run: ({ input: { statistics: m } }) =>
    !m || !(m.rInt > 0.12)
      ? []
      : [
          {
            severity: m.rInt > 0.25 ? 'mend' : 'explain',
            value: m.rInt,
            title: `R_int is ${percent(m.rInt)}`,
            detail:
              'Equivalent reflections disagree: weak data, absorption, a wrong Laue class, twinning or a spoilt batch.',
            remedies: [
              {
                act: 'go',
                station: 'intake',
                sheet: 'Scale and absorption',
                words: 'Scale, correct for absorption, look at batches',
              },
              { act: 'go', station: 'symmetry', words: 'Ask whether the symmetry is too high' },
            ],
          },
        ],
};
