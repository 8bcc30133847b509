/** Writes the made-up demo sets and the truth behind them. Run with `npm run demo`; the output is committed, so nothing needs this at run time. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { cellParameters, cellVolume } from '@nagare/core/crystal/cell';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { seededRandom, type Random } from '@nagare/core/math/random';
import { formulaText, parseFormula, scaleFormula } from '@nagare/core/crystal/formula';
import { cellContents, type Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import { CifWriter } from '@nagare/core/publish/cif-writer';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { meanWavelength } from '@nagare/core/scattering/form-factor';
import { measureAbsorbing } from './absorption.ts';
import { buildMolecule } from './molecule.ts';
import { pack } from './packing.ts';
import { cuprate, withSecondPlace, type DisorderRecipe } from './disorder.ts';
import type { Mat3 } from '@nagare/core/math/matrix3';
import { closestContact } from './test-crystals.ts';
import { writePowderSets } from './powder-sets.ts';
import { writeFigures } from './figures.ts';
import { writePackedSets, writeStructureSets } from './structures.ts';
import { bodyCentred, withFaults, withoutCentre, withoutMirror, type ModelSet } from './models.ts';
import { writeReflections } from './reflection-loop.ts';
import { asphericalSet } from './wave-crystal.ts';
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
  /** Parts that lie two ways. */
  disorder?: DisorderRecipe[];
  /** Merohedral twin: law on indices and fraction of the second component. */
  twin?: { law: Mat3; fraction: number };
}

/** The Kurobane Kiln archive: crystals from its recipe book. "CuCl4" is the ready-made ion. */
const RECIPES: Recipe[] = [
  {
    file: 'aobae',
    name: 'Aobae',
    molecules: ['COc1cc(cc(Cl)c1O)C(=O)NCCNC(=O)c1ccc(O)nc1', 'O'],
    group: 'P 1 21/c 1',
    seed: 11,
    anode: 'Mo',
    z: 4,
    temperature: 150,
    colour: 'pale blue',
    habit: 'plate',
    size: [0.31, 0.22, 0.09],
    measurement: { dMin: 0.78, coverage: 0.86, repeats: 1, meanCounts: 420, systematic: 0.02, outliers: 0.0008 },
  },
  {
    file: 'tsuyukusa-7',
    name: 'Tsuyukusa-7',
    molecules: ['CC1CC(O)C2(C)C(C1)OC(=O)C2Sc1ccc(N)cc1'],
    group: 'P 21 21 21',
    seed: 5,
    anode: 'Cu',
    z: 4,
    temperature: 120,
    colour: 'deep blue',
    habit: 'needle',
    size: [0.28, 0.07, 0.05],
    measurement: { dMin: 0.81, coverage: 0.92, repeats: 1.3, meanCounts: 500, systematic: 0.02, outliers: 0.0008 },
  },
  {
    file: 'benigara-2',
    name: 'Benigara-2',
    molecules: ['Brc1ccc(cc1)C(=O)NN=Cc1ccc(O)cc1', 'Brc1ccc(cc1)C(=O)NN=Cc1ccc(O)cc1'],
    group: 'P -1',
    seed: 3,
    anode: 'Mo',
    z: 4,
    temperature: 200,
    colour: 'brick red',
    habit: 'block',
    size: [0.24, 0.2, 0.16],
    measurement: { dMin: 0.8, coverage: 0.95, repeats: 1.5, meanCounts: 380, systematic: 0.025, outliers: 0.001 },
  },
  {
    file: 'kasumi',
    name: 'Kasumi',
    molecules: ['Cc1cc(Cl)cc2c1C(=O)NCC2'],
    group: 'P 1 21/c 1',
    seed: 7,
    anode: 'Mo',
    z: 4,
    temperature: 120,
    colour: 'colourless',
    habit: 'prism',
    size: [0.26, 0.21, 0.18],
    measurement: { dMin: 0.77, coverage: 0.95, repeats: 1.6, meanCounts: 520, systematic: 0.02, outliers: 0.0006 },
    disorder: [{ molecule: 0, share: 0.6, assembly: 'A' }],
  },
  {
    file: 'fujinezumi-4',
    name: 'Fujinezumi-4',
    molecules: ['[NH3+]CCc1ccc(cc1)-c1cccs1', 'F[B-](F)(F)F', 'CO'],
    group: 'P 1 21/c 1',
    seed: 13,
    anode: 'Mo',
    z: 4,
    temperature: 150,
    colour: 'grey violet',
    habit: 'plate',
    size: [0.33, 0.2, 0.08],
    measurement: { dMin: 0.79, coverage: 0.95, repeats: 1.5, meanCounts: 460, systematic: 0.02, outliers: 0.0006 },
    disorder: [
      { molecule: 0, atoms: [10, 11, 12, 13], about: [6, 9], degrees: 180, share: 0.71, assembly: 'A' },
      { molecule: 1, atoms: [2, 3, 4], about: [0, 1], degrees: 58, share: 0.63, assembly: 'B' },
    ],
  },
  {
    file: 'mizuasagi',
    name: 'Mizuasagi',
    molecules: ['OCC(O)C(O)c1cncc(c1)C(=O)N', 'O', 'O'],
    group: 'P 21 21 21',
    seed: 17,
    anode: 'Cu',
    z: 4,
    temperature: 130,
    colour: 'pale turquoise',
    habit: 'needle',
    size: [0.3, 0.09, 0.07],
    measurement: { dMin: 0.82, coverage: 0.95, repeats: 1.4, meanCounts: 420, systematic: 0.02, outliers: 0.0006 },
  },
  {
    file: 'rokusho-9',
    name: 'Rokusho-9',
    molecules: ['CuCl4', '[NH3+]Cc1ccc(C)cc1', '[NH3+]Cc1ccc(C)cc1'],
    group: 'P 1 21/c 1',
    seed: 19,
    anode: 'Mo',
    z: 4,
    temperature: 200,
    colour: 'verdigris',
    habit: 'plate',
    size: [0.22, 0.19, 0.05],
    measurement: { dMin: 0.8, coverage: 0.95, repeats: 1.4, meanCounts: 420, systematic: 0.022, outliers: 0.0008 },
  },
  {
    file: 'futago-1',
    name: 'Futago-1',
    molecules: ['CC(=O)Nc1ccc(Cl)c(O)c1'],
    group: 'P 41',
    seed: 23,
    anode: 'Mo',
    z: 4,
    temperature: 150,
    colour: 'amber',
    habit: 'bipyramid',
    size: [0.24, 0.22, 0.21],
    measurement: { dMin: 0.78, coverage: 0.95, repeats: 1.8, meanCounts: 480, systematic: 0.02, outliers: 0.0006 },
    twin: { law: [0, 1, 0, 1, 0, 0, 0, 0, -1], fraction: 0.22 },
  },
];

interface ModelRecipe extends Omit<Recipe, 'molecules' | 'group' | 'measurement' | 'disorder' | 'twin'> {
  make: (random: Random, m: Measurement) => ModelSet | Promise<ModelSet>;
  /** Where it differs from the usual measurement. */
  measurement?: Partial<Measurement>;
  /** Given instead of the model's own where it is part of the trouble. */
  formula?: string;
}

/** Measured far out and well, as densities of bonds need it. */
const FINE: Partial<Measurement> = { dMin: 0.65, coverage: 0.95, repeats: 1.8, meanCounts: 900, systematic: 0.015 };

/** Models with something hidden in them. */
const MODELS: ModelRecipe[] = [
  {
    file: 'asagi-8',
    name: 'Asagi-8',
    make: bodyCentred,
    seed: 31,
    anode: 'Mo',
    z: 8,
    temperature: 150,
    colour: 'pale yellow',
    habit: 'block',
    size: [0.22, 0.18, 0.15],
  },
  {
    file: 'hanada-3',
    name: 'Hanada-3',
    make: withoutMirror,
    seed: 37,
    anode: 'Mo',
    z: 4,
    temperature: 150,
    colour: 'light indigo',
    habit: 'plate',
    size: [0.3, 0.21, 0.06],
  },
  {
    file: 'kihada-2',
    name: 'Kihada-2',
    make: withoutCentre,
    seed: 41,
    anode: 'Mo',
    z: 4,
    temperature: 150,
    colour: 'orange',
    habit: 'needle',
    size: [0.34, 0.1, 0.08],
  },
  {
    file: 'suou-5',
    name: 'Suou-5',
    make: withFaults,
    seed: 43,
    anode: 'Mo',
    z: 4,
    temperature: 150,
    colour: 'colourless',
    habit: 'prism',
    size: [0.26, 0.2, 0.17],
    formula: 'C10 H14 N2 O4',
  },
  {
    file: 'usuzumi-2',
    name: 'Usuzumi-2',
    make: (random, m) => asphericalSet(['CC(O)C(=O)N'], 'P 1 21/c 1', random, m),
    seed: 61,
    anode: 'Mo',
    z: 4,
    temperature: 100,
    colour: 'colourless',
    habit: 'block',
    size: [0.24, 0.21, 0.17],
    measurement: FINE,
  },
  {
    file: 'shiratsuyu-1',
    name: 'Shiratsuyu-1',
    make: (random, m) => asphericalSet(['NC(=O)CO', 'O'], 'P 21 21 21', random, m),
    seed: 68,
    anode: 'Mo',
    z: 4,
    temperature: 100,
    colour: 'colourless',
    habit: 'prism',
    size: [0.28, 0.2, 0.18],
    measurement: FINE,
  },
  {
    file: 'sabishiro-2',
    name: 'Sabishiro-2',
    make: (random, m) => asphericalSet(['[Zn](Cl)(Cl)([NH3])[NH3]'], 'P 1 21/c 1', random, m),
    seed: 71,
    anode: 'Mo',
    z: 4,
    temperature: 100,
    colour: 'colourless',
    habit: 'block',
    size: [0.19, 0.16, 0.12],
    measurement: FINE,
  },
];

/** A measurement that needs scaling and an absorption correction before it is of use. */
const ABSORBING: Omit<Recipe, 'disorder' | 'twin'> = {
  file: 'enju-6',
  name: 'Enju-6',
  molecules: ['Ic1ccc(cc1)C(=O)NCCO'],
  group: 'P 1 21/c 1',
  seed: 47,
  anode: 'Mo',
  z: 4,
  temperature: 150,
  colour: 'leaf green',
  habit: 'plate',
  size: [0.5, 0.36, 0.04],
  measurement: { dMin: 0.86, coverage: 0.8, repeats: 2.2, meanCounts: 700, systematic: 0.015, outliers: 0 },
};

const here = new URL('..', import.meta.url).pathname;

function dataCif(
  recipe: Recipe,
  s: Structure,
  raw: RawReflections,
  wavelength: number,
  circle?: { angles: Float64Array; ub: Mat3 },
): string {
  const w = new CifWriter(recipe.file);
  const formula = scaleFormula(cellContents(s), 1 / recipe.z);
  w.item('_audit_creation_method', 'Nagare demo generator: made-up crystal, simulated intensities')
    .item('_chemical_name_common', recipe.name)
    .item('_chemical_formula_sum', formulaText(formula))
    .item('_cell_formula_units_Z', recipe.z);
  ['length_a', 'length_b', 'length_c', 'angle_alpha', 'angle_beta', 'angle_gamma'].forEach((n, i) =>
    w.item(`_cell_${n}`, formatMeasured(cellParameters(s.cell)[i]!, s.cell.su?.[i], i > 2 ? 0 : 4)),
  );
  w.item('_cell_measurement_temperature', recipe.temperature)
    .item('_diffrn_ambient_temperature', recipe.temperature)
    .item('_diffrn_radiation_type', `${recipe.anode}K\\a`)
    .item('_diffrn_radiation_wavelength', wavelength.toFixed(5));
  w.item('_exptl_crystal_colour', recipe.colour).item('_exptl_crystal_description', recipe.habit);
  ['max', 'mid', 'min'].forEach((n, i) => w.item(`_exptl_crystal_size_${n}`, recipe.size[i]));
  w.item('_diffrn_measurement_device_type', 'simulated four-circle diffractometer').item(
    '_exptl_absorpt_correction_type',
    circle ? 'none' : 'multi-scan',
  );
  circle?.ub.forEach((x, i) => w.item(`_diffrn_orient_matrix_UB_${Math.floor(i / 3) + 1}${(i % 3) + 1}`, x.toFixed(7)));
  w.blank();
  const angles = circle && {
    names: [
      '_diffrn_refln_angle_omega',
      '_diffrn_refln_angle_chi',
      '_diffrn_refln_angle_phi',
      '_diffrn_refln_scale_group_code',
    ],
    values: (i: number) => [...[0, 1, 2].map((k) => circle.angles[3 * i + k]!.toFixed(1)), raw.batch![i]!],
  };
  writeReflections(w, raw, 2, angles);
  return w.toString();
}

/** A model as someone would hand it over: sites, then every observation. */
function modelCif(recipe: ModelRecipe, set: ModelSet, wavelength: number): string {
  const formula = recipe.formula ? parseFormula(recipe.formula) : scaleFormula(cellContents(set.model), 1 / recipe.z);
  const text = structureCif({
    name: recipe.file,
    structure: set.model,
    wavelength,
    date: '2026-11-23',
    experiment: {
      formula,
      z: recipe.z,
      wavelength,
      temperature: recipe.temperature,
      colour: recipe.colour,
      habit: recipe.habit,
      size: recipe.size,
      kept: {
        _chemical_name_common: recipe.name,
        _diffrn_measurement_device_type: 'simulated four-circle diffractometer',
        _exptl_absorpt_correction_type: 'multi-scan',
      },
    },
  });
  const { raw } = set;
  const w = new CifWriter('x');
  writeReflections(w, raw, 2);
  return text + w.toString().replace(/^data_x\n\n/, '');
}

mkdirSync(`${here}data`, { recursive: true });
mkdirSync(`${here}truth`, { recursive: true });
const wanted = process.argv.slice(2);
for (const recipe of RECIPES.filter((r) => !wanted.length || wanted.includes(r.file))) {
  const random = seededRandom(recipe.seed);
  const molecules = recipe.molecules.map((line) => (line === 'CuCl4' ? cuprate() : buildMolecule(line, random, 6)));
  const group = spaceGroupFromSymbol(recipe.group);
  let packed = pack(molecules, group, random, 16000, 2);
  for (
    let attempt = 0;
    attempt < 4 && closestContact(crystalSites(molecules, packed, group, seededRandom(1))) < 1.8;
    attempt++
  )
    packed = pack(molecules, group, random, 16000, 2);
  const rounded = (x: number, d: number): number => Number(x.toFixed(d));
  const c = packed.cell;
  packed.cell = withSu({
    a: rounded(c.a, 4),
    b: rounded(c.b, 4),
    c: rounded(c.c, 4),
    alpha: rounded(c.alpha, 3),
    beta: rounded(c.beta, 3),
    gamma: rounded(c.gamma, 3),
  });
  let structure = crystalSites(molecules, packed, group, random, recipe.temperature / 150);
  for (const d of recipe.disorder ?? [])
    structure = withSecondPlace(
      structure,
      molecules[d.molecule]!,
      molecules.slice(0, d.molecule).reduce((n, m) => n + m.atoms.length, 0),
      d,
      random,
    );
  const wavelength = meanWavelength(recipe.anode)!;
  const raw = measure(structure, { ...recipe.measurement, wavelength }, random, recipe.twin);
  writeFileSync(`${here}data/${recipe.file}.cif`, dataCif(recipe, structure, raw, wavelength));
  const formula = scaleFormula(cellContents(structure), 1 / recipe.z);
  writeFileSync(
    `${here}truth/${recipe.file}.cif`,
    structureCif({
      name: `${recipe.file}-truth`,
      structure,
      experiment: { formula, z: recipe.z, wavelength, kept: {} },
      wavelength,
      date: '2026-11-23',
    }),
  );
  process.stdout.write(
    `${recipe.name}: ${formulaText(formula)}, ${structure.sites.length} sites, V ${cellVolume(packed.cell).toFixed(1)} Å³, ${raw.count} observations\n`,
  );
}

for (const recipe of MODELS.filter((r) => !wanted.length || wanted.includes(r.file))) {
  const wavelength = meanWavelength(recipe.anode)!;
  const set = await recipe.make(seededRandom(recipe.seed), {
    dMin: 0.8,
    wavelength,
    coverage: 0.9,
    repeats: 1.3,
    meanCounts: 450,
    systematic: 0.02,
    outliers: 0.0006,
    ...recipe.measurement,
  });
  writeFileSync(`${here}data/${recipe.file}.cif`, modelCif(recipe, set, wavelength));
  const formula = scaleFormula(cellContents(set.truth), 1 / recipe.z);
  writeFileSync(
    `${here}truth/${recipe.file}.cif`,
    structureCif({
      name: `${recipe.file}-truth`,
      structure: set.truth,
      experiment: { formula, z: recipe.z, wavelength, kept: {} },
      wavelength,
      date: '2026-11-23',
    }),
  );
  process.stdout.write(
    `${recipe.name}: ${formulaText(formula)}, ${set.model.sites.length} sites given, ${set.truth.sites.length} true, ${set.raw.count} observations\n`,
  );
}

if (!wanted.length || wanted.includes(ABSORBING.file)) {
  const random = seededRandom(ABSORBING.seed),
    group = spaceGroupFromSymbol(ABSORBING.group),
    wavelength = meanWavelength(ABSORBING.anode)!;
  const molecules = ABSORBING.molecules.map((l) => buildMolecule(l, random, 6));
  let packed = pack(molecules, group, random, 16000, 2);
  for (
    let attempt = 0;
    attempt < 4 && closestContact(crystalSites(molecules, packed, group, seededRandom(1))) < 1.8;
    attempt++
  )
    packed = pack(molecules, group, random, 16000, 2);
  packed.cell = withSu({
    ...packed.cell,
    a: Number(packed.cell.a.toFixed(4)),
    b: Number(packed.cell.b.toFixed(4)),
    c: Number(packed.cell.c.toFixed(4)),
    beta: Number(packed.cell.beta.toFixed(3)),
  });
  const structure = crystalSites(molecules, packed, group, random);
  const measured = measureAbsorbing(structure, { ...ABSORBING.measurement, wavelength }, ABSORBING.size, random);
  writeFileSync(`${here}data/${ABSORBING.file}.cif`, dataCif(ABSORBING, structure, measured.raw, wavelength, measured));
  const formula = scaleFormula(cellContents(structure), 1 / ABSORBING.z);
  writeFileSync(
    `${here}truth/${ABSORBING.file}.cif`,
    structureCif({
      name: `${ABSORBING.file}-truth`,
      structure,
      experiment: { formula, z: ABSORBING.z, wavelength, kept: {} },
      wavelength,
      date: '2026-11-23',
    }),
  );
  process.stdout.write(
    `${ABSORBING.name}: ${formulaText(formula)}, μ ${measured.mu.toFixed(2)} mm⁻¹, ${measured.raw.count} observations\n`,
  );
}

if (!wanted.length || wanted.includes('powder')) await writePowderSets();
if (!wanted.length || wanted.includes('structures')) writeStructureSets(here);
if (!wanted.length || wanted.includes('figures')) writeFigures(here, `${here}../docs/`);
if (!wanted.length || wanted.includes('packed')) writePackedSets(here, wanted);
