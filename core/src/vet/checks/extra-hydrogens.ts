import type { Check } from '../check.ts';

export const extraHydrogens: Check = {
  id: 'extra hydrogens',
  family: 'contents',
  name: 'Hydrogens too many',
  looks: 'Hydrogens without a partner within bonding distance, and atoms with more hydrogens than they can carry.',
  run: (c) => {
    const lone = c.s.sites.flatMap((_, i) => (c.hydrogen(i) && !c.bondsOf(i).length ? [i] : []));
    const most: Record<string, number> = { C: 4, N: 4, O: 3, S: 3, F: 1, Cl: 1, Br: 1, B: 4, P: 4 };
    const crowded = c.s.sites.flatMap((x, i) =>
      !c.hydrogen(i) &&
      !x.disorder &&
      c.bondsOf(i).some((b) => c.hydrogen(b.to)) &&
      c.bondsOf(i).filter((b) => !c.s.sites[b.to]!.disorder).length > (most[x.element] ?? 12)
        ? [i]
        : [],
    );
    return [
      ...(lone.length
        ? [
            {
              key: 'lone',
              severity: 'mend' as const,
              sites: lone,
              value: lone.length,
              title: `${c.labels(lone)} ${lone.length === 1 ? 'stands' : 'stand'} alone`,
              detail: 'No atom is within bonding distance.',
              remedies: [{ act: 'delete' as const, sites: lone, words: `Delete ${lone.length === 1 ? 'it' : 'them'}` }],
            },
          ]
        : []),
      ...(crowded.length
        ? [
            {
              key: 'crowded',
              severity: 'mend' as const,
              sites: crowded,
              value: crowded.length,
              title: `${c.labels(crowded)} ${crowded.length === 1 ? 'has' : 'have'} too many bonds`,
              detail: crowded
                .slice(0, 3)
                .map(
                  (i) =>
                    `${c.label(i)} to ${c
                      .bondsOf(i)
                      .map((b) => c.label(b.to))
                      .join(', ')}`,
                )
                .join('; '),
              remedies: [
                {
                  act: 'delete' as const,
                  sites: crowded.flatMap((i) =>
                    c
                      .bondsOf(i)
                      .filter((b) => c.hydrogen(b.to))
                      .map((b) => b.to),
                  ),
                  words: 'Delete their hydrogens',
                },
              ],
            },
          ]
        : []),
    ];
  },
};
