/** Columns of a powder pattern, on whatever axis, to a pattern by 2θ. */
import { twoThetaOf, type Pattern, type SpectralLine } from '../crystal/pattern.ts';
import { Asides } from './asides.ts';
import { FileProblem } from './cif-parser.ts';

export type Axis = '2θ' | 'd' | 'Q';

export interface PatternFile {
  readonly pattern: Pattern;
  readonly axis: Axis;
  /** Steps are all alike. */
  readonly even: boolean;
  readonly columns: 2 | 3;
}

/** A pattern as it was read. */
export interface ReadPattern extends PatternFile {
  /** Lines of the spectrum, where the file tells. */
  readonly lines?: readonly SpectralLine[];
}

/** Whether steps are all alike, within a fiftieth. */
export function isEven(x: readonly number[]): boolean {
  const step = (x[x.length - 1]! - x[0]!) / (x.length - 1);
  return x.every((v, i) => Math.abs(v - x[0]! - i * step) < 0.02 * Math.abs(step) + 1e-9);
}

/** Columns of a pattern as they were written, with the line of each row. */
export interface PatternColumns {
  readonly x: ArrayLike<number>;
  readonly intensity: ArrayLike<number>;
  readonly su?: ArrayLike<number>;
  /** Line of a row of the columns. */
  lineOf?(row: number): number;
}

const FEWEST_POINTS = 12;

interface PatternRow {
  /** 2θ, degrees. */
  readonly t: number;
  readonly row: number;
}

/** Rows by rising 2θ; those that no 2θ above 0 and up to 180° belongs to are told. Throws FileProblem. */
function rowsByAngle(columns: PatternColumns, axis: Axis, wavelength: number, asides: Asides): PatternRow[] {
  const { x } = columns;
  const rows: PatternRow[] = [];
  for (let row = 0; row < x.length; row++) {
    const value = x[row]!;
    const t = axis === '2θ' ? value : twoThetaOf(axis === 'd' ? value : (2 * Math.PI) / value, wavelength);
    if (t > 0 && t <= 180) rows.push({ t, row });
    else
      asides.count('points off the circle', columns.lineOf?.(row) ?? row + 1, (n, where) =>
        n === 1
          ? `one point whose ${axis} belongs to no 2θ between 0 and 180° was set aside (${where}).`
          : `${n} points whose ${axis} belongs to no 2θ between 0 and 180° were set aside (${where}).`,
      );
  }
  if (rows.length < FEWEST_POINTS)
    throw new FileProblem(
      `the ${axis} values do not fit the wavelength ${wavelength} Å. Choose what the first column is, or another wavelength.`,
    );
  return rows.sort((p, q) => p.t - q.t);
}

/** The s.u. of each row: as given, or of counting; points without one of their own get the smallest that is given. */
function sigmasOf(columns: PatternColumns, rows: readonly PatternRow[], asides: Asides): Float64Array | undefined {
  const { su } = columns;
  if (!su) return undefined;
  const smallest = rows.reduce((m, r) => (su[r.row]! > 0 && su[r.row]! < m ? su[r.row]! : m), Infinity);
  if (smallest === Infinity) return undefined;
  return Float64Array.from(rows, ({ row }) => {
    if (su[row]! > 0) return su[row]!;
    asides.count('points without s.u.', columns.lineOf?.(row) ?? row + 1, (n, where) =>
      n === 1
        ? `one point without a positive s.u. was given the smallest of the file (${where}).`
        : `${n} points without a positive s.u. were given the smallest of the file (${where}).`,
    );
    return smallest;
  });
}

/** 2θ (rising), intensity and s.u. from columns on any axis. Throws FileProblem where they cannot be a pattern at this wavelength. */
export function patternFrom(
  name: string,
  axis: Axis,
  columns: PatternColumns,
  wavelength: number,
  asides = new Asides(),
): Pattern {
  const rows = rowsByAngle(columns, axis, wavelength, asides);
  const twin = rows.findIndex((r, i) => i > 0 && r.t === rows[i - 1]!.t);
  if (twin > 0)
    throw new FileProblem(
      `${axis} is ${columns.x[rows[twin]!.row]} at two points. Each point needs its own.`,
      columns.lineOf?.(Math.max(rows[twin]!.row, rows[twin - 1]!.row)),
    );
  const y = columns.intensity;
  if (rows.every((r) => y[r.row] === 0)) throw new FileProblem('every intensity is zero: nothing was measured here.');
  const given = sigmasOf(columns, rows, asides);
  return {
    name,
    twoTheta: Float64Array.from(rows, (r) => r.t),
    intensity: Float64Array.from(rows, (r) => y[r.row]!),
    sigma: given ?? Float64Array.from(rows, (r) => Math.sqrt(Math.max(1, y[r.row]!))),
    sigmaFrom: given ? 'file' : 'counts',
  };
}

/** The same points read on another axis: what was taken for `from` is `to`. */
export function withAxis(p: Pattern, from: Axis, to: Axis, wavelength: number): Pattern {
  const original = p.twoTheta.map((t) => {
    if (from === '2θ') return t;
    const d = wavelength / (2 * Math.sin((t * Math.PI) / 360));
    return from === 'd' ? d : (2 * Math.PI) / d;
  });
  const columns = { x: original, intensity: p.intensity, su: p.sigma };
  return { ...patternFrom(p.name, to, columns, wavelength), sigmaFrom: p.sigmaFrom };
}
