import type { Check } from '../check.ts';

export const resolution: Check = {
  id: 'resolution',
  family: 'data',
  name: 'Resolution',
  looks: 'Smallest spacing measured: 0.84 Å is asked for; beyond 1.0 Å positions and displacements suffer.',
  needs: ['merged data'],
  run: ({ input: { statistics: m, treatment } }) => {
    const d = Math.max(m?.dMin ?? 0, treatment?.dMin ?? 0);
    return !m || d <= 0.845
      ? []
      : [
          {
            severity: d > 1.05 ? 'mend' : 'explain',
            value: d,
            unit: 'Å',
            title: `The data end at ${d.toFixed(2)} Å`,
            detail: `Usual practice asks for 0.84 Å or better (sin θ/λ 0.6 Å⁻¹).${treatment?.dMin ? ' The limit was set by hand in Refine.' : ''}`,
            remedies: [{ act: 'go', station: 'intake', words: 'See the shells' }],
          },
        ];
  },
};
