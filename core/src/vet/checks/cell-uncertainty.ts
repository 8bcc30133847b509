import type { Check } from '../check.ts';
import { cellParameters } from '../../crystal/cell.ts';

export const cellUncertainty: Check = {
  id: 'cell uncertainty',
  family: 'data',
  name: 'Uncertainty of the cell',
  looks: 's.u. present, and between 1 part in 100 000 and 1 in 1 000.',
  run: (c) => {
    const su = c.s.cell.su,
      p = cellParameters(c.s.cell);
    if (!su || su.slice(0, 3).every((x) => !x))
      return [
        {
          severity: 'explain',
          title: 'The cell has no standard uncertainties',
          detail: 'Without them the s.u. of distances and angles are too small.',
          remedies: [{ act: 'go', station: 'intake', words: 'See the cell' }],
        },
      ];
    const worst = [0, 1, 2].reduce((q, i) => Math.max(q, su[i]! / p[i]!), 0);
    return worst > 1.5e-3
      ? [
          {
            severity: 'explain',
            value: worst,
            title: `A cell length is known only to 1 part in ${Math.round(1 / worst)}`,
            detail: 'It limits every distance; more reflections at high angle would mend it.',
          },
        ]
      : [];
  },
};
