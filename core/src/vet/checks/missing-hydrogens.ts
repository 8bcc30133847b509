import type { Check } from '../check.ts';
import { planHydrogens } from '../../model/hydrogen-plan.ts';

export const missingHydrogens: Check = {
  id: 'missing hydrogens',
  family: 'contents',
  name: 'Missing hydrogens',
  looks: 'Atoms whose geometry leaves no doubt that they carry hydrogens, and whose hydrogens are not in the model.',
  run: (c) => {
    if (!c.s.sites.some((x) => x.element === 'C')) return [];
    const plan = planHydrogens({ structure: c.s });
    const at = new Map(c.s.sites.map((x, i) => [x.id, i]));
    const rows = plan.rows.filter(
      (r) =>
        r.shape !== 'none' && r.count > 0 && (r.element === 'C' ? r.confidence !== 'look' : r.confidence === 'sure'),
    );
    if (!rows.length) return incomplete(c);
    const sites = rows.map((r) => at.get(r.parent)!);
    const n = rows.reduce((sum, r) => sum + r.count, 0);
    return [
      {
        severity: 'mend',
        value: n,
        sites,
        title: `${n === 1 ? 'A hydrogen is' : `${n} hydrogens are`} missing on ${c.labels(sites)}`,
        detail: rows
          .slice(0, 3)
          .map((r) => `${r.label}: ${r.why}`)
          .join(' '),
        remedies: [
          {
            act: 'place hydrogens',
            sites,
            words: rows.length === 1 ? `Place ${n === 1 ? 'it' : 'them'}` : 'Place them',
          },
          { act: 'go', station: 'refine', sheet: 'Hydrogens', words: 'See the plan' },
        ],
      },
    ];
  },
};

/** Ring carbons flat in their three bonds are complete; two heavy bonds at a flat angle ask for one hydrogen. */
function incomplete(c: Parameters<Check['run']>[0]): ReturnType<Check['run']> {
  const sites = c.s.sites.flatMap((x, i) => {
    if (x.element !== 'C' || x.disorder) return [];
    const all = c.bondsOf(i),
      heavy = c.heavyBondsOf(i);
    if (all.some((b) => c.metal(b.to))) return [];
    // sp³ carbons with some but not all of their hydrogens.
    const long = heavy.every((b) => b.distance > (c.s.sites[b.to]!.element === 'C' ? 1.47 : 1.4));
    return long && all.length < 4 && all.length > heavy.length && heavy.length > 0 ? [i] : [];
  });
  return sites.length
    ? [
        {
          severity: 'mend',
          value: sites.length,
          sites,
          title: `${c.labels(sites)} lack a hydrogen`,
          detail: 'Single bonds all round and fewer than four partners.',
          remedies: [{ act: 'go', station: 'refine', sheet: 'Hydrogens', words: 'See the hydrogens' }],
        },
      ]
    : [];
}
