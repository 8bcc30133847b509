/**
 * XYZ: a count, a comment line, then element and Cartesian coordinates (Å) a line; the extended form names its columns and
 * gives the lattice in the comment. Several frames may follow one another.
 */
import type { Cell } from '../crystal/cell.ts';
import { axisVectors, cellFromMetric, cellParameters, isPlausibleCell } from '../crystal/cell.ts';
import { findElement, elementFromLabel } from '../crystal/elements.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { newId, type Site, type Structure } from '../crystal/structure.ts';
import {
  apply3,
  determinant3,
  inverse3,
  multiply3,
  scale,
  toMat3,
  transpose3,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';
import { FileProblem } from './cif-parser.ts';
import { decimal } from './text.ts';

export interface XyzFrame {
  readonly name: string;
  readonly structure: Structure;
  /** Whether the file gave a lattice; a molecule alone stands in a cell made for it. */
  readonly periodic: boolean;
}

/** Å kept free on each side of a molecule that comes without a lattice. */
const ROOM = 4;
/** Å: coordinates and lattice vectors beyond this are slips of the pen. */
const FARTHEST = 1e5;
/** Characters of a comment that are looked through for its items. */
const LONGEST_COMMENT = 4000;
/** Å²: what is usual where nobody measured. */
const USUAL_U = 0.02;

const words = (line: string): string[] => line.trim().split(/\s+/).filter(Boolean);

/** Whether a text begins as XYZ does: a count alone on a line, and an element with three numbers two lines below. */
export function looksLikeXyz(text: string): boolean {
  const lines = text.slice(0, 4000).split(/\r?\n/);
  if (!/^\s*\d+\s*$/.test(lines[0] ?? '')) return false;
  if (/Lattice\s*=|Properties\s*=/i.test(lines[1] ?? '')) return true;
  const w = words(lines[2] ?? '');
  return w.length >= 4 && /^[A-Za-z]{1,3}\d*$/.test(w[0]!) && w.slice(1, 4).every((x) => Number.isFinite(Number(x)));
}

/** key=value pairs of an extended comment; values may stand in quotes, brackets or braces. */
function commentItems(line: string): Map<string, string> {
  const out = new Map<string, string>();
  for (const m of line
    .slice(0, LONGEST_COMMENT)
    .matchAll(/([\w-]+)\s*=\s*(?:"([^"]*)"|'([^']*)'|\{([^}]*)\}|\[([^\]]*(?:\][^\]]*)*)\]|(\S+))/g))
    out.set(m[1]!.toLowerCase(), m[2] ?? m[3] ?? m[4] ?? m[5] ?? m[6] ?? '');
  return out;
}

/** Columns of the atom lines that are used. */
interface Columns {
  readonly species: number;
  readonly position: number;
  readonly charge?: number;
  readonly occupancy?: number;
}

/** Kinds of columns: text, whole number, real number, truth value. */
function columnsOf(properties: string | undefined, line: number): Columns {
  if (!properties) return { species: 0, position: 1 };
  const parts = properties.split(':');
  const at: Record<string, number> = {};
  let column = 0;
  for (let i = 0; i + 2 < parts.length; i += 3) {
    const width = Number(parts[i + 2]);
    if (!Number.isInteger(width) || width < 1)
      throw new FileProblem(
        `Properties "${properties.slice(0, 80)}" does not name its columns in threes (name:kind:width).`,
        line,
      );
    at[parts[i]!.toLowerCase()] = column;
    column += width;
  }
  const species = at['species'] ?? at['element'] ?? at['symbol'];
  const position = at['pos'] ?? at['positions'] ?? at['position'];
  if (species === undefined || position === undefined)
    throw new FileProblem(
      `Properties names no ${species === undefined ? 'species' : 'pos'} column; without it no atom can be placed.`,
      line,
    );
  const charge = at['charge'] ?? at['formal_charge'] ?? at['charges'];
  const occupancy = at['occupancy'];
  return {
    species,
    position,
    ...(charge === undefined ? {} : { charge }),
    ...(occupancy === undefined ? {} : { occupancy }),
  };
}

interface RawAtom {
  readonly element: string;
  readonly at: Vec3;
  readonly charge?: number;
  readonly occupancy?: number;
}

function readAtom(text: string, columns: Columns, line: number): RawAtom {
  const w = words(text);
  const species = w[columns.species] ?? '';
  const element = (findElement(species)?.symbol ?? elementFromLabel(species)) || undefined;
  if (!element) throw new FileProblem(`"${species.slice(0, 40)}" is no element. Each atom line begins with one.`, line);
  const numbers = w.slice(columns.position, columns.position + 3).map(decimal);
  if (numbers.length < 3 || !numbers.every((x) => Math.abs(x) < FARTHEST))
    throw new FileProblem(`"${text.trim().slice(0, 60)}" does not hold three coordinates.`, line);
  const more = (column: number | undefined): number | undefined => {
    const x = column === undefined ? NaN : decimal(w[column] ?? '');
    return Number.isFinite(x) ? x : undefined;
  };
  const charge = more(columns.charge),
    occupancy = more(columns.occupancy);
  return {
    element,
    at: [numbers[0]!, numbers[1]!, numbers[2]!],
    ...(charge !== undefined && Number.isInteger(charge) && charge ? { charge } : {}),
    ...(occupancy !== undefined && occupancy > 0 && occupancy <= 1 ? { occupancy } : {}),
  };
}

/** Rows: the lattice vectors, Å. Undefined where the comment gives none. */
function latticeOf(items: ReadonlyMap<string, string>, line: number): Mat3 | undefined {
  const text = items.get('lattice');
  if (text === undefined) return undefined;
  const numbers = text
    .split(/[\s,[\]]+/)
    .filter(Boolean)
    .map(decimal);
  const [a, b, c] = numbers;
  const full = numbers.length === 3 ? [a!, 0, 0, 0, b!, 0, 0, 0, c!] : numbers;
  if (full.length !== 9 || !full.every((x) => Math.abs(x) < FARTHEST))
    throw new FileProblem(`Lattice "${text.slice(0, 80)}" is not nine numbers (three vectors, Å).`, line);
  const m = toMat3(full);
  if (Math.abs(determinant3(m)) < 1e-3)
    throw new FileProblem(`The three vectors of Lattice "${text.slice(0, 80)}" lie in one plane.`, line);
  return m;
}

/** A box around atoms without a lattice, and where they stand in it. */
function boxAround(atoms: readonly RawAtom[]): { cell: Cell; fractional: (x: Vec3) => Vec3 } {
  const low = [0, 1, 2].map((k) => atoms.reduce((m, a) => Math.min(m, a.at[k]!), Infinity));
  const length = [0, 1, 2].map((k) => atoms.reduce((m, a) => Math.max(m, a.at[k]!), -Infinity) - low[k]! + 2 * ROOM);
  const cell: Cell = { a: length[0]!, b: length[1]!, c: length[2]!, alpha: 90, beta: 90, gamma: 90 };
  return { cell, fractional: (x) => [0, 1, 2].map((k) => (x[k]! - low[k]! + ROOM) / length[k]!) as never };
}

function inLattice(lattice: Mat3): { cell: Cell; fractional: (x: Vec3) => Vec3 } {
  const cell = cellFromMetric(multiply3(lattice, transpose3(lattice)));
  // Rows are vectors, so x = Lᵀ f. Our axes are right-handed: of a left-handed lattice all three vectors are turned round.
  const hand = determinant3(lattice) > 0 ? 1 : -1;
  const back = inverse3(transpose3(lattice));
  return { cell, fractional: (x) => scale(apply3(back, x), hand) };
}

function structureOf(atoms: readonly RawAtom[], lattice: Mat3 | undefined): Structure {
  const { cell, fractional } = lattice ? inLattice(lattice) : boxAround(atoms);
  const counts = new Map<string, number>();
  const sites = atoms.map((a): Site => {
    const n = (counts.get(a.element) ?? 0) + 1;
    counts.set(a.element, n);
    return {
      id: newId(),
      label: `${a.element}${n}`,
      element: a.element,
      position: fractional(a.at),
      occupancy: a.occupancy ?? 1,
      displacement: { kind: 'iso', u: USUAL_U, assumed: true },
      ...(a.charge === undefined ? {} : { charge: a.charge }),
    };
  });
  return { cell, spaceGroup: spaceGroupFromSymbol('P 1'), sites };
}

/** Cells from the origin beyond which no atom is written down. */
const MOST_CELLS = 100;

/** A structure whose cell and atoms can be. Throws FileProblem: the frame begins on `line`. */
function placed(s: Structure, periodic: boolean, line: number): Structure {
  if (!isPlausibleCell(s.cell))
    throw new FileProblem(
      periodic
        ? `the cell of Lattice, ${cellParameters(s.cell)
            .map((x) => x.toFixed(1))
            .join(' ')}, is not possible. Check its vectors (Å).`
        : 'the atoms lie thousands of ångström apart. Check the coordinates (Å).',
      line + (periodic ? 1 : 0),
    );
  const far = s.sites.findIndex((x) => x.position.some((p) => Math.abs(p) > MOST_CELLS));
  if (far >= 0)
    throw new FileProblem(
      `${s.sites[far]!.label} lies more than ${MOST_CELLS} cells away from the others.`,
      line + 2 + far,
    );
  return s;
}

/** Reads every frame. Throws FileProblem with the line that is wrong. */
export function parseXyz(text: string, base: string): XyzFrame[] {
  const lines = text.replace(/^\ufeff/, '').split(/\r?\n/);
  const frames: XyzFrame[] = [];
  let i = 0;
  while (i < lines.length) {
    if (!lines[i]!.trim()) {
      i++;
      continue;
    }
    const count = Number(lines[i]!.trim());
    if (!Number.isInteger(count) || count < 1)
      throw new FileProblem(`"${lines[i]!.trim().slice(0, 60)}" stands where the number of atoms should.`, i + 1);
    if (count > lines.length - i - 2)
      throw new FileProblem(
        `${count} atoms were promised, but the file ends ${lines.length - i - 2} lines later.`,
        i + 1,
      );
    const comment = lines[i + 1] ?? '';
    const items = commentItems(comment);
    const columns = columnsOf(items.get('properties'), i + 2);
    const lattice = latticeOf(items, i + 2);
    const atoms = Array.from({ length: count }, (_, k): RawAtom => {
      const row = lines[i + 2 + k];
      if (row === undefined || !row.trim())
        throw new FileProblem(`${count} atoms were promised on line ${i + 1}, but only ${k} follow.`, i + 3 + k);
      return readAtom(row, columns, i + 3 + k);
    });
    const said = items.size ? (items.get('name') ?? '') : comment.trim();
    frames.push({
      name: said.slice(0, 60) || base,
      structure: placed(structureOf(atoms, lattice), !!lattice, i + 1),
      periodic: !!lattice,
    });
    i += count + 2;
  }
  return frames;
}

export interface XyzAtom {
  readonly element: string;
  readonly at: Vec3;
  /** Held still by whoever reads the file; written for all atoms or for none. */
  readonly fixed?: boolean;
}

/**
 * Atoms (Cartesian, Å) as XYZ; with a cell, which they must fill exactly once, as extended XYZ with its lattice and whether
 * it goes on along each axis.
 */
export function writeXyz(
  atoms: readonly XyzAtom[],
  comment: string,
  cell?: Cell,
  periodic?: readonly [boolean, boolean, boolean],
): string {
  const name = `name="${comment.replace(/["\r\n]/g, ' ')}"`;
  const truth = (x: boolean): string => (x ? 'T' : 'F');
  const held = !!cell && atoms.some((a) => a.fixed !== undefined);
  const rows = atoms.map((a) => {
    const place = a.at.map((x) => x.toFixed(6).padStart(12)).join(' ');
    return `${a.element.padEnd(2)} ${place}${held ? ` ${truth(!!a.fixed)}` : ''}`;
  });
  const lattice = cell && axisVectors(cell).flatMap((v) => v.map((x) => x.toFixed(6)));
  const columns = `Properties=species:S:1:pos:R:3${held ? ':fixed:L:1' : ''}`;
  const ends = periodic ? ` pbc="${periodic.map(truth).join(' ')}"` : '';
  const about = lattice ? `Lattice="${lattice.join(' ')}" ${columns}${ends} ${name}` : name;
  return `${atoms.length}\n${about}\n${rows.join('\n')}\n`;
}
