/** Made-up crystals whose intensities come from wavefunctions: hydrogens where neutrons see them, density in the bonds. */
import { crystalFactors, type FactorOptions } from '@nagare/core/aspherical/crystal-factors';
import { NEUTRON_LENGTHS, withHydrogensAt, withNeutronHydrogens } from '@nagare/core/contacts/molecules';
import { isHome } from '@nagare/core/crystal/atom-ref';
import { neighbours } from '@nagare/core/crystal/neighbours';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { fragments } from '@nagare/core/geometry/bonds';
import type { Random } from '@nagare/core/math/random';
import { USUAL_WAVEFUNCTION } from '@nagare/core/quantum/wavefunction';
import { elementsOf } from '@nagare/core/refine/single-crystal-problem';
import { scatteringTable } from '@nagare/core/scattering/structure-factors';
import { tabulatedProvider, triplesOf } from '@nagare/core/scattering/tabulated-factors';
import { quietContext, type TaskContext } from '@nagare/core/task-context';
import { buildMolecule, type Molecule } from './molecule.ts';
import { shaken, tidyCell, type ModelSet } from './models.ts';
import { pack } from './packing.ts';
import { crystalSites, measure, sphereOf, type Measurement } from './simulate.ts';

/** Better than what refines: a hybrid functional in a large basis, in the field of the whole crystal. */
export const TRUE_WAVE: FactorOptions = {
  wavefunction: { ...USUAL_WAVEFUNCTION, basis: 'triple-zeta', method: 'hybrid' },
  neighbours: 'field',
};

/** Where spherical atoms see hydrogens, Å. */
export const SPHERICAL_LENGTHS: Readonly<Record<string, number>> = { C: 0.98, N: 0.88, O: 0.84 };

/** Hydrogens of donors are kept apart as deeply as other atoms attract one another. */
const APART = 0.5;

/** No nearer than crystals have it: hydrogens of neighbours, and what hydrogen bonds join. */
const LEAST: Readonly<Record<string, number>> = {
  HH: 2.1,
  HO: 1.65,
  HN: 1.7,
  OO: 2.6,
  NO: 2.7,
  NN: 2.8,
  CH: 2.5,
  ClH: 2.2,
  ClN: 2.9,
};

/** A molecule with its hydrogens where neutrons see them. */
function stretched(molecule: Molecule): Molecule {
  const xyz = molecule.xyz.slice();
  for (const { i, j } of molecule.bonds) {
    const [h, parent] = molecule.atoms[i]!.element === 'H' ? [i, j] : [j, i];
    const length = NEUTRON_LENGTHS[molecule.atoms[parent]!.element];
    if (molecule.atoms[h]!.element !== 'H' || !length) continue;
    const from = xyz.subarray(3 * parent, 3 * parent + 3);
    const along = from.map((x, k) => xyz[3 * h + k]! - x);
    const stretch = length / Math.hypot(...along);
    for (let k = 0; k < 3; k++) xyz[3 * h + k] = from[k]! + stretch * along[k]!;
  }
  return { ...molecule, xyz };
}

/** Whether neighbours leave one another as much room as in crystals. */
function isRoomy(s: Structure): boolean {
  const list = neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    Math.max(...Object.values(LEAST)),
  );
  const unit = fragments(s);
  const home = s.sites.map((_, i) => unit.findIndex((f) => f.includes(i)));
  return list.every((n) => {
    const pair = [s.sites[n.from]!.element, s.sites[n.to]!.element].sort().join('');
    return (home[n.from] === home[n.to] && isHome(n)) || n.distance >= (LEAST[pair] ?? 0);
  });
}

/** A crystal of molecules with hydrogens at neutron distances, packed anew until it is roomy. */
export function neutronCrystal(lines: readonly string[], symbol: string, random: Random): Structure {
  const group = spaceGroupFromSymbol(symbol);
  const molecules = lines.map((l) => stretched(buildMolecule(l, random)));
  for (let n = 0; n < 40; n++) {
    const p = pack(molecules, group, random, 16000, 1, false, APART);
    p.cell = tidyCell(p.cell);
    const s = crystalSites(molecules, p, group, random, 100 / 150);
    if (isRoomy(s)) return s;
  }
  throw new RangeError('No packing leaves these molecules room: take another seed.');
}

/** A small amide, hydrate or complex whose hydrogens were put where spherical atoms want them; the data know better. */
export async function asphericalSet(
  lines: readonly string[],
  symbol: string,
  random: Random,
  m: Measurement,
): Promise<ModelSet> {
  const spherical = withHydrogensAt(neutronCrystal(lines, symbol, random), SPHERICAL_LENGTHS);
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
  context: TaskContext = quietContext(),
): Promise<WaveCrystal> {
  const truth = withNeutronHydrogens(spherical);
  const sphere = sphereOf(truth, m.dMin);
  const table = scatteringTable(truth.cell, truth.spaceGroup, sphere, elementsOf(truth), m.wavelength);
  const { factors } = await crystalFactors(truth, triplesOf(table), wave, context);
  const raw = measure(truth, m, random, undefined, (t) => tabulatedProvider(factors, truth.sites, t));
  return { truth, raw };
}
