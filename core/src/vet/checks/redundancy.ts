import type { Check } from '../check.ts';

export const redundancy: Check = {
  id: 'redundancy',
  family: 'data',
  name: 'Redundancy',
  looks: 'Observations per unique reflection; below 1.3 outliers cannot be told.',
  needs: ['merged data'],
  run: ({ input: { statistics: m, raw } }) =>
    !m || raw?.merged || m.redundancy >= 1.3
      ? []
      : [
          {
            severity: 'know',
            value: m.redundancy,
            title: `Each reflection was measured ${m.redundancy.toFixed(2)} times on average`,
            detail: 'With fewer than about two observations of a reflection, R_int says little and outliers go unseen.',
          },
        ],
};
