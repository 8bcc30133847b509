import type { Check } from '../check.ts';

export const isotropicAtoms: Check = {
  id: 'isotropic atoms',
  family: 'displacement',
  name: 'Isotropic where it should not be',
  looks: 'Non-hydrogen sites left isotropic; a whole isotropic model with enough data.',
  run: (c) => {
    const heavy = c.s.sites.flatMap((x, i) =>
      c.hydrogen(i) ? [] : [{ i, iso: x.displacement.kind === 'iso' && x.occupancy > 0.35 }],
    );
    const sites = heavy.filter((x) => x.iso).map((x) => x.i);
    if (!sites.length) return [];
    return [
      {
        severity: 'explain',
        value: sites.length,
        sites,
        title:
          sites.length === heavy.length
            ? 'Every atom is isotropic'
            : `${c.labels(sites)} ${sites.length === 1 ? 'is' : 'are'} isotropic`,
        detail: 'Non-hydrogen atoms are refined anisotropically unless the data do not allow it.',
        remedies: [{ act: 'anisotropic', sites, words: 'Make them anisotropic' }],
      },
    ];
  },
};
