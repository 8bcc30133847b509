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

/** Reads columns. Throws FileProblem with the line of the first row that is not two or three numbers. */
export function parsePattern(text: string, name: string, wavelength?: number, asides = new Asides()): ReadPattern {
  const x: number[] = [],
    y: number[] = [],
    s: number[] = [],
    lineOfRow: number[] = [];
  let head = '',
    columns: 2 | 3 = 2;
  let at: number | undefined;
  for (const [i, line] of text.split(/\r?\n/).entries()) {
    const t = line.trim();
    if (!t) continue;
    const n = numbersOf(line);
    if (!n) {
      const value = /(?:temperature|T|at)\s*[=:]?\s*([\d.]+)\s*K\b/i.exec(t.slice(0, 200));
      if (value && at === undefined) at = Number(value[1]);
      if (isMasked(line)) {
        asides.count('points without intensity', i + 1, (count, where) =>
          count === 1
            ? `one point without an intensity was left out (${where}).`
            : `${count} points without an intensity were left out (${where}).`,
        );
        continue;
      }
      if (isComment(line) || (!x.length && /[A-Za-zθ]{2}/.test(t))) {
        if (!x.length) head += ` ${t}`;
        continue;
      }
      throw new FileProblem(
        `expected two or three numbers (2θ, intensity and its s.u.) but found "${t.slice(0, 60)}". Correct or remove this line; nothing was taken.`,
        i + 1,
      );
    }
    if (n.length !== 2 && n.length !== 3) {
      if (!x.length && n.length === 1) {
        head += ` ${t}`;
        continue;
      }
      throw new FileProblem(
        `this line holds ${n.length} numbers where two or three (2θ, intensity, s.u.) are expected: "${t.slice(0, 60)}".`,
        i + 1,
      );
    }
    if (x.length && n.length === 2 && columns === 3)
      throw new FileProblem(`the third column (s.u.) is missing here: "${t.slice(0, 60)}".`, i + 1);
    if (x.length && n[0] === x[x.length - 1])
      throw new FileProblem(`the first column stands still at ${n[0]}. Each point needs its own 2θ.`, i + 1);
    if (x.length > 1 && Math.sign(n[0]! - x[x.length - 1]!) !== Math.sign(x[1]! - x[0]!))
      throw new FileProblem(
        `the first column turns back from ${x[x.length - 1]} to ${n[0]}. Two scans in one file? Give each its own file.`,
        i + 1,
      );
    if (n.length === 3) columns = 3;
    x.push(n[0]!);
    y.push(n[1]!);
    lineOfRow.push(i + 1);
    if (n.length === 3) s.push(n[2]!);
  }
  if (x.length < 12)
    throw new FileProblem(
      `there are only ${x.length} points. A pattern needs a column of 2θ and a column of intensities.`,
    );
  const axis = guessAxis(x, head);
  const lines = wavelength ? undefined : linesOfHead(head);
  const first = wavelength ?? (lines ?? USUAL_INSTRUMENT.lines)[0]!.wavelength;
  const table: PatternColumns = {
    x,
    intensity: y,
    ...(columns === 3 ? { su: s } : {}),
    lineOf: (row) => lineOfRow[row]!,
  };
  return {
    pattern: {
      ...patternFrom(name, axis, table, first, asides),
      ...(at !== undefined ? { at } : {}),
    },
    axis,
    even: isEven(x),
    columns,
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
