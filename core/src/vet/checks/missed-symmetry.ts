import { prettySymbol } from '../../crystal/settings.ts';
import type { Check } from '../check.ts';
import { isWhole, namedGroup, supergroupsFound } from '../../symmetry/supergroups.ts';

export const missedSymmetry: Check = {
  id: 'missed symmetry',
  family: 'symmetry',
  name: 'Symmetry missed',
  looks: 'Further operations within 0.25 Å for every compared atom, the cell allowing them within 0.6 %.',
  run: (c) => {
    if (c.s.sites.filter((_, i) => !c.hydrogen(i)).length < 3) return [];
    const found = supergroupsFound(c.s, 0.25).find((x) => isWhole(x, 0.25));
    const m = found && namedGroup(found);
    return m
      ? [
          {
            severity: 'mend',
            value: m.maxDeviation,
            unit: 'Å',
            title: `The model has the symmetry of ${prettySymbol(m.group.symbol)}`,
            detail: `Every compared atom within ${m.maxDeviation.toFixed(3)} Å (r.m.s. ${m.rms.toFixed(3)} Å). Refined without it, equivalent parameters correlate and bond lengths scatter.`,
            remedies: [{ act: 'go', station: 'symmetry', words: `Move to ${prettySymbol(m.group.symbol)} there` }],
          },
        ]
      : [];
  },
};
