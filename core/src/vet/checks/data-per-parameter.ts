import type { Check } from '../check.ts';

export const dataPerParameter: Check = {
  id: 'data per parameter',
  family: 'refinement',
  name: 'Reflections per parameter',
  looks: 'Eight are asked for; below five must be mended.',
  run: (c) => {
    const n = c.input.readings?.reflections ?? c.item('_refine_ls_number_reflns'),
      p = c.input.readings?.parameters ?? c.item('_refine_ls_number_parameters');
    if (!n || !p || n / p >= 8) return [];
    return [
      {
        severity: n / p < 5 && !c.input.readings?.restraints ? 'mend' : 'explain',
        value: n / p,
        title: `${(n / p).toFixed(1)} reflections for each parameter`,
        detail: `${n} reflections, ${p} parameters${c.input.readings?.restraints ? `, ${c.input.readings.restraints} restraints` : ''}. Friedel pairs counted.`,
        remedies: [
          {
            act: 'go',
            station: 'refine',
            sheet: 'Restraints and constraints',
            words: 'Restrain what the data cannot hold',
          },
        ],
      },
    ];
  },
};
