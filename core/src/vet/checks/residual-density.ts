import type { Check } from '../check.ts';
import { elementOf } from '../../crystal/elements.ts';

export const residualDensity: Check = {
  id: 'residual density',
  family: 'refinement',
  name: 'Residual density',
  looks:
    'Largest maximum and minimum against what the heaviest element near by explains: 0.1 e Å⁻³ per electron within 1.2 Å of it, 0.6 e Å⁻³ elsewhere.',
  run: (c) => {
    const out = [];
    for (const [kind, p] of [
      ['maximum', c.input.peaks?.[0]],
      ['minimum', c.input.holes?.[0]],
    ] as const) {
      if (!p) continue;
      const near = p.near[0];
      const z = near && near.distance < 1.2 ? elementOf(c.s.sites[near.site]!.element).z : 0;
      const limit = Math.max(0.6, 0.1 * z),
        size = Math.abs(p.height);
      if (size < limit) continue;
      out.push({
        key: kind,
        severity: size > 3 * limit ? ('mend' as const) : ('explain' as const),
        value: p.height,
        unit: 'e Å⁻³',
        at: p.position,
        sites: near ? [near.site] : [],
        title: `A residual ${kind} of ${p.height.toFixed(2)} e Å⁻³${near ? `, ${near.distance.toFixed(2)} Å from ${near.label}` : ''}`,
        detail:
          kind === 'maximum'
            ? near && near.distance > 1.3
              ? 'Far from any atom: solvent or a second place may be missing.'
              : 'Close to an atom: disorder, a wrong element, absorption or series termination.'
            : 'Too many electrons stand there: a wrong element, or an occupancy below one.',
        remedies: [
          { act: 'go' as const, station: 'refine' as const, sheet: 'Residual density', words: 'Look at it' },
          ...(kind === 'maximum' && near && near.distance < 1.3
            ? [{ act: 'second place' as const, sites: [near.site], words: `Second place for ${near.label}` }]
            : []),
        ],
      });
    }
    return out;
  },
};
