import type { Check } from '../check.ts';
import { percent } from '../context.ts';

export const residualR: Check = {
  id: 'R values',
  family: 'refinement',
  name: 'R1 and wR2',
  looks: 'R1 above 7 % or wR2 above 20 % must be explained, R1 above 12 % mended.',
  run: (c) => {
    const r1 = c.input.readings?.r1 ?? c.item('_refine_ls_R_factor_gt'),
      wr2 = c.input.readings?.wr2 ?? c.item('_refine_ls_wR_factor_ref');
    const out = [];
    if (r1 !== undefined && r1 > 0.07)
      out.push({
        key: 'r1',
        severity: r1 > 0.12 ? ('mend' as const) : ('explain' as const),
        value: r1,
        title: `R1 is ${percent(r1, 2)}`,
        detail: 'Missing atoms, disorder, a twin, wrong elements, wrong symmetry or poor data.',
        remedies: [
          { act: 'settle' as const, words: 'Settle' },
          { act: 'go' as const, station: 'symmetry' as const, words: 'Look at the symmetry' },
          { act: 'go' as const, station: 'refine' as const, sheet: 'Data', words: 'Test twin laws' },
        ],
      });
    if (wr2 !== undefined && wr2 > 0.2)
      out.push({
        key: 'wr2',
        severity: wr2 > 0.35 ? ('mend' as const) : ('explain' as const),
        value: wr2,
        title: `wR2 is ${percent(wr2, 2)}`,
        detail: 'Values near 10–15 % are usual; larger ones come with weak data, disorder or twins.',
        remedies: [{ act: 'go' as const, station: 'refine' as const, sheet: 'Data', words: 'See the plots' }],
      });
    return out;
  },
};
