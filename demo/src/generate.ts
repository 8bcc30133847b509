/** Writes the made-up demo sets and the truth behind them. Run with `npm run demo`; the output is committed, so nothing needs this at run time. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { cellParameters, cellVolume } from '@nagare/core/crystal/cell';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { seededRandom } from '@nagare/core/math/random';
import { formulaText, scaleFormula } from '@nagare/core/crystal/formula';
import { cellContents, type Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import { CifWriter } from '@nagare/core/publish/cif-writer';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { meanWavelength } from '@nagare/core/scattering/form-factor';
import { buildMolecule } from './molecule.ts';
import { pack } from './packing.ts';
import { closestContact } from './test-crystals.ts';
import { crystalSites, measure, withSu, type Measurement } from './simulate.ts';

interface Recipe {
  file: string;
  name: string;
  molecules: string[];
  group: string;
  seed: number;
  anode: string;
  z: number;
  temperature: number;
  colour: string;
  habit: string;
  size: [number, number, number];
  measurement: Omit<Measurement, 'wavelength'>;
}

/** The Kurobane Kiln archive: three crystals from its recipe book. */
const RECIPES: Recipe[] = [
  { file: 'aobae', name: 'Aobae', molecules: ['COc1cc(cc(Cl)c1O)C(=O)NCCNC(=O)c1ccc(O)nc1', 'O'], group: 'P 1 21/c 1', seed: 11, anode: 'Mo', z: 4, temperature: 150, colour: 'pale blue', habit: 'plate', size: [0.31, 0.22, 0.09], measurement: { dMin: 0.78, coverage: 0.86, repeats: 1, meanCounts: 420, systematic: 0.02, outliers: 0.0008 } },
  { file: 'tsuyukusa-7', name: 'Tsuyukusa-7', molecules: ['CC1CC(O)C2(C)C(C1)OC(=O)C2Sc1ccc(N)cc1'], group: 'P 21 21 21', seed: 5, anode: 'Cu', z: 4, temperature: 120, colour: 'deep blue', habit: 'needle', size: [0.28, 0.07, 0.05], measurement: { dMin: 0.81, coverage: 0.92, repeats: 1.3, meanCounts: 500, systematic: 0.02, outliers: 0.0008 } },
  { file: 'benigara-2', name: 'Benigara-2', molecules: ['Brc1ccc(cc1)C(=O)NN=Cc1ccc(O)cc1', 'Brc1ccc(cc1)C(=O)NN=Cc1ccc(O)cc1'], group: 'P -1', seed: 3, anode: 'Mo', z: 4, temperature: 200, colour: 'brick red', habit: 'block', size: [0.24, 0.2, 0.16], measurement: { dMin: 0.8, coverage: 0.95, repeats: 1.5, meanCounts: 380, systematic: 0.025, outliers: 0.001 } },
];

const here = new URL('..', import.meta.url).pathname;

function dataCif(recipe: Recipe, s: Structure, raw: RawReflections, wavelength: number): string {
  const w = new CifWriter(recipe.file);
  const formula = scaleFormula(cellContents(s), 1 / recipe.z);
  w.item('_audit_creation_method', 'Nagare demo generator: made-up crystal, simulated intensities').item('_chemical_name_common', recipe.name).item('_chemical_formula_sum', formulaText(formula)).item('_cell_formula_units_Z', recipe.z);
  ['length_a', 'length_b', 'length_c', 'angle_alpha', 'angle_beta', 'angle_gamma'].forEach((n, i) => w.item(`_cell_${n}`, formatMeasured(cellParameters(s.cell)[i]!, s.cell.su?.[i], i > 2 ? 0 : 4)));
  w.item('_cell_measurement_temperature', recipe.temperature).item('_diffrn_ambient_temperature', recipe.temperature).item('_diffrn_radiation_type', `${recipe.anode}K\\a`).item('_diffrn_radiation_wavelength', wavelength.toFixed(5));
  w.item('_exptl_crystal_colour', recipe.colour).item('_exptl_crystal_description', recipe.habit);
  ['max', 'mid', 'min'].forEach((n, i) => w.item(`_exptl_crystal_size_${n}`, recipe.size[i]));
  w.item('_diffrn_measurement_device_type', 'simulated four-circle diffractometer').item('_exptl_absorpt_correction_type', 'multi-scan').blank();
  w.loop(['_diffrn_refln_index_h', '_diffrn_refln_index_k', '_diffrn_refln_index_l', '_diffrn_refln_intensity_net', '_diffrn_refln_intensity_u'], Array.from({ length: raw.count }, (_, i) => [raw.h[i]!, raw.k[i]!, raw.l[i]!, raw.intensity[i]!.toFixed(2), raw.sigma[i]!.toFixed(2)]));
  return w.toString();
}

mkdirSync(`${here}data`, { recursive: true });
mkdirSync(`${here}truth`, { recursive: true });
for (const recipe of RECIPES) {
  const random = seededRandom(recipe.seed);
  const molecules = recipe.molecules.map((line) => buildMolecule(line, random, 6));
  const group = spaceGroupFromSymbol(recipe.group);
  let packed = pack(molecules, group, random, 16000, 2);
  for (let attempt = 0; attempt < 4 && closestContact(crystalSites(molecules, packed, group, seededRandom(1))) < 1.8; attempt++) packed = pack(molecules, group, random, 16000, 2);
  const rounded = (x: number, d: number): number => Number(x.toFixed(d));
  const c = packed.cell;
  packed.cell = withSu({ a: rounded(c.a, 4), b: rounded(c.b, 4), c: rounded(c.c, 4), alpha: rounded(c.alpha, 3), beta: rounded(c.beta, 3), gamma: rounded(c.gamma, 3) });
  const structure = crystalSites(molecules, packed, group, random, recipe.temperature / 150);
  const wavelength = meanWavelength(recipe.anode)!;
  const raw = measure(structure, { ...recipe.measurement, wavelength }, random);
  writeFileSync(`${here}data/${recipe.file}.cif`, dataCif(recipe, structure, raw, wavelength));
  const formula = scaleFormula(cellContents(structure), 1 / recipe.z);
  writeFileSync(`${here}truth/${recipe.file}.cif`, structureCif({ name: `${recipe.file}-truth`, structure, experiment: { formula, z: recipe.z, wavelength, kept: {} }, wavelength, date: '2026-11-23' }));
  process.stdout.write(`${recipe.name}: ${formulaText(formula)}, ${structure.sites.length} sites, V ${cellVolume(packed.cell).toFixed(1)} Å³, ${raw.count} observations\n`);
}
