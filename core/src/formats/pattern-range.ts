/**
 * Powder patterns without a column of angles: a line with the first angle, the step and the last angle, then intensities row
 * after row. What the line promises must be what follows, so that no other table is taken for one.
 */
import type { Asides } from './asides.ts';
import { FileProblem } from './cif-parser.ts';
import { patternFrom, type PatternColumns, type PatternFile } from './pattern-columns.ts';
import { decimal, rowWords } from './text.ts';

/** Lines of words before the one with the range. */
const MOST_HEAD = 40;
const FEWEST_POINTS = 12;
const MOST_POINTS = 1_000_000;

/** What the line of the range says, degrees, and how many points that makes. */
interface Range {
  readonly first: number;
  readonly step: number;
  readonly points: number;
  readonly line: number;
}

const whole = (x: number): boolean => Math.abs(x - Math.round(x)) < 0.02;

/** First angle, last angle and step of a line in either order; undefined where these are no range. */
function rangeOf(words: readonly string[], line: number): Range | undefined {
  const [a, b, c] = words.map(decimal) as [number, number, number];
  const range = (first: number, last: number, step: number): Range | undefined => {
    const steps = (last - first) / step;
    const sound = first >= 0 && last <= 180 && step > 0 && steps >= FEWEST_POINTS - 1 && steps < MOST_POINTS;
    return sound && whole(steps) ? { first, step, points: Math.round(steps) + 1, line } : undefined;
  };
  return range(a, c, b) ?? range(a, b, c);
}

/** The range of a text that is such a pattern, with where its intensities begin. */
function rangeIn(text: string): { range: Range; from: number } | undefined {
  let from = 0;
  for (let line = 1; line <= MOST_HEAD && from < text.length; line++) {
    const end = text.indexOf('\n', from);
    const row = end < 0 ? text.slice(from) : text.slice(from, end);
    from = end < 0 ? text.length : end + 1;
    const words = rowWords(row);
    const range = words.length === 3 ? rangeOf(words, line) : undefined;
    if (range) return { range, from };
    // Numbers before the range: some other table.
    if (words.length > 3 && words.every((w) => decimal(w) === decimal(w))) return undefined;
  }
  return undefined;
}

/** Intensities after the range with the line of each; undefined at the first word that is no number. */
function intensitiesAfter(text: string, from: number, line: number): { y: number[]; lines: number[] } | undefined {
  const y: number[] = [];
  const lines: number[] = [];
  for (const row of text.slice(from).split('\n')) {
    line++;
    // All of them may stand on one line.
    for (const word of row.split(/[\s;,]+/)) {
      if (!word) continue;
      const value = decimal(word);
      if (value !== value || y.length > MOST_POINTS) return undefined;
      y.push(value);
      lines.push(line);
    }
  }
  return { y, lines };
}

/**
 * The pattern of a text of that kind (angles in degrees of 2θ, Å for the wavelength); undefined where it is of another. Throws
 * FileProblem where fewer or more intensities follow than the range has points.
 */
export function readRangePattern(
  text: string,
  name: string,
  wavelength: number,
  asides: Asides,
): PatternFile | undefined {
  const begin = rangeIn(text);
  if (!begin) return undefined;
  const { range, from } = begin;
  const read = intensitiesAfter(text, from, range.line);
  // Rows of pairs are a table with angles of its own.
  if (!read || Math.abs(read.y.length - range.points) > 0.1 * range.points) return undefined;
  const { y, lines } = read;
  const last = Number((range.first + range.step * (range.points - 1)).toFixed(4));
  if (y.length !== range.points)
    throw new FileProblem(
      `the range ${range.first} to ${last}° in steps of ${range.step}° has ${range.points} points, but ${y.length} intensities follow. Look for a lost or a doubled row.`,
      range.line,
    );
  const columns: PatternColumns = {
    x: y.map((_, i) => range.first + range.step * i),
    intensity: y,
    lineOf: (row) => lines[row]!,
  };
  return { pattern: patternFrom(name, '2θ', columns, wavelength, asides), axis: '2θ', even: true, columns: 2 };
}
