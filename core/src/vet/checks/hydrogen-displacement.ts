import type { Check } from '../check.ts';

export const hydrogenDisplacement: Check = {
  id: 'hydrogen displacement',
  family: 'displacement',
  name: 'Displacement of hydrogens',
  looks: 'U(H) against U_eq of the parent: 1.2 or 1.5 times is usual; below 0.7 or above 3 must be explained.',
  run: (c) => {
    const off = c.s.sites.flatMap((_, i) => {
      if (!c.hydrogen(i)) return [];
      const parent = c.bondsOf(i)[0];
      if (!parent) return [];
      const ratio = c.ueq()[i]! / c.ueq()[parent.to]!;
      return ratio < 0.7 || ratio > 3 ? [{ i, ratio }] : [];
    });
    if (!off.length) return [];
    return [
      {
        severity: 'explain',
        value: off[0]!.ratio,
        sites: off.map((x) => x.i),
        title: `${c.labels(off.map((x) => x.i))}: U(H) is out of proportion`,
        detail: off
          .slice(0, 4)
          .map((x) => `${c.label(x.i)} ${x.ratio.toFixed(2)} times its parent`)
          .join('; '),
        remedies: [{ act: 'go', station: 'refine', sheet: 'Hydrogens', words: 'Let them ride' }],
      },
    ];
  },
};
