/** `energies` of the terminal: what molecules gain by their neighbours, by an empirical field and charges. */
import type { EnergyParts, PairEnergy } from '@nagare/core/contacts/energies';
import type { Structure } from '@nagare/core/crystal/structure';
import { energiesOf } from '@nagare/core/tasks/energies-task';
import { rounded, type Answer } from './answers.ts';

const SOURCE =
  'An estimate: the field of Mayo, Olafson & Goddard (1990), charges equalised after Rappé & Goddard (1991), hydrogens at neutron distances.';

const partsOf = (p: EnergyParts & { readonly energy: number }) => ({
  energy: rounded(p.energy, 4),
  dispersion: rounded(p.dispersion, 4),
  repulsion: rounded(p.repulsion, 4),
  electrostatic: rounded(p.electrostatic, 4),
  hydrogenBond: rounded(p.hydrogenBond, 4),
});

const row = (p: PairEnergy) => ({
  from: p.from + 1,
  to: p.to + 1,
  symmetry: p.symmetry,
  distance: rounded(p.distance, 4),
  nearest: rounded(p.nearest, 4),
  ...partsOf(p),
});

/** Lines of the table in words. */
const MOST_LINES = 20;

export function energiesAnswer(s: Structure): Answer {
  const { molecules, pairs, lattice, remarks } = energiesOf(s);
  const line = (p: PairEnergy): string =>
    `${p.from + 1}⋯${p.to + 1} ${p.symmetry}: ${p.distance.toFixed(2)} Å, ${p.energy.toFixed(1)} kJ/mol (dispersion ${p.dispersion.toFixed(1)}, repulsion ${p.repulsion.toFixed(1)}, electrostatic ${p.electrostatic.toFixed(1)})`;
  return {
    json: {
      pairs: pairs.map(row),
      lattice: lattice ? rounded(lattice.energy, 4) : null,
      latticeParts: lattice ? { ...partsOf(lattice), of: lattice.formula } : null,
      molecules: molecules.map(({ formula, charge }) => ({ formula, charge })),
      unit: 'kJ/mol',
      remarks,
      source: SOURCE,
    },
    text: [
      ...pairs.slice(0, MOST_LINES).map(line),
      ...(pairs.length > MOST_LINES ? [`and ${pairs.length - MOST_LINES} weaker ones.`] : []),
      lattice
        ? `Lattice: ${lattice.energy.toFixed(1)} kJ per mol of ${lattice.formula}.`
        : 'No lattice energy: not everything here is a molecule.',
      ...remarks,
      SOURCE,
    ].join('\n'),
  };
}
