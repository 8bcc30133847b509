import type { Check } from '../check.ts';

export const convergence: Check = {
  id: 'convergence',
  family: 'refinement',
  name: 'Convergence',
  looks:
    'Largest shift over s.u. in the last cycle: 0.01 is settled, above 0.05 must be mended. A model that was not refined at all has not converged.',
  run: (c) => {
    const x = c.input.readings?.maxShiftOverSu ?? c.item('_refine_ls_shift/su_max');
    if (x === undefined)
      return c.input.reflections && c.s.sites.length
        ? [
            {
              key: 'never',
              severity: 'explain',
              title: 'This model was not refined',
              detail:
                'It was changed, or read from a file, since the last refinement; figures and s.u. are not its own.',
              remedies: [{ act: 'refine', words: 'Refine' }],
            },
          ]
        : [];
    return x <= 0.01
      ? []
      : [
          {
            severity: x > 0.05 ? 'mend' : 'explain',
            value: x,
            title: `The largest shift is ${x.toFixed(3)} s.u.`,
            detail: 'The refinement had not come to rest.',
            remedies: [{ act: 'refine', words: 'More cycles' }],
          },
        ];
  },
};
