import { formatMeasured } from '../../crystal/uncertainty.ts';
import type { Check } from '../check.ts';

export const absoluteStructureCheck: Check = {
  id: 'absolute structure',
  family: 'refinement',
  name: 'Absolute structure',
  looks: 'For groups without a centre: the Flack parameter and its s.u.',
  run: (c) => {
    if (c.s.spaceGroup.centric) return [];
    const x = c.input.absolute?.x ?? c.item('_refine_ls_abs_structure_Flack'),
      su = c.input.absolute?.su ?? 0.1;
    if (x === undefined)
      return c.input.readings
        ? [
            {
              key: 'unknown',
              severity: 'explain',
              title: 'The absolute structure was not looked at',
              detail: 'No Friedel pairs were measured, or the model is twinned. Say how the hand is known.',
            },
          ]
        : [];
    if (su > 0.3)
      return [
        {
          key: 'weak',
          severity: 'explain',
          value: x,
          title: `Flack parameter ${formatMeasured(x, su, 2)}: the hand is not told by the data`,
          detail: 'The anomalous signal is too weak. Say how the hand is known, or that it is not.',
        },
      ];
    if (x > 0.7)
      return [
        {
          key: 'wrong',
          severity: 'mend',
          value: x,
          title: `Flack parameter ${formatMeasured(x, su, 2)}: the hand is wrong`,
          detail: 'The inverse model fits the Friedel pairs.',
          remedies: [{ act: 'invert', words: 'Invert the structure' }],
        },
      ];
    return Math.abs(x) > Math.max(0.15, 3 * su)
      ? [
          {
            key: 'mixed',
            severity: 'explain',
            value: x,
            title: `Flack parameter ${formatMeasured(x, su, 2)}: neither hand`,
            detail: 'A twin by inversion is possible.',
            remedies: [{ act: 'go', station: 'refine', sheet: 'Data', words: 'Refine as an inversion twin' }],
          },
        ]
      : [];
  },
};
