/** Made-up crystals whose intensities come from wavefunctions: hydrogens where neutrons see them, density in the bonds. */
import { crystalFactors, type FactorOptions } from '@nagare/core/aspherical/crystal-factors';
import { withNeutronHydrogens } from '@nagare/core/contacts/molecules';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Random } from '@nagare/core/math/random';
import { USUAL_WAVEFUNCTION } from '@nagare/core/quantum/wavefunction';
import { elementsOf } from '@nagare/core/refine/single-crystal-problem';
import { scatteringTable } from '@nagare/core/scattering/structure-factors';
import { tabulatedProvider, triplesOf } from '@nagare/core/scattering/tabulated-factors';
import { quietContext } from '@nagare/core/task-context';
import { packed, shaken, type ModelSet } from './models.ts';
import { measure, sphereOf, type Measurement } from './simulate.ts';

/** Better than what refines: a hybrid functional in a large basis, in the field of the whole crystal. */
export const TRUE_WAVE: FactorOptions = {
  wavefunction: { ...USUAL_WAVEFUNCTION, basis: 'triple-zeta', method: 'hybrid' },
  neighbours: 'field',
};

/** A small amide or hydrate whose hydrogens were put where spherical atoms want them; the data know better. */
export async function asphericalSet(
  lines: readonly string[],
  symbol: string,
  random: Random,
  m: Measurement,
): Promise<ModelSet> {
  const spherical = packed(lines, symbol, random, 100);
  const { truth, raw } = await waveCrystal(spherical, m, random);
  return { truth, model: shaken(spherical, random, 0.001, 0.0004), raw };
}

export interface WaveCrystal {
  readonly truth: Structure;
  readonly raw: RawReflections;
}

/** Intensities of a crystal, its hydrogens moved out to neutron distances, as a diffractometer would give them. */
export async function waveCrystal(
  spherical: Structure,
  m: Measurement,
  random: Random,
  wave: FactorOptions = TRUE_WAVE,
): Promise<WaveCrystal> {
  const truth = withNeutronHydrogens(spherical);
  const sphere = sphereOf(truth, m.dMin);
  const table = scatteringTable(truth.cell, truth.spaceGroup, sphere, elementsOf(truth), m.wavelength);
  const { factors } = await crystalFactors(truth, triplesOf(table), wave, quietContext());
  const raw = measure(truth, m, random, undefined, (t) => tabulatedProvider(factors, truth.sites, t));
  return { truth, raw };
}
