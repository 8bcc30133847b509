import type { Check } from '../check.ts';
import { percent } from '../context.ts';

export const lostReflections: Check = {
  id: 'lost reflections',
  family: 'data',
  name: 'Missing and rejected reflections',
  looks: 'Completeness of the innermost shell, and the share of rejected observations.',
  needs: ['merged data'],
  run: ({ input: { statistics: m, treatment } }) => {
    if (!m) return [];
    const inner = m.shells[0];
    const gone = treatment?.excluded?.length ?? 0;
    return [
      ...(inner && inner.completeness < 0.9 && inner.possible > 20
        ? [
            {
              key: 'inner',
              severity: 'explain' as const,
              value: inner.completeness,
              title: `${inner.possible - inner.unique} strong low-angle reflections are missing`,
              detail: `The shell beyond ${inner.dMin.toFixed(2)} Å is ${percent(inner.completeness)} complete: behind the beam stop, overflowed, or left out.`,
              remedies: [{ act: 'go' as const, station: 'intake' as const, words: 'See the shells' }],
            },
          ]
        : []),
      ...(m.rejected > 0.01 * m.measured
        ? [
            {
              key: 'rejected',
              severity: 'explain' as const,
              value: m.rejected / m.measured,
              title: `${m.rejected} observations (${percent(m.rejected / m.measured)}) were rejected in merging`,
              detail: 'They deviate by more than six s.u. from the median of their equivalents.',
            },
          ]
        : []),
      ...(gone > 10
        ? [
            {
              key: 'excluded',
              severity: 'explain' as const,
              value: gone,
              title: `${gone} reflections are left out by hand`,
              detail: `Reasons given: ${[...new Set(treatment!.excluded!.map((x) => x.reason))].slice(0, 4).join('; ')}.`,
            },
          ]
        : []),
    ];
  },
};
