import type { Check } from '../check.ts';

export const goodness: Check = {
  id: 'goodness of fit',
  family: 'refinement',
  name: 'Goodness of fit and weights',
  looks: 'S between 0.8 and 1.25; weighting parameters a below 0.2 and b below 5.',
  run: (c) => {
    const s = c.input.readings?.s ?? c.item('_refine_ls_goodness_of_fit_ref'),
      w = c.input.readings?.weights;
    return [
      ...(s !== undefined && (s < 0.8 || s > 1.25)
        ? [
            {
              key: 's',
              severity: s < 0.5 || s > 2.5 ? ('explain' as const) : ('know' as const),
              value: s,
              title: `S is ${s.toFixed(3)}`,
              detail:
                'With weights optimised it comes out near 1; otherwise the weights or the s.u. of the data are off.',
              remedies: [{ act: 'refine' as const, words: 'Refine with weights optimised' }],
            },
          ]
        : []),
      ...(w && (w.a > 0.2 || w.b > 5)
        ? [
            {
              key: 'weights',
              severity: 'explain' as const,
              value: w.a,
              title: `Weights a = ${w.a.toFixed(3)}, b = ${w.b.toFixed(2)}`,
              detail: 'Large values make up for something the model or the data lack: a twin, disorder, absorption.',
              remedies: [
                {
                  act: 'go' as const,
                  station: 'refine' as const,
                  sheet: 'Data',
                  words: 'See the analysis of variance',
                },
              ],
            },
          ]
        : []),
    ];
  },
};
