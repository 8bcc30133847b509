import type { Check } from '../check.ts';
import { determinant3 } from '../../math/matrix3.ts';

export const chirality: Check = {
  id: 'chirality',
  family: 'symmetry',
  name: 'Hand and space group',
  looks: 'Stereocentres in a group that holds one hand only, against what is known of the absolute structure.',
  run: (c) => {
    const oneHand = c.s.spaceGroup.representatives.every((o) => determinant3(o.r) > 0);
    if (!oneHand) return [];
    const centres = c.s.sites.flatMap((x, i) => {
      if (x.element !== 'C' || x.disorder) return [];
      const near = c.bondsOf(i);
      if (near.length !== 4 || near.filter((b) => c.hydrogen(b.to)).length > 1) return [];
      // Four partners that differ by element, or by what hangs on them two bonds away.
      const names = near.map(
        (b) =>
          `${c.s.sites[b.to]!.element} ${c
            .bondsOf(b.to)
            .map((d) => `${c.s.sites[d.to]!.element}${c.bondsOf(d.to).length}`)
            .sort()
            .join('')}`,
      );
      return new Set(names).size === 4 ? [i] : [];
    });
    const su = c.input.absolute?.su;
    if (!centres.length || (su !== undefined && su < 0.1)) return [];
    return [
      {
        severity: 'explain',
        sites: centres,
        value: centres.length,
        title: `${c.labels(centres)} ${centres.length === 1 ? 'is a stereocentre' : 'are stereocentres'}; the data ${su === undefined ? 'were not asked for' : 'hardly tell'} the hand`,
        detail: 'Say how the configuration is known: from the synthesis, a reference centre, or not at all.',
      },
    ];
  },
};
