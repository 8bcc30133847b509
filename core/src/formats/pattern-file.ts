/** Powder patterns from text of two or three columns, and instruments from JSON. */
import { z } from 'zod';
import { linesOfWavelength, USUAL_INSTRUMENT, type Instrument, type SpectralLine } from '../crystal/pattern.ts';
import { Asides } from './asides.ts';
import { FileProblem } from './cif-parser.ts';
import { isEven, patternFrom, type Axis, type PatternColumns, type ReadPattern } from './pattern-columns.ts';
import { decimal, rowWords } from './text.ts';
import { issuePhrase } from './issue-words.ts';

const isComment = (line: string): boolean => /^\s*(?:[#!%"'/*]|[A-Za-zθΘ_@])/.test(line);

/** Numbers of one line whatever separates them; undefined where a word of it is no finite number. */
function numbersOf(line: string): number[] | undefined {
  const numbers = rowWords(line).map(decimal);
  return numbers.length && numbers.every((x) => x === x) ? numbers : undefined;
}

/** A row of a detector's mask: a place without an intensity. */
const isMasked = (line: string): boolean => {
  const words = rowWords(line);
  return (words.length === 2 || words.length === 3) && Number.isFinite(decimal(words[0]!)) && /^nan$/i.test(words[1]!);
};

/** The spectrum that a heading tells by its wavelength, in Å or nm. */
function linesOfHead(head: string): SpectralLine[] | undefined {
  const stated = /(?:wave[- ]?length|lambda|λ)[^\d]{0,20}?(\d*\.\d+)\s*(nm\b)?/i.exec(head);
  const wavelength = stated ? Number(stated[1]) * (stated[2] ? 10 : 1) : NaN;
  return wavelength >= 0.1 && wavelength <= 5 ? linesOfWavelength(wavelength) : undefined;
}

/** True when most of the first lines are two or three numbers and the first column runs one way. */
export function looksLikePattern(text: string): boolean {
  const rows: number[][] = [];
  let other = 0;
  for (const line of text.slice(0, 20000).split(/\r?\n/).slice(0, 200)) {
    if (!line.trim()) continue;
    const n = numbersOf(line);
    if (n && (n.length === 2 || n.length === 3)) rows.push(n);
    else if (!isComment(line) && !isMasked(line)) other++;
  }
  if (rows.length < 12 || other > rows.length * 0.2 + 2) return false;
  const falling = rows.filter((r, i) => i && r[0]! < rows[i - 1]![0]!).length,
    rising = rows.filter((r, i) => i && r[0]! > rows[i - 1]![0]!).length;
  return Math.max(falling, rising) > 0.9 * (rows.length - 1);
}

/** What stands in a file of columns: the rows with their lines, the words above them, and a temperature among these. */
interface ReadColumns {
  readonly x: number[];
  readonly y: number[];
  readonly su: number[];
  readonly lines: number[];
  head: string;
  /** K. */
  at?: number;
}

/** What a line without numbers in rows says: a heading, a comment, or nothing that can be here. */
function takeWords(line: string, number: number, into: ReadColumns, asides: Asides): void {
  const text = line.trim();
  const temperature = /(?:temperature|T|at)\s*[=:]?\s*([\d.]+)\s*K\b/i.exec(text.slice(0, 200));
  if (temperature) into.at ??= Number(temperature[1]);
  if (isMasked(line)) {
    asides.count('points without intensity', number, (count, where) =>
      count === 1
        ? `one point without an intensity was left out (${where}).`
        : `${count} points without an intensity were left out (${where}).`,
    );
    return;
  }
  const above = !into.x.length;
  if (!isComment(line) && !(above && /[A-Za-zθ]{2}/.test(text)))
    throw new FileProblem(
      `expected two or three numbers (2θ, intensity and its s.u.) but found "${text.slice(0, 60)}". Correct or remove this line; nothing was taken.`,
      number,
    );
  if (above) into.head += ` ${text}`;
}

/** Throws FileProblem where a row does not go on from those before it. */
function checkRow(row: readonly number[], text: string, number: number, { x, su }: ReadColumns): void {
  const [at] = row as [number];
  const last = x.at(-1);
  if (row.length !== 2 && row.length !== 3)
    throw new FileProblem(
      `this line holds ${row.length} numbers where two or three (2θ, intensity, s.u.) are expected: "${text.slice(0, 60)}".`,
      number,
    );
  if (last === undefined) return;
  if (row.length === 2 && su.length)
    throw new FileProblem(`the third column (s.u.) is missing here: "${text.slice(0, 60)}".`, number);
  if (row.length === 3 && !su.length)
    throw new FileProblem(`a third column (s.u.) begins only here: "${text.slice(0, 60)}".`, number);
  if (at === last)
    throw new FileProblem(`the first column stands still at ${at}. Each point needs its own 2θ.`, number);
  if (x.length > 1 && Math.sign(at - last) !== Math.sign(x[1]! - x[0]!))
    throw new FileProblem(
      `the first column turns back from ${last} to ${at}. Two scans in one file? Give each its own file.`,
      number,
    );
}

function readColumns(text: string, asides: Asides): ReadColumns {
  const read: ReadColumns = { x: [], y: [], su: [], lines: [], head: '' };
  for (const [i, line] of text.split(/\r?\n/).entries()) {
    const words = line.trim();
    if (!words) continue;
    const row = numbersOf(line);
    if (!row) {
      takeWords(line, i + 1, read, asides);
      continue;
    }
    if (row.length === 1 && !read.x.length) {
      read.head += ` ${words}`;
      continue;
    }
    checkRow(row, words, i + 1, read);
    read.x.push(row[0]!);
    read.y.push(row[1]!);
    read.lines.push(i + 1);
    if (row.length === 3) read.su.push(row[2]!);
  }
  return read;
}

/**
 * Reads columns; without `wavelength` (Å) that of the heading is taken, or of a copper tube. Throws FileProblem with the
 * line of the first row that is not two or three numbers.
 */
export function parsePattern(text: string, name: string, wavelength?: number, asides = new Asides()): ReadPattern {
  const { x, y, su, lines: lineOfRow, head, at } = readColumns(text, asides);
  if (x.length < 12)
    throw new FileProblem(
      `there are only ${x.length} points. A pattern needs a column of 2θ and a column of intensities.`,
    );
  const axis = guessAxis(x, head);
  const lines = wavelength ? undefined : linesOfHead(head);
  const first = wavelength ?? (lines ?? USUAL_INSTRUMENT.lines)[0]!.wavelength;
  const columns: PatternColumns = {
    x,
    intensity: y,
    ...(su.length ? { su } : {}),
    lineOf: (row) => lineOfRow[row]!,
  };
  return {
    pattern: { ...patternFrom(name, axis, columns, first, asides), ...(at === undefined ? {} : { at }) },
    axis,
    even: isEven(x),
    columns: su.length ? 3 : 2,
    ...(lines ? { lines } : {}),
  };
}

/** Å: the smallest spacing of a pattern lies below. */
const LARGEST_LOW = 5;

function guessAxis(x: readonly number[], head: string): Axis {
  if (/(?:^|[\s(,;#])Q\b|1\/(?:Å|A|Ang)/.test(head)) return 'Q';
  if (/\bd(?:[- _]?spacings?\b|\s*[,([/]?\s*(?:Å|A\b|Ang))/i.test(head)) return 'd';
  if (/2\s*[-_ ]?th|2θ|two ?theta/i.test(head)) return '2θ';
  const [top, low] = x.reduce(([t, l], v) => [Math.max(t, v), Math.min(l, v)] as const, [-Infinity, Infinity] as const);
  // A scan by falling angles has even steps and does not come near nothing; spacings do.
  const byAngle = low > LARGEST_LOW || (isEven(x) && top > 25);
  if (x[0]! > x[x.length - 1]! && top < 60 && !byAngle) return 'd';
  // Spacings rarely start below 0.4 Å, and 2θ scans rarely end below 25°.
  return top < 25 && low > 0.2 && top / Math.max(low, 0.01) > 8 ? 'Q' : '2θ';
}

const lineSchema = z.strictObject({ wavelength: z.number().min(0.1).max(5), weight: z.number().min(0).max(2) });
export const instrumentSchema = z.strictObject({
  name: z.string(),
  lines: z.array(lineSchema).min(1),
  geometry: z.enum(['flat specimen', 'capillary']),
  monochromator: z.number().min(0).max(90),
  radius: z.number().positive(),
  zero: z.number().min(-2).max(2),
  calibrated: z.string().optional(),
  profile: z.strictObject({
    u: z.number(),
    v: z.number(),
    w: z.number(),
    x: z.number(),
    y: z.number(),
    sampleHeight: z.number().min(0),
    detectorHeight: z.number().min(0),
  }),
});

/** Reads an instrument written by `instrumentText`. Throws FileProblem with what is not right. */
export function parseInstrument(text: string): Instrument {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new FileProblem('this is not JSON, so it is no instrument that Nagare wrote.');
  }
  const parsed = instrumentSchema.safeParse(value);
  if (!parsed.success) throw new FileProblem(`this is not an instrument: ${issuePhrase(parsed.error)}.`);
  const { calibrated, ...rest } = parsed.data;
  return { ...rest, ...(calibrated ? { calibrated } : {}) };
}

export const instrumentText = (i: Instrument): string => `${JSON.stringify(i, null, 2)}\n`;
