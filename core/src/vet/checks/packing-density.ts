import type { Check } from '../check.ts';
import { formulaWeight } from '../../crystal/formula.ts';

export const packingDensity: Check = {
  id: 'density',
  family: 'contents',
  name: 'Density and volume per atom',
  looks:
    'Volume per non-hydrogen atom between 13 and 26 Å³ where no metal stands in the cell; density above 0.9 Mg m⁻³.',
  run: (c) => {
    if (!c.s.sites.length) return [];
    const contents = c.contents();
    const heavy = Object.entries(contents).reduce((n, [e, k]) => n + (e === 'H' || e === 'D' ? 0 : k), 0);
    const rho = (formulaWeight(contents) * 1.66053907) / c.volume,
      each = c.volume / heavy;
    const metals = c.s.sites.some((_, i) => c.metal(i));
    if (rho > 0.9 && (metals || (each > 12.5 && each < 27))) return [];
    return [
      {
        severity: rho < 0.7 || each > 35 || each < 9 ? 'mend' : 'explain',
        value: rho,
        unit: 'Mg m⁻³',
        title: `Density ${rho.toFixed(3)} Mg m⁻³, ${each.toFixed(1)} Å³ for each non-hydrogen atom`,
        detail:
          each > 26
            ? 'The cell is emptier than molecular crystals are: solvent or whole molecules are missing, or Z is wrong.'
            : 'The cell is fuller than molecular crystals are: Z or the space group may be wrong.',
        remedies: [
          { act: 'go', station: 'refine', sheet: 'Residual density', words: 'Look for what is missing' },
          { act: 'go', station: 'symmetry', words: 'Look at the space group' },
        ],
      },
    ];
  },
};
