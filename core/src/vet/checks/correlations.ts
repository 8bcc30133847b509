import type { Check } from '../check.ts';

export const correlations: Check = {
  id: 'correlations',
  family: 'refinement',
  name: 'Correlations',
  looks: 'Correlation coefficients above 0.9 must be explained, above 0.97 mended.',
  needs: ['refinement'],
  run: (c) => {
    const list = (c.input.readings?.correlations ?? []).filter((x) => Math.abs(x.value) > 0.9);
    if (!list.length) return [];
    const names = new Set(list.flatMap((x) => x.between).map((n) => n.replace(/^.* of /, '')));
    const sites = c.s.sites.flatMap((x, i) => (names.has(x.label) ? [i] : []));
    return [
      {
        severity: Math.abs(list[0]!.value) > 0.97 ? 'mend' : 'explain',
        value: list[0]!.value,
        sites,
        title: `${list.length} correlation${list.length > 1 ? 's' : ''} above 0.9, up to ${Math.abs(list[0]!.value).toFixed(3)}`,
        detail: `${list
          .slice(0, 4)
          .map((x) => `${x.between.join(' with ')} ${x.value.toFixed(2)}`)
          .join('; ')}. Typical of disorder that overlaps, or of symmetry that was missed.`,
        remedies: [
          { act: 'go', station: 'symmetry', words: 'Look for missed symmetry' },
          { act: 'go', station: 'refine', sheet: 'Restraints and constraints', words: 'Constrain them' },
        ],
      },
    ];
  },
};
