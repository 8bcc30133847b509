import type { Check } from '../check.ts';
import { formulaElectrons, formulaWeight } from '../../crystal/formula.ts';
import { absorptionCoefficient } from '../../scattering/form-factor.ts';

export const fileFigures: Check = {
  id: 'figures of the file',
  family: 'file',
  name: 'Figures that contradict one another',
  looks: 'Volume, density, F(000), μ and formula weight of the file against what its own cell, formula and sites give.',
  needs: ['file'],
  run: (c) => {
    if (!c.input.items) return [];
    const contents = c.contents(),
      z = c.z();
    const { formula } = c.input.experiment;
    const rows: [string, string, number | undefined, number][] = [
      ['_cell_volume', 'cell volume', c.volume, 0.003],
      ['_exptl_crystal_density_diffrn', 'density', (formulaWeight(contents) * 1.66053907) / c.volume, 0.02],
      ['_exptl_crystal_f_000', 'F(000)', formulaElectrons(contents), 0.02],
      ['_chemical_formula_weight', 'formula weight', formula && formulaWeight(formula), 0.005],
      [
        '_exptl_absorpt_coefficient_mu',
        'μ',
        c.input.wavelength ? absorptionCoefficient(contents, 1, c.volume, c.input.wavelength) : undefined,
        0.1,
      ],
      ['_cell_formula_units_z', 'Z', z, 0.01],
    ];
    return rows.flatMap(([tag, name, value, slack]) => {
      const given = c.item(tag);
      if (given === undefined || value === undefined || Math.abs(given - value) <= slack * Math.abs(value)) return [];
      return [
        {
          key: tag,
          severity: 'mend' as const,
          value: given,
          title: `The file's ${name} is ${given}, its own contents give ${value.toPrecision(5)}`,
          detail: `${tag} does not go with the cell, the formula and the sites. A site is missing, or the item was not brought up to date.`,
          remedies: [{ act: 'go' as const, station: 'publish' as const, words: 'Write the CIF anew' }],
        },
      ];
    });
  },
};
