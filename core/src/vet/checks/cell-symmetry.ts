import { constantsWords } from '../../crystal/cell-words.ts';
import { cellInGroup, metricFits } from '../../crystal/group-cell.ts';
import { prettySymbol } from '../../crystal/settings.ts';
import type { Check } from '../check.ts';

export const cellSymmetry: Check = {
  id: 'cell and symmetry',
  family: 'symmetry',
  name: 'Cell against symmetry',
  looks: 'Whether the cell has the metric that the operations ask for.',
  run: (c) =>
    metricFits(c.s.cell, c.s.spaceGroup, 1000)
      ? []
      : [
          {
            severity: 'mend',
            title: `The cell does not go with ${prettySymbol(c.s.spaceGroup.symbol)}`,
            detail: `Its lengths or angles differ where the symmetry makes them equal, 90° or 120°: ${constantsWords(c.s.cell)}. A cell that keeps it is ${constantsWords(cellInGroup(c.s.cell, c.s.spaceGroup))}.`,
            remedies: [
              // Further off, it is another cell or another group, not a measurement.
              ...(metricFits(c.s.cell, c.s.spaceGroup, 50)
                ? [{ act: 'cell' as const, words: 'Take the cell that the group asks for' }]
                : []),
              { act: 'go', station: 'symmetry', words: 'See subgroups and settings' },
            ],
          },
        ],
};
