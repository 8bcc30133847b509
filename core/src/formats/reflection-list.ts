/** Plain-text reflection lists: h k l I σ and an optional batch or component number, in columns or separated by blanks. */
import { RawBuilder, type RawReflections } from '../crystal/reflections.ts';
import { Asides } from './asides.ts';
import { FileProblem } from './cif-parser.ts';
import { setAsideBecause, type RowLimits } from './reflection-check.ts';
import { DECIMAL, rowWords, valueOf } from './text.ts';

export type ListLayout = 'blank-separated' | 'fixed columns';

export interface ReflectionList {
  raw: RawReflections;
  layout: ListLayout;
  /** The list ended with a row of zeros. */
  terminated: boolean;
}

/** Three indices of four characters, two values of eight, one number of four. */
const FIXED = [0, 4, 8, 12, 20, 28, 32] as const;

/** What is printed for a number too large for its columns. */
const OVERFLOW = /^\*{2,}$/;
/** A number, or what stands for one that is lost: it reads as NaN, and its row is set aside. */
const isValue = (text: string): boolean => DECIMAL.test(text) || OVERFLOW.test(text);

function fixedFields(line: string): number[] | undefined {
  const out: number[] = [];
  for (let i = 0; i < 6; i++) {
    const text = line.slice(FIXED[i], FIXED[i + 1]).trim();
    if (i === 5 && !text) break;
    if (i < 3 ? !/^[+-]?\d+$/.test(text) : !isValue(text)) return i === 5 ? out : undefined;
    out.push(valueOf(text));
  }
  return out;
}

function freeFields(line: string): number[] | undefined {
  return fieldsOf(rowWords(line));
}

/** Numbers so wide that they touch: a minus sign after a digit begins the next. */
const touchingFields = (line: string): number[] | undefined => fieldsOf(rowWords(line.replace(/(?<=[\d.])-/g, ' -')));

function fieldsOf(tokens: readonly string[]): number[] | undefined {
  if (tokens.length < 5) return undefined;
  const out: number[] = [];
  for (let i = 0; i < Math.min(6, tokens.length); i++) {
    if (i < 3 ? !DECIMAL.test(tokens[i]!) : !isValue(tokens[i]!)) return i === 5 ? out : undefined;
    const value = valueOf(tokens[i]!);
    if (i < 3 && !Number.isInteger(value)) return undefined;
    out.push(value);
  }
  return out;
}

/** Words that name the fourth column as |F|, whatever stands around them. */
const AMPLITUDE = /^\|?f(?:_?o(?:bs)?|_?m(?:eas)?)?\|?$/i;

/** What a line of words above the list says of the fourth column; undefined for a line that is no heading of h k l. */
function headingOf(line: string): 'amplitudes' | 'intensities' | undefined {
  const words = rowWords(line).map((w) => w.replace(/["']/g, '').toLowerCase());
  if (words.length < 5 || words.slice(0, 3).join('') !== 'hkl') return undefined;
  return AMPLITUDE.test(words[3]!) ? 'amplitudes' : 'intensities';
}

/** Iterates over lines without splitting the whole text at once. */
function* linesOf(text: string): Generator<string> {
  let start = 0;
  while (start < text.length) {
    let end = text.indexOf('\n', start);
    if (end < 0) end = text.length;
    yield text.charCodeAt(end - 1) === 13 ? text.slice(start, end - 1) : text.slice(start, end);
    start = end + 1;
  }
}

const isBatch = (x: number | undefined): x is number => Number.isInteger(x) && Math.abs(x!) < 32768;

const isBlank = (line: string): boolean => !line.trim() || line.trimStart().startsWith('#');

/** Which layout the first lines have; fixed columns win only when every line agrees, since blank-separated lines rarely fall on the same columns. */
export function detectLayout(text: string): ListLayout | undefined {
  let seen = 0,
    fixed = 0,
    free = 0;
  for (const line of linesOf(text)) {
    if (isBlank(line)) continue;
    if (fixedFields(line)) fixed++;
    if (freeFields(line)) free++;
    if (++seen === 400) break;
  }
  if (!seen) return undefined;
  // The closing row of zeros and what follows it may fit neither.
  const most = Math.max(fixed, free);
  if (most < Math.max(1, seen * 0.5)) return undefined;
  return fixed >= free ? 'fixed columns' : 'blank-separated';
}

/** True when a text looks like a reflection list. */
export const looksLikeReflectionList = (text: string): boolean => detectLayout(text.slice(0, 40000)) !== undefined;

export interface ListOptions extends Partial<RowLimits> {
  /** Hears the fraction read, about every megabyte. */
  readonly progress?: ((fraction: number) => void) | undefined;
  /** Line of the file on which the list begins. */
  readonly firstLine?: number;
}

/**
 * Reads a list. Throws FileProblem with the line of the first row that is not h k l I σ; rows that cannot be data (no
 * positive σ, impossible indices) go to `asides`.
 */
export function parseReflectionList(
  text: string,
  { progress, firstLine = 1, asides = new Asides(), inside }: ListOptions = {},
): ReflectionList {
  const layout = detectLayout(text);
  if (!layout)
    throw new FileProblem(
      'this is not a reflection list. Each line should hold h k l I σ, separated by blanks or in columns of 4, 4, 4, 8 and 8 characters.',
      firstLine,
    );
  const read = layout === 'fixed columns' ? fixedFields : freeFields;
  const other = layout === 'fixed columns' ? freeFields : fixedFields;
  const out = new RawBuilder();
  let line = firstLine - 1;
  let terminated = false;
  const checked = setAsideBecause({ asides, inside });
  let done = 0,
    told = 0;
  for (const row of linesOf(text)) {
    line++;
    done += row.length + 1;
    if (progress && done - told > 1e6) progress((told = done) / text.length);
    if (isBlank(row)) continue;
    const f = read(row) ?? other(row) ?? touchingFields(row);
    if (!f) {
      const heading = out.count ? undefined : headingOf(row);
      if (heading === 'intensities') continue;
      if (heading)
        throw new FileProblem(
          `the heading "${row.trim().slice(0, 60)}" names amplitudes. Intensities are needed: write F² and σ(F²) into the list.`,
          line,
        );
      const shown = row.trim().slice(0, 60);
      throw new FileProblem(
        `expected h k l I σ but found "${shown}". Correct or remove this line; nothing after it was read.`,
        line,
      );
    }
    const [h, k, l, intensity, sigma, batch] = f as [number, number, number, number, number, number | undefined];
    if (!h && !k && !l) {
      terminated = true;
      break;
    }
    const here = line;
    if (!checked(h, k, l, intensity, sigma, () => here)) continue;
    out.on(line);
    out.push(h, k, l, intensity, sigma, isBatch(batch) ? batch : undefined);
  }
  if (!out.count)
    throw new FileProblem('the list holds no reflections that can be used: each needs a positive σ.', line);
  return { raw: out.build(false), layout, terminated };
}
