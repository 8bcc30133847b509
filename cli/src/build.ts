/** `build` of the terminal: supercells, slabs, layers, other cells, crystals from symmetry, one element for another. */
import { readFileSync } from 'node:fs';
import { cutSlab, REMEDIES, type Remedy } from '@nagare/core/build/cut-slab';
import { cellNamed, preferredTermination } from '@nagare/core/build/choices';
import { certainty, proveText, writeStructure, type FileKind } from '@nagare/core/build/leave';
import { buildAndJudge, holdings, type Judged } from '@nagare/core/build/from-symmetry';
import { layerSlab } from '@nagare/core/build/layers';
import { readSiteTable } from '@nagare/core/build/site-table';
import { substitute } from '@nagare/core/build/substitute';
import { parseMatrix, supercell, type CellAnswer, type NamedCell } from '@nagare/core/build/supercell';
import { commonCells, stackLayers } from '@nagare/core/build/stack';
import { strained } from '@nagare/core/build/strain';
import { Surface, type Slab, type Termination, type VacuumChoice } from '@nagare/core/build/surface';
import { cellParameters } from '@nagare/core/crystal/cell';
import { formulaText } from '@nagare/core/crystal/formula';
import type { Structure } from '@nagare/core/crystal/structure';
import { findPores } from '@nagare/core/space/pores';
import type { Mat2 } from '@nagare/core/math/matrix2';
import { toVec3, type Vec3 } from '@nagare/core/math/matrix3';
import { writeOut } from './answer-file.ts';
import { BadInput, numberOption, rounded, type Answer, type Options } from './answers.ts';
import { modelWithData, onePath } from './inputs.ts';

const text = (options: Options, name: string): string | undefined => {
  const value = options[name];
  return typeof value === 'string' ? value : undefined;
};

const structureOf = (paths: string[]): Structure => modelWithData('build', [onePath(paths)]).model.structure!;

const KINDS: Readonly<Record<string, FileKind>> = {
  cif: 'cif',
  xyz: 'extended xyz',
  extxyz: 'extended xyz',
  csv: 'csv',
};

/** Writes the structure where it was asked for, read back before it is said to be there. */
function leave(s: Structure, options: Options, name: string): { out?: string; proof?: string } {
  const out = text(options, 'out');
  if (out === undefined) return {};
  const kind = KINDS[out.split('.').at(-1)!.toLowerCase()];
  if (!kind) throw new BadInput(`--out ${out}: a structure is written as .cif, .xyz or .csv.`);
  const written = writeStructure(s, { kind, name, date: new Date().toISOString().slice(0, 10) });
  const proof = proveText(s, written, kind);
  if (!proof.same) throw new Error(`The text written for ${out} is not the structure: ${proof.words}`);
  writeOut(out, written);
  return { out, proof: proof.words };
}

/** Cell, atoms and formula of what was built. */
function contents(s: Structure) {
  const sheet = certainty(s);
  return {
    cell: cellParameters(s.cell).map((x) => rounded(x, 6)),
    spaceGroup: sheet.symmetry,
    atoms: sheet.atoms,
    total: sheet.total,
    formula: sheet.formula,
    z: sheet.z,
    contacts: sheet.boundaries.map((b) => ({
      axis: b.axis,
      distance: Number.isFinite(b.distance) ? rounded(b.distance, 4) : null,
      pair: b.pair,
      empty: rounded(b.empty, 4),
    })),
  };
}

function cellAnswer(answer: CellAnswer, options: Options, name: string): Answer {
  const { out, proof } = leave(answer.structure, options, name);
  const { before, after, determinant, merged } = answer;
  const json = { ...contents(answer.structure), before, after, determinant: rounded(determinant, 6), merged };
  return {
    json: { ...json, ...(out ? { out } : {}) },
    text: [answer.words, proof && `${out}: ${proof}`].filter(Boolean).join('\n'),
  };
}

function buildSupercell(paths: string[], options: Options): Answer {
  const matrix = text(options, 'matrix');
  if (!matrix) throw new BadInput('build supercell needs --matrix, as "2,0,0;0,2,0;0,0,1".');
  return cellAnswer(supercell(structureOf(paths), parseMatrix(matrix)), options, 'supercell');
}

function vacuumOf(options: Options): VacuumChoice {
  if (options['normal'] && options['oblique']) throw new BadInput('--normal and --oblique exclude one another.');
  const vacuum = text(options, 'vacuum');
  const length = vacuum === undefined ? 12 : Number(vacuum);
  if (!(length >= 0)) throw new BadInput(`--vacuum needs a length in Å, not "${vacuum}".`);
  return { vacuum: length, along: options['oblique'] ? 'oblique' : 'normal', bothSides: true };
}

const wholeNumber = (options: Options, name: string, fallback: number): number => {
  const value = text(options, name);
  if (value === undefined) return fallback;
  if (!/^\d+$/.test(value)) throw new BadInput(`--${name} needs a whole number, not "${value}".`);
  return Number(value);
};

function planeOf(options: Options): Vec3 {
  const plane = text(options, 'plane');
  const numbers = (plane ?? '')
    .split(/[\s,]+/)
    .filter(Boolean)
    .map(Number);
  if (numbers.length !== 3 || !numbers.every(Number.isInteger))
    throw new BadInput(
      `build slab needs --plane with three whole numbers, as 1,1,1${plane ? `, not "${plane}"` : ''}.`,
    );
  return toVec3(numbers);
}

const terminationRow = (t: Termination) => ({
  index: t.index,
  composition: t.uppermost,
  gap: rounded(t.gap, 4),
  brokenBonds: rounded(t.brokenBonds, 6),
  dipole: t.dipole === undefined ? null : rounded(t.dipole, 6),
  polar: t.polar,
  symmetric: t.symmetric,
});

const slabJson = ({ structure, thickness, vacuum }: Slab) => ({
  ...contents(structure),
  thickness: rounded(thickness, 6),
  vacuum: rounded(vacuum, 6),
  angles: [structure.cell.alpha, structure.cell.beta, structure.cell.gamma].map((x) => rounded(x, 6)),
});

function buildSlab(paths: string[], options: Options): Answer {
  const surface = new Surface(structureOf(paths), planeOf(options));
  const { terminations, basis, hkl } = surface;
  const termination = wholeNumber(options, 'termination', preferredTermination(terminations));
  const layers = wholeNumber(options, 'layers', 3);
  const slab = cutSlab(
    surface,
    { layers, termination, remedy: remedyOf(options), inPlane: inPlaneOf(options) },
    vacuumOf(options),
  );
  const { out, proof } = leave(slab.structure, options, `slab (${hkl.join(' ')})`);
  const { p } = basis;
  const json = {
    ...slabJson(slab),
    area: rounded(basis.area, 6),
    spacing: rounded(basis.spacing, 6),
    termination,
    dipole: slab.dipole === undefined ? null : rounded(slab.dipole, 6),
    excess: slab.excess,
    terminations: terminations.map(terminationRow),
    matrix: [
      [p[0], p[3], p[6]],
      [p[1], p[4], p[7]],
      [p[2], p[5], p[8]],
    ],
    ...(out ? { out } : {}),
  };
  const chosen = terminations[termination]!;
  return {
    json,
    text: [
      `(${hkl.join(' ')}): ${slab.structure.sites.length} atoms, ${slab.thickness.toFixed(3)} Å thick, ${slab.vacuum} Å of vacuum, ${basis.area.toFixed(3)} Å² a cell.`,
      `Termination ${termination} of ${terminations.length}: ${formulaText(chosen.uppermost)} uppermost, ${chosen.polar ? 'polar' : 'without a dipole'}${chosen.symmetric ? ', both sides alike' : ''}.`,
      slab.words && `${slab.words}.`,
      proof && `${out}: ${proof}`,
    ]
      .filter(Boolean)
      .join('\n'),
  };
}

function remedyOf(options: Options): Remedy | undefined {
  const said = text(options, 'remedy');
  const remedy = REMEDIES.find((r) => r === said);
  if (said !== undefined && !remedy) throw new BadInput(`--remedy ${said}: say ${REMEDIES.join(', ')}.`);
  return remedy;
}

/** Two rows of whole numbers: the new axes in terms of those of the plane. */
function inPlaneOf(options: Options): Mat2 | undefined {
  const said = text(options, 'in-plane');
  if (said === undefined) return undefined;
  const [a, b] = said.split(';').map((row) => row.split(',').map(Number));
  if (a?.length !== 2 || b?.length !== 2 || ![...a, ...b].every(Number.isInteger))
    throw new BadInput(`--in-plane needs two rows of whole numbers, as "2,0;0,1", not "${said}".`);
  return [a[0]!, b[0]!, a[1]!, b[1]!];
}

const sixOf = (name: string, said: string): number[] => {
  const numbers = said
    .split(/[\s,]+/)
    .filter(Boolean)
    .map(Number);
  if (numbers.length !== 6 || !numbers.every(Number.isFinite))
    throw new BadInput(`--${name} needs six numbers, not "${said}".`);
  return numbers;
};

function buildStrain(paths: string[], options: Options): Answer {
  const tensor = text(options, 'tensor'),
    constants = text(options, 'cell');
  if ((tensor === undefined) === (constants === undefined))
    throw new BadInput(
      'build strain needs either --tensor "e11,e22,e33,e23,e13,e12" in % or --cell with six constants.',
    );
  const answer = strained(
    structureOf(paths),
    tensor === undefined
      ? { by: 'constants', constants: sixOf('cell', constants!) }
      : { by: 'tensor', components: sixOf('tensor', tensor).map((x) => x / 100) },
  );
  return cellAnswer(answer, options, 'strained');
}

/** The smallest common cell of two layers, the upper one of the same crystal where no second file is given. */
function buildStack(paths: string[], options: Options): Answer {
  if (!paths.length || paths.length > 2)
    throw new BadInput('build stack needs one file, or two: the lower layer first.');
  const [lower, upper] = [structureOf([paths[0]!]), structureOf([paths[1] ?? paths[0]!])];
  const twist = text(options, 'twist');
  const angle = Number(twist);
  if (twist !== undefined && !Number.isFinite(angle)) throw new BadInput(`--twist needs an angle, not "${twist}".`);
  const cells = commonCells(lower, upper, {
    mostAtoms: wholeNumber(options, 'atoms', 120),
    mostStrain: numberOption('strain', text(options, 'strain'), 1) / 100,
    ...(twist === undefined ? {} : { twist: { angle, within: 1 } }),
  });
  const cell = cells[0]!;
  const stack = stackLayers(lower, upper, {
    cell,
    fit: 'upper',
    order: [0, 1],
    distance: numberOption('distance', text(options, 'distance'), 3.3),
    shift: [0, 0],
    vacuum: vacuumOf(options),
  });
  const { out, proof } = leave(stack.structure, options, 'stack');
  const told = cells.map((c) => ({
    twist: rounded(c.twist, 4),
    atoms: c.atoms,
    strain: c.strain.map((x) => rounded(x, 6)),
    area: rounded(c.area, 4),
  }));
  return {
    json: { ...slabJson(stack), counts: stack.counts, common: told, ...(out ? { out } : {}) },
    text: [
      `${stack.counts.join(' + ')} = ${stack.structure.sites.length} atoms, turned by ${cell.twist.toFixed(2)}°, strained by ${cell.strain.map((x) => (100 * x).toFixed(2)).join(' and ')} %.`,
      proof && `${out}: ${proof}`,
    ]
      .filter(Boolean)
      .join('\n'),
  };
}

function buildPores(paths: string[]): Answer {
  const pores = findPores(structureOf(paths));
  const sphere = ({ at, diameter }: { at: Vec3; diameter: number }) => ({
    at: at.map((x) => rounded(x, 5)),
    diameter: rounded(diameter, 4),
  });
  if (!pores) return { json: { largest: null, windows: [] }, text: 'No sphere of 0.5 Å fits between the atoms.' };
  const { largest, windows, empty } = pores;
  return {
    json: {
      largest: sphere(largest),
      windows: windows.map((w) => ({ ...sphere(w), dimension: w.dimension, directions: w.directions })),
      empty: rounded(empty, 4),
    },
    text: [
      `A sphere of ${largest.diameter.toFixed(2)} Å fits.`,
      ...windows.map(
        (w) =>
          `One of ${w.diameter.toFixed(2)} Å passes along ${w.directions.map((d) => `[${d.join(' ')}]`).join(', ')}.`,
      ),
    ].join('\n'),
  };
}

function buildLayer(paths: string[], options: Options): Answer {
  const slab = layerSlab(structureOf(paths), wholeNumber(options, 'count', 1), vacuumOf(options));
  const { out, proof } = leave(slab.structure, options, 'layer');
  const steps = slab.steps.map((x) => rounded(x, 6));
  return {
    json: { ...slabJson(slab), count: slab.count, steps, ...(out ? { out } : {}) },
    text: [
      `${slab.count} ${slab.count === 1 ? 'layer' : 'layers'}: ${slab.structure.sites.length} atoms, ${slab.thickness.toFixed(3)} Å thick, ${slab.vacuum} Å of vacuum.`,
      proof && `${out}: ${proof}`,
    ]
      .filter(Boolean)
      .join('\n'),
  };
}

const judgedRow = (j: Judged) => ({
  origin: j.origin || null,
  shortest: Number.isFinite(j.shortest) ? rounded(j.shortest, 4) : null,
  coordination: j.coordination,
  score: rounded(j.score, 4),
});

function buildCrystal(options: Options): Answer {
  const group = text(options, 'group'),
    constants = text(options, 'cell'),
    path = text(options, 'sites');
  if (!group || !constants || !path)
    throw new BadInput('build crystal needs --group "F d -3 m", --cell with the free constants and --sites sites.txt.');
  const { sites, problems } = readSiteTable(readTable(path));
  if (problems.length) throw new BadInput(`${path}, line ${problems[0]!.line}: ${problems[0]!.reason}.`);
  if (!sites.length) throw new BadInput(`${path} holds no sites.`);
  const numbers = constants
    .split(/[\s,]+/)
    .filter(Boolean)
    .map(Number);
  if (!numbers.every(Number.isFinite)) throw new BadInput(`--cell "${constants}" does not hold numbers only.`);
  const judged = buildAndJudge(
    group,
    numbers,
    sites.map((r) => r.site),
  );
  const origin = text(options, 'origin') ?? 'judge';
  const chosen = origin === 'judge' ? judged[0]! : judged.find((j) => j.origin === origin);
  if (!chosen)
    throw new BadInput(
      `--origin ${origin}: ${group} has ${judged.map((j) => j.origin || 'one only').join(' and ')}; or say judge.`,
    );
  const held = holdings(chosen.structure);
  const { out, proof } = leave(chosen.structure, options, held.formula);
  const json = {
    ...contents(chosen.structure),
    formula: held.formula,
    z: held.z,
    density: rounded(held.density, 4),
    origin: chosen.origin || null,
    judged: judged.map(judgedRow),
    ...(out ? { out } : {}),
  };
  return {
    json,
    text: [
      `${held.formula}, Z = ${held.z}: ${held.atoms} atoms, ${held.density.toFixed(3)} g/cm³.`,
      ...judged.map((j) => `${j.origin ? `Origin ${j.origin}` : 'The one origin'}: ${j.score.toFixed(2)}, ${j.reason}`),
      proof && `${out}: ${proof}`,
    ]
      .filter(Boolean)
      .join('\n'),
  };
}

function readTable(path: string): string {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    throw new BadInput(`${path} cannot be read.`);
  }
}

function buildSubstitute(paths: string[], options: Options): Answer {
  const site = text(options, 'site'),
    element = text(options, 'element');
  if (!site || !element) throw new BadInput('build substitute needs --site (a label or an element) and --element.');
  const done = substitute(structureOf(paths), site, element, !!options['rescale']);
  const { out, proof } = leave(done.structure, options, 'substituted');
  return {
    json: { ...contents(done.structure), sites: done.sites, factor: rounded(done.factor, 6), ...(out ? { out } : {}) },
    text: [done.words, proof && `${out}: ${proof}`].filter(Boolean).join('\n'),
  };
}

const NAMED: ReadonlySet<string> = new Set(['primitive', 'conventional', 'reduced']);

/** One of the ways to build; the first word says which. */
export function buildAnswer([way, ...paths]: string[], options: Options): Answer {
  if (way && NAMED.has(way)) return cellAnswer(cellNamed(structureOf(paths), way as NamedCell), options, way);
  switch (way) {
    case 'supercell':
      return buildSupercell(paths, options);
    case 'slab':
      return buildSlab(paths, options);
    case 'layer':
      return buildLayer(paths, options);
    case 'strain':
      return buildStrain(paths, options);
    case 'stack':
      return buildStack(paths, options);
    case 'pores':
      return buildPores(paths);
    case 'crystal':
      return buildCrystal(options);
    case 'substitute':
      return buildSubstitute(paths, options);
    default:
      throw new BadInput(
        `build ${way ? `does not know "${way}"` : 'needs to know what'}: supercell, slab, layer, stack, strain, primitive, conventional, reduced, crystal, substitute or pores.`,
      );
  }
}
