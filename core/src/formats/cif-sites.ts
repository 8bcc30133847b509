/** The structure of a data block: its cell, symmetry and atom sites. Core dictionary names in old and new form. */
import { chargeOf } from '../crystal/charge.ts';
import { metricTensor } from '../crystal/cell.ts';
import { snapToSymmetry } from '../crystal/space-group.ts';
import { newId, type AnisotropicU, type Displacement, type Site, type Structure } from '../crystal/structure.ts';
import { parseMeasured, type Measured } from '../crystal/uncertainty.ts';
import { elementFromLabel, findElement } from '../crystal/elements.ts';
import { Asides } from './asides.ts';
import { readCell } from './cif-data.ts';
import { FileProblem, INAPPLICABLE, loopOrRow, UNKNOWN, type CifBlock, type CifLoop } from './cif-parser.ts';
import { readSpaceGroup } from './cif-symmetry.ts';

const FRACT = ['_atom_site_fract_x', '_atom_site_fract_y', '_atom_site_fract_z'];
/** Cells from the origin beyond which no atom is written down. */
const FARTHEST = 100;
/** Å²; refined values may fall below zero, which vetting speaks of. */
const LEAST_U = -1,
  LARGEST_U = 20;
/** Refined occupancies may pass 1 or fall below 0 by a few s.u. */
const LEAST_OCCUPANCY = -0.5,
  LARGEST_OCCUPANCY = 1.5;
const B_TO_U = 1 / (8 * Math.PI ** 2);
/** Å²: what is usual where the file says nothing. */
const USUAL_U = 0.04;

interface Tensor {
  readonly u: AnisotropicU;
  readonly su: AnisotropicU;
}

/** One row of a loop by the short names of its columns. */
interface Row {
  readonly line: () => number;
  /** Undefined where the column is missing or the value unknown. */
  text(name: string): string | undefined;
}

function rowsOf(loop: CifLoop, prefix: string): Row[] {
  const width = loop.tags.length;
  const column = new Map(loop.tags.map((t, i) => [t, i]));
  return Array.from({ length: loop.values.length / width }, (_, i) => ({
    line: () => loop.lineOf(i * width),
    text(name) {
      const c = column.get(prefix + name);
      const value = c === undefined ? undefined : loop.values[i * width + c]!;
      return value === UNKNOWN || value === INAPPLICABLE ? undefined : value;
    },
  }));
}

const PARTS = ['11', '22', '33', '12', '13', '23'];
const asTensor = (values: readonly number[]): AnisotropicU => values as unknown as AnisotropicU;

/** The tensor of one row, from U or B; undefined where the row gives none. Unreadable ones are told. */
function tensorOf(row: Row, label: string, asides: Asides): Tensor | undefined {
  const kind = row.text('u_11') !== undefined || row.text('b_11') === undefined ? 'u' : 'b';
  const factor = kind === 'u' ? 1 : B_TO_U;
  const texts = PARTS.map((p) => row.text(`${kind}_${p}`));
  if (texts.every((t) => t === undefined)) return undefined;
  const values = texts.map((t) => (t === undefined ? undefined : parseMeasured(t)));
  const u = values.map((m) => (m?.value ?? NaN) * factor);
  if (u.every((x) => x >= LEAST_U && x <= LARGEST_U))
    return { u: asTensor(u), su: asTensor(values.map((m) => m!.su * factor)) };
  asides.add(`the displacement tensor of ${label} is not six numbers in Å²; it was left out.`, row.line());
  return undefined;
}

/** Tensors by label; a label that stands several times has several, in the order of the file. */
function tensorsOf(block: CifBlock, asides: Asides): Map<string, (Tensor | undefined)[]> {
  const out = new Map<string, (Tensor | undefined)[]>();
  const loop = loopOrRow(block, '_atom_site_aniso_', '_atom_site_aniso_label');
  if (!loop) return out;
  for (const row of rowsOf(loop, '_atom_site_aniso_')) {
    const label = row.text('label');
    if (label === undefined) continue;
    const tensor = tensorOf(row, label, asides);
    const there = out.get(label);
    if (there) there.push(tensor);
    else out.set(label, [tensor]);
  }
  return out;
}

/** A number of a site that may be missing; one that cannot be read or lies outside its range is told and left out. */
function numberOf(
  text: string | undefined,
  [low, high]: readonly [number, number],
  wrong: (text: string) => void,
): Measured | undefined {
  if (text === undefined) return undefined;
  const m = parseMeasured(text);
  if (m && m.value >= low && m.value <= high) return m;
  wrong(text);
  return undefined;
}

function isotropicOf(row: Row, label: string, asides: Asides): Displacement {
  const told =
    (name: string) =>
    (text: string): void =>
      asides.add(
        `${name} of ${label} is "${text.slice(0, 40)}", which is no displacement in Å²; ${USUAL_U} Å² is assumed for it.`,
        row.line(),
      );
  const u = numberOf(row.text('u_iso_or_equiv'), [LEAST_U, LARGEST_U], told('U'));
  if (u) return { kind: 'iso', u: u.value, su: u.su };
  const b = numberOf(row.text('b_iso_or_equiv'), [LEAST_U / B_TO_U, LARGEST_U / B_TO_U], told('B'));
  if (b) return { kind: 'iso', u: b.value * B_TO_U, su: b.su * B_TO_U };
  return { kind: 'iso', u: USUAL_U, su: 0, assumed: true };
}

function occupancyOf(row: Row, label: string, asides: Asides): Measured {
  const read = numberOf(row.text('occupancy'), [LEAST_OCCUPANCY, LARGEST_OCCUPANCY], (text) =>
    asides.add(
      `the occupancy of ${label} is "${text.slice(0, 40)}", which is not a number from 0 to 1; it was taken as 1.`,
      row.line(),
    ),
  );
  return read ?? { value: 1, su: 0 };
}

/** Fractional coordinates with s.u.; undefined where the row gives none at all. Throws FileProblem. */
function coordinatesOf(row: Row, label: string): Measured[] | undefined {
  const texts = ['x', 'y', 'z'].map((k) => row.text(`fract_${k}`));
  if (texts.every((t) => t === undefined)) return undefined;
  const at = texts.map((t) => (t === undefined ? undefined : parseMeasured(t)));
  const odd = at.findIndex((m) => !m || Math.abs(m.value) > FARTHEST);
  if (odd >= 0)
    throw new FileProblem(
      `the coordinates of ${label} cannot be read: ${'xyz'[odd]} is "${(texts[odd] ?? '?').slice(0, 40)}", which is not a fraction of the cell.`,
      row.line(),
    );
  return at as Measured[];
}

function elementIn(row: Row, label: string): string {
  const typed = row.text('type_symbol');
  const element = (typed && (findElement(typed)?.symbol ?? elementFromLabel(typed))) || elementFromLabel(label);
  if (!element)
    throw new FileProblem(
      `the element of ${label} cannot be told from "${(typed ?? label).slice(0, 40)}".`,
      row.line(),
    );
  return element;
}

/** The structure of a block; undefined when it has no cell or coordinates. Values that cannot be are told to `asides`. Throws FileProblem. */
export function readStructure(block: CifBlock, asides = new Asides()): Structure | undefined {
  const loop = loopOrRow(block, '_atom_site_', FRACT[0]!);
  const cell = readCell(block);
  if (!loop && loopOrRow(block, '_atom_site_', '_atom_site_cartn_x'))
    asides.add(
      'the atom sites have Cartesian coordinates only, which say nothing without their axes; write them as fractions of the cell. They were left out.',
    );
  if (!loop || !cell) return undefined;
  const spaceGroup = readSpaceGroup(block, cell);
  if (!spaceGroup)
    throw new FileProblem(
      'the file has atom sites but neither symmetry operators nor a space-group symbol that can be read.',
      loop.line,
    );
  const tensors = tensorsOf(block, asides);
  const metric = metricTensor(cell);
  const lines = new Map<string, number>();
  const sites = rowsOf(loop, '_atom_site_').flatMap((row, i): Site[] => {
    const label = (row.text('label') ?? `X${i + 1}`).slice(0, 60);
    const xyz = coordinatesOf(row, label);
    if (!xyz) return [];
    const twin = lines.get(label);
    if (twin === undefined) lines.set(label, row.line());
    else
      asides.add(
        `a site named ${label} stood on line ${twin} already; both were taken, each with its own values.`,
        row.line(),
      );
    const charge = chargeOf(row.text('type_symbol') ?? '');
    const tensor = tensors.get(label)?.shift();
    const occupancy = occupancyOf(row, label, asides);
    const group = row.text('disorder_group');
    return [
      {
        id: newId(),
        label,
        element: elementIn(row, label),
        position: snapToSymmetry(spaceGroup, metric, xyz.map((m) => m.value) as unknown as Site['position']),
        positionSu: xyz.map((m) => m.su) as unknown as Site['position'],
        occupancy: occupancy.value,
        occupancySu: occupancy.su,
        displacement: tensor ? { kind: 'aniso', ...tensor } : isotropicOf(row, label, asides),
        ...(charge === undefined ? {} : { charge }),
        ...(group ? { disorder: { assembly: row.text('disorder_assembly') ?? 'A', group } } : {}),
      },
    ];
  });
  if (!sites.length) return undefined;
  return { cell, spaceGroup, sites };
}
