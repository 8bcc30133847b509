import type { Check } from '../check.ts';
import { restraintStandings } from '../../refine/model-restraints.ts';
import { physicalValues } from '../../refine/parameters.ts';

export const restraintsOff: Check = {
  id: 'restraints',
  family: 'refinement',
  name: 'Restraints',
  looks: 'Restraints farther than three s.u. from their targets; more restraints than a third of the parameters.',
  run: (c) => {
    const active = c.s.controls?.restraints.filter((r) => !r.off) ?? [];
    const readings = c.input.readings;
    if (!active.length) return [];
    const ids = new Set(active.map((r) => r.id));
    const off = restraintStandings(c.s, physicalValues(c.s, 1, 0)).filter(
      (x) => ids.has(x.id) && Math.abs(x.worst.misfit) > 3,
    );
    return [
      ...(off.length
        ? [
            {
              key: 'far',
              severity: Math.abs(off[0]!.worst.misfit) > 8 ? ('mend' as const) : ('explain' as const),
              value: off[0]!.worst.misfit,
              title: `${off.length} restraint${off.length > 1 ? 's stand' : ' stands'} more than 3 s.u. from target`,
              detail: off
                .slice(0, 4)
                .map(
                  (x) =>
                    `${x.worst.text}: ${x.worst.value.toFixed(3)} for ${x.worst.target.toFixed(3)} (${x.worst.misfit.toFixed(1)} s.u.)`,
                )
                .join('; '),
              remedies: [
                {
                  act: 'go' as const,
                  station: 'refine' as const,
                  sheet: 'Restraints and constraints',
                  words: 'See the restraints',
                },
              ],
            },
          ]
        : []),
      ...(readings && readings.restraints > readings.parameters / 3
        ? [
            {
              key: 'many',
              severity: 'explain' as const,
              value: readings.restraints / readings.parameters,
              title: `${readings.restraints} restraints for ${readings.parameters} parameters`,
              detail: 'So many want a word why they were needed.',
              remedies: [
                {
                  act: 'go' as const,
                  station: 'refine' as const,
                  sheet: 'Restraints and constraints',
                  words: 'See the restraints',
                },
              ],
            },
          ]
        : []),
    ];
  },
};
