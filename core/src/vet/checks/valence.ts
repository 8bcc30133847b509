import type { Check, Draft } from '../check.ts';

const MOST: Record<string, number> = { C: 4, N: 4, O: 3, F: 1, Cl: 1, Br: 1, B: 4, S: 6, P: 6, Si: 6 };

export const valence: Check = {
  id: 'valence',
  family: 'geometry',
  name: 'Number of partners',
  looks: 'More bonds than an element makes, and lone carbon atoms.',
  run: (c) =>
    c.s.sites.flatMap((x, i): Draft[] => {
      if (c.hydrogen(i) || c.metal(i) || x.disorder) return [];
      const all = c.bondsOf(i).filter((b) => !c.metal(b.to) && !c.s.sites[b.to]!.disorder);
      const heavy = all.filter((b) => !c.hydrogen(b.to));
      const most = MOST[x.element];
      // Perchlorate and its like hold their halogen in the middle.
      if (['Cl', 'Br', 'I'].includes(x.element) && heavy.every((b) => c.s.sites[b.to]!.element === 'O')) return [];
      if (most !== undefined && all.length > most && heavy.length === all.length)
        return [
          {
            key: x.id,
            severity: 'mend' as const,
            value: all.length,
            sites: [i],
            title: `${x.label} has ${all.length} partners`,
            detail: `${x.element} makes at most ${most}: ${all.map((b) => `${c.label(b.to)} ${b.distance.toFixed(2)} Å`).join(', ')}.`,
            remedies: [{ act: 'second place' as const, sites: [i], words: 'Treat as disordered' }],
          },
        ];
      if (x.element === 'C' && !c.bondsOf(i).length)
        return [
          {
            key: x.id,
            severity: 'mend' as const,
            value: 0,
            sites: [i],
            title: `${x.label} stands alone`,
            detail: 'A single carbon is not a molecule: noise, or a water oxygen.',
            remedies: [
              { act: 'element' as const, site: i, element: 'O', words: 'Make it O' },
              { act: 'delete' as const, sites: [i], words: 'Delete it' },
            ],
          },
        ];
      return [];
    }),
};
