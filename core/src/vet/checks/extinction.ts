import type { Check } from '../check.ts';

export const extinction: Check = {
  id: 'extinction',
  family: 'refinement',
  name: 'Extinction',
  looks:
    'Whether the strongest reflections are observed too weak by more than 4 %, and whether a refined coefficient is larger than its s.u.',
  needs: ['merged data'],
  run: (c) => {
    const x = c.input.readings?.extinction;
    if (x)
      return x.value < 3 * x.su
        ? [
            {
              key: 'nil',
              severity: 'know',
              value: x.value,
              title: 'The extinction coefficient is not different from zero',
              detail: `${x.value.toPrecision(2)} with an s.u. of ${x.su.toPrecision(2)}; it can be left out.`,
              remedies: [{ act: 'extinction', words: 'Refine without it' }],
            },
          ]
        : [];
    const e = c.evaluated();
    if (!e || e.data.fc2.length < 200 || !c.input.readings) return [];
    const order = Array.from(e.data.fc2.keys())
      .sort((p, q) => e.data.fc2[q]! - e.data.fc2[p]!)
      .slice(0, 25);
    const ratio = order.reduce((s, i) => s + e.data.fo2[i]!, 0) / order.reduce((s, i) => s + e.data.fc2[i]!, 0);
    return ratio < 0.93
      ? [
          {
            key: 'needed',
            severity: 'explain',
            value: ratio,
            title: `The 25 strongest reflections are observed ${(100 * (1 - ratio)).toFixed(0)} % too weak`,
            detail: 'Extinction weakens strong reflections; a coefficient can be refined.',
            remedies: [{ act: 'extinction', words: 'Refine an extinction coefficient' }],
          },
        ]
      : [];
  },
};
