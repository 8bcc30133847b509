import type { Check } from '../check.ts';
import { operatorsNear } from '../../crystal/neighbours.ts';
import { allOperators } from '../../crystal/space-group.ts';
import { metricTensor } from '../../crystal/cell.ts';

export const specialPositionsCheck: Check = {
  id: 'special positions',
  family: 'symmetry',
  name: 'Special positions',
  looks:
    'Sites that nearly coincide with a copy of themselves without standing on the element, and occupancies that do not go with it.',
  run: (c) => {
    const g = metricTensor(c.s.cell),
      all = allOperators(c.s.spaceGroup);
    return c.s.sites.flatMap((x, i) => {
      const order = c.siteOrder()[i]!;
      if (order > 1) {
        // A share written as occupancy on top of the site symmetry counts the atom twice.
        const twice = !x.disorder && Math.abs(x.occupancy * order - 1) < 0.01;
        return twice
          ? [
              {
                key: x.id,
                severity: 'mend' as const,
                value: x.occupancy,
                sites: [i],
                title: `${x.label} stands on a special position with occupancy ${x.occupancy.toFixed(3)}`,
                detail: `Its site symmetry already counts it once in ${order} operations; the occupancy of a full site is 1.`,
                remedies: [
                  { act: 'go' as const, station: 'refine' as const, sheet: 'Sites', words: 'Set its occupancy' },
                ],
              },
            ]
          : [];
      }
      const nearest = all
        .slice(1)
        .map((o) => operatorsNear([o], g, x.position, x.position).distance)
        .reduce((p, q) => Math.min(p, q), Infinity);
      const partial = x.occupancy < 0.75 || x.disorder;
      if (nearest > (c.hydrogen(i) ? 0.4 : 0.7) || partial) return [];
      return [
        {
          key: x.id,
          severity: 'mend' as const,
          value: nearest,
          unit: 'Å',
          sites: [i],
          title: `${x.label} is ${nearest.toFixed(2)} Å from a copy of itself`,
          detail: 'It should stand on the symmetry element, or be disordered about it with half occupancy.',
          remedies: [
            { act: 'go' as const, station: 'refine' as const, sheet: 'Disorder', words: 'Treat as disordered' },
          ],
        },
      ];
    });
  },
};
