/** From a CIF data block to the cell and what is known of the experiment. Core dictionary names in old and new form. */
import { isPlausibleCell, type Cell } from '../crystal/cell.ts';
import { faceIndices, type GivenFace } from '../crystal/faces.ts';
import { parseMeasured, type Measured } from '../crystal/uncertainty.ts';
import { meanWavelength } from '../scattering/form-factor.ts';
import { parseFormula, type Formula } from '../crystal/formula.ts';
import { DICTIONARY_ITEMS } from './dictionary-items.ts';
import { Asides } from './asides.ts';
import { FileProblem, itemText, loopWith, itemWritten, normalizeTag, type CifBlock } from './cif-parser.ts';
import { decimal } from './text.ts';

/** What is known of the crystal and the measurement beside the intensities. */
export interface SampleRecord {
  readonly wavelength?: number;
  readonly formula?: Formula;
  readonly z?: number;
  /** K. */
  readonly temperature?: number;
  readonly colour?: string;
  readonly habit?: string;
  /** mm, largest first. */
  readonly size?: readonly [number, number, number];
  /** Faces that were measured, all of them; distances in mm. */
  readonly faces?: readonly GivenFace[];
  /** Further items kept word for word for the final CIF: data name → text. */
  readonly kept: Readonly<Record<string, string>>;
}

/** Items only a person knows, kept word for word under the dictionary's spelling. */
const KEPT = DICTIONARY_ITEMS.filter(
  (d) =>
    d.group !== 'computed' &&
    !['_exptl_crystal_description', '_exptl_crystal_colour', '_diffrn_ambient_temperature'].includes(d.tag) &&
    !d.tag.startsWith('_exptl_crystal_size_'),
).map((d) => d.tag);

const measured = (block: CifBlock, ...tags: string[]): Measured | undefined => {
  const text = itemText(block, ...tags);
  return text === undefined ? undefined : parseMeasured(text);
};

/** The cell of a block; undefined when no cell items are present. Throws FileProblem for values that cannot be a cell. */
export function readCell(block: CifBlock): Cell | undefined {
  const names = ['length_a', 'length_b', 'length_c', 'angle_alpha', 'angle_beta', 'angle_gamma'];
  const values = names.map((n) => measured(block, `_cell_${n}`));
  if (names.every((n) => itemText(block, `_cell_${n}`) === undefined)) return undefined;
  names.forEach((n, i) => {
    if (values[i]) return;
    const item = block.items.get(`_cell_${n}`);
    throw new FileProblem(
      item
        ? `_cell_${n} is "${item.value.replace('\u0000', '').slice(0, 40)}", which is not a number.`
        : `_cell_${n} is missing while other cell items are given.`,
      item?.line ?? block.line,
    );
  });
  const v = values.map((x) => x!.value),
    su = values.map((x) => x!.su);
  const given = names.map((n) => Math.max(0, decimal(block.items.get(`_cell_${n}_su`)?.value ?? '') || 0));
  const cell: Cell = {
    a: v[0]!,
    b: v[1]!,
    c: v[2]!,
    alpha: v[3]!,
    beta: v[4]!,
    gamma: v[5]!,
    su: su.map((s, i) => s || given[i]!) as unknown as Cell['su'] & object,
  };
  if (!isPlausibleCell(cell))
    throw new FileProblem(
      `the cell ${v.join(' ')} is not possible. Check the lengths (Å) and angles (degrees).`,
      block.items.get('_cell_length_a')?.line,
    );
  return cell;
}

const WAVELENGTH_TAGS = [
  '_diffrn_radiation_wavelength',
  '_diffrn_radiation_wavelength_wavelength',
  '_diffrn_radiation_wavelength_value',
];

/** What a number of the experiment may be, and how it is spoken of. */
interface Range {
  readonly what: string;
  readonly unit: string;
  readonly low: number;
  readonly high: number;
}

/** Å. Below and above, no crystal structure is measured with X-rays. */
const WAVELENGTHS: Range = { what: 'wavelength', unit: 'Å', low: 0.1, high: 5 };
const TEMPERATURES: Range = { what: 'temperature', unit: 'K', low: 0, high: 5000 };
const FORMULA_UNITS: Range = { what: 'number of formula units (Z)', unit: '', low: 0, high: 100000 };
const SIZES: Range = { what: 'size of the crystal', unit: 'mm', low: 0, high: 1000 };

/** Whether a number can be the wavelength of X-rays for structures, Å. */
export const isWavelength = (x: number): boolean => x > WAVELENGTHS.low && x < WAVELENGTHS.high;

/** A number that lies within its range (both ends left out); what does not is told to `asides` and left out. */
function within(block: CifBlock, range: Range, asides: Asides, ...tags: string[]): number | undefined {
  const written = itemWritten(block, ...tags);
  if (!written) return undefined;
  const value = parseMeasured(written.text)?.value;
  if (value !== undefined && value > range.low && value < range.high) return value;
  const { what, unit, low, high } = range;
  const why =
    value === undefined ? 'which is not a number' : `which is not between ${low} and ${high}${unit ? ` ${unit}` : ''}`;
  asides.add(`the ${what} is "${written.text.slice(0, 40)}", ${why}; it was left out.`, written.line);
  return undefined;
}

/** Å; from the number that is given or else from the anode that is named. */
export function readWavelength(block: CifBlock, asides = new Asides()): number | undefined {
  const given = within(block, WAVELENGTHS, asides, ...WAVELENGTH_TAGS);
  if (given !== undefined) return given;
  const type = itemText(block, '_diffrn_radiation_type', '_diffrn_radiation_probe', '_diffrn_source_target');
  const anode = type && /(Cr|Fe|Co|Cu|Ga|Mo|Ag|In)/.exec(type)?.[1];
  return anode ? meanWavelength(anode) : undefined;
}

/** Longest text that is read as a formula. */
const LONGEST_FORMULA = 2000;

function readFormula(block: CifBlock): Formula | undefined {
  const written = itemWritten(block, '_chemical_formula_sum', '_chemical_formula_moiety');
  if (!written) return undefined;
  try {
    if (written.text.length > LONGEST_FORMULA) throw new SyntaxError('this is too long for a formula.');
    return parseFormula(written.text);
  } catch (e) {
    throw new FileProblem((e as Error).message, written.line);
  }
}

const FACE = '_exptl_crystal_face_';

/** Faces with whole indices and a distance above 0; the others are told to `asides` and left out. */
function readFaces(block: CifBlock, asides: Asides): GivenFace[] {
  const loop = loopWith(block, `${FACE}index_h`);
  if (!loop) return [];
  const columns = ['index_h', 'index_k', 'index_l', 'perp_dist'].map((n) => loop.tags.indexOf(FACE + n));
  if (columns.some((c) => c < 0)) {
    asides.add('the faces of the crystal lack an index or their distance; they were left out.', loop.line);
    return [];
  }
  const out: GivenFace[] = [];
  for (let row = 0; row + loop.tags.length <= loop.values.length; row += loop.tags.length) {
    const said = columns.map((c) => loop.values[row + c]!);
    const [h, k, l, distance] = said.map((text) => parseMeasured(text)?.value ?? NaN) as [
      number,
      number,
      number,
      number,
    ];
    const isFace = [h, k, l].every(Number.isInteger) && (h !== 0 || k !== 0 || l !== 0);
    if (isFace && distance > 0 && distance < SIZES.high) out.push({ hkl: faceIndices([h, k, l]), distance });
    else
      asides.add(
        `a face of the crystal is "${said.join(' ').slice(0, 60)}", which is none; it was left out.`,
        loop.lineOf(row),
      );
  }
  return out;
}

/** What is known beside the intensities; numbers that cannot be are told to `asides` and left out. Throws FileProblem. */
export function readExperiment(block: CifBlock, asides = new Asides()): SampleRecord {
  const formula = readFormula(block);
  const size = ['max', 'mid', 'min'].map((n) => within(block, SIZES, asides, `_exptl_crystal_size_${n}`));
  const kept: Record<string, string> = {};
  for (const tag of KEPT) {
    const text = itemText(block, normalizeTag(tag));
    if (text) kept[tag] = text;
  }
  const wavelength = readWavelength(block, asides),
    z = within(block, FORMULA_UNITS, asides, '_cell_formula_units_z'),
    temperature = within(block, TEMPERATURES, asides, '_diffrn_ambient_temperature', '_cell_measurement_temperature');
  const colour = itemText(block, '_exptl_crystal_colour'),
    habit = itemText(block, '_exptl_crystal_description'),
    faces = readFaces(block, asides);
  return {
    ...(wavelength ? { wavelength } : {}),
    ...(formula ? { formula } : {}),
    ...(z ? { z } : {}),
    ...(temperature ? { temperature } : {}),
    ...(colour ? { colour } : {}),
    ...(habit ? { habit } : {}),
    ...(size.every((s) => s) ? { size: size as [number, number, number] } : {}),
    ...(faces.length ? { faces } : {}),
    kept,
  };
}
