/** Texts as files bring them: bytes to characters, one kind of line end, and numbers that are numbers. */

/** Bytes to text: UTF-8 or UTF-16 (with its mark, or told by its zeros), and Windows-1252 for bytes that are neither. */
export function decodeText(bytes: Uint8Array): string {
  const encoding = encodingOf(bytes);
  if (encoding !== 'utf-8') return new TextDecoder(encoding).decode(bytes);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return new TextDecoder('windows-1252').decode(bytes);
  }
}

function encodingOf(bytes: Uint8Array): string {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return 'utf-16le';
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return 'utf-16be';
  // Every second byte of plain letters in UTF-16 is zero; a binary file has its zeros anywhere.
  const head = bytes.subarray(0, 512);
  const zeros = (odd: number): number => head.filter((b, i) => i % 2 === odd && b === 0).length;
  const half = head.length / 2;
  if (half >= 8 && zeros(1) > 0.9 * half && zeros(0) === 0) return 'utf-16le';
  if (half >= 8 && zeros(0) > 0.9 * half && zeros(1) === 0) return 'utf-16be';
  return 'utf-8';
}

/** The same text without a byte-order mark and with every line ended by "\n", so that line numbers mean one thing. */
export function plainText(text: string): string {
  const bare = text.charCodeAt(0) === 0xfeff ? text.slice(1) : text;
  return bare.includes('\r') ? bare.replace(/\r\n?/g, '\n') : bare;
}

/** A decimal number as files write it. Each digit can be matched in one way only, so that long texts take linear time. */
export const DECIMAL = /^[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eEdD][+-]?\d+)?$/;

/** Longer than any number that was measured. */
const LONGEST_NUMBER = 64;

/** The value of a text that is a decimal; Fortran's D stands for E. */
export function valueOf(text: string): number {
  const value = Number(text);
  return value === value ? value : Number(text.replace(/[dD]/, 'e'));
}

/** A finite decimal number; NaN for anything else, such as "", "0x1F", "Infinity" or 1e999. */
export function decimal(text: string): number {
  if (text.length > LONGEST_NUMBER || !DECIMAL.test(text)) return NaN;
  const value = valueOf(text);
  return Number.isFinite(value) ? value : NaN;
}

const SEPARATORS = /[\s;,]+/;

/** Longest row of a table that is looked at. */
const LONGEST_ROW = 2000;

/**
 * Words of one row of numbers, separated by blanks, tabs, semicolons or commas. Where something else separates, a comma
 * between digits is the decimal sign.
 */
export function rowWords(line: string): string[] {
  let text = (line.length > LONGEST_ROW ? line.slice(0, LONGEST_ROW) : line).trim();
  if (text.includes(',')) {
    const separated = /[;\t]/.test(text) || (/\s/.test(text) && !/,\s/.test(text));
    if (separated) text = text.replace(/(\d),(?=\d)/g, '$1.');
  }
  const words = text.split(SEPARATORS);
  // A separator at either end leaves an empty word.
  return words[0] === '' || words.at(-1) === '' ? words.filter(Boolean) : words;
}
