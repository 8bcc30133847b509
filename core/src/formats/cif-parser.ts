/**
 * CIF 1.1 (International Tables G, 2.2): text to data blocks, with the line of every value.
 * Unknown (?) and inapplicable (.) values are kept apart from quoted ones by the constants below.
 */
export const UNKNOWN = '\u0000?';
export const INAPPLICABLE = '\u0000.';

export interface CifLoop {
  /** Lower-case data names with dots turned to underscores. */
  readonly tags: readonly string[];
  /** Row after row. */
  readonly values: readonly string[];
  /** Line on which the loop's first value stands. */
  readonly line: number;
  /** Line on which a value stands, by its place in `values`; asked in rising order it reads the loop once. */
  lineOf(value: number): number;
}

export interface CifItem {
  readonly value: string;
  /** Line of the data name. */
  readonly line: number;
  /** Line on which the value begins. */
  readonly valueLine: number;
}

export interface CifBlock {
  readonly name: string;
  readonly line: number;
  readonly items: ReadonlyMap<string, CifItem>;
  readonly loops: readonly CifLoop[];
}

/** A problem in a file, with its line and what to do. */
export class FileProblem extends Error {
  constructor(
    message: string,
    readonly line?: number,
  ) {
    super(line === undefined ? message : `Line ${line}: ${message}`);
    this.name = 'FileProblem';
  }
}

/** One spelling for old and new names: lower case, "_cell.length_a" as "_cell_length_a". */
export const normalizeTag = (tag: string): string => tag.toLowerCase().replace(/\./g, '_');

const enum Kind {
  Value,
  Tag,
  Loop,
  Data,
  Save,
  End,
}

class Scanner {
  position = 0;
  line = 1;
  kind: Kind = Kind.End;
  text = '';
  /** Line on which the current token starts. */
  tokenLine = 1;

  constructor(
    private readonly source: string,
    start?: { position: number; line: number },
  ) {
    // Not part of a data block: the byte-order mark some editors leave.
    if (source.charCodeAt(0) === 0xfeff) this.position = 1;
    if (start) ({ position: this.position, line: this.line } = start);
  }

  next(): void {
    const s = this.source;
    const n = s.length;
    for (;;) {
      let c = 0;
      while (this.position < n && (c = s.charCodeAt(this.position)) <= 32) {
        if (c === 10 || (c === 13 && s.charCodeAt(this.position + 1) !== 10)) this.line++;
        this.position++;
      }
      if (this.position >= n) {
        this.kind = Kind.End;
        this.tokenLine = this.line;
        return;
      }
      if (c !== 35) break;
      while (this.position < n && (c = s.charCodeAt(this.position)) !== 10 && c !== 13) this.position++;
    }
    const start = this.position;
    const first = s.charCodeAt(start);
    this.tokenLine = this.line;
    const previous = start ? s.charCodeAt(start - 1) : 10;
    if (first === 59 && (previous === 10 || previous === 13)) return this.textField(start);
    if (first === 39 || first === 34) return this.quoted(start, first);
    let end = start;
    while (end < n && s.charCodeAt(end) > 32) end++;
    const token = s.slice(start, end);
    this.position = end;
    this.text = token;
    this.kind = Kind.Value;
    if (first === 95) {
      this.kind = Kind.Tag;
      this.text = normalizeTag(token);
    } else if (token === '?') this.text = UNKNOWN;
    else if (token === '.') this.text = INAPPLICABLE;
    else if (
      (end - start >= 5 && token.charCodeAt(4) === 95) ||
      (end - start >= 7 && first !== 45 && (first < 48 || first > 57))
    ) {
      const lower = token.toLowerCase();
      if (lower === 'loop_') this.kind = Kind.Loop;
      else if (lower.startsWith('data_')) {
        this.kind = Kind.Data;
        this.text = token.slice(5);
      } else if (lower.startsWith('save_')) this.kind = Kind.Save;
      else if (lower === 'global_' || lower === 'stop_')
        throw new FileProblem(
          `"${token.slice(0, 80)}" is reserved and may not stand in a CIF. Remove it or put it in quotes.`,
          this.line,
        );
    }
  }

  private textField(start: number): void {
    const s = this.source;
    const opened = this.line;
    let search = start + 1;
    for (;;) {
      const at = s.indexOf(';', search);
      if (at < 0)
        throw new FileProblem(
          'a text field opens here with ";" and is never closed by another ";" at the start of a line.',
          opened,
        );
      const before = s.charCodeAt(at - 1);
      if (before === 10 || before === 13) {
        let end = at - 1;
        if (before === 10 && s.charCodeAt(end - 1) === 13) end--;
        const content = s.slice(start + 1, Math.max(start + 1, end));
        for (let i = start; i < at; i++)
          if (s.charCodeAt(i) === 10 || (s.charCodeAt(i) === 13 && s.charCodeAt(i + 1) !== 10)) this.line++;
        this.position = at + 1;
        this.kind = Kind.Value;
        this.text = unfold(content);
        return;
      }
      search = at + 1;
    }
  }

  private quoted(start: number, quote: number): void {
    const s = this.source;
    for (let i = start + 1; i <= s.length; i++) {
      const c = i < s.length ? s.charCodeAt(i) : 10;
      if (c === 10 || c === 13)
        throw new FileProblem(
          `a quoted text is not closed on its line: "${s
            .slice(start + 1, Math.min(i, start + 40))
            .replaceAll('"', "'")
            .trim()}".`,
          this.line,
        );
      // A quote inside the text does not end it unless white space follows.
      if (c === quote && (i + 1 >= s.length || s.charCodeAt(i + 1) <= 32)) {
        this.position = i + 1;
        this.kind = Kind.Value;
        this.text = s.slice(start + 1, i);
        return;
      }
    }
  }
}

/** Joins folded lines: a field that opens with "\" continues every line that ends with one. */
function unfold(text: string): string {
  return /^\\[ \t]*(\r?\n|\r)/.test(text) ? text.replace(/\\[ \t]*(?:\r\n|\n|\r)/g, '').replace(/\\[ \t]*$/, '') : text;
}

/** Lines of a loop's values, found by reading it again from where it begins: most loops are never asked. */
function lineFinder(source: string, start: { position: number; line: number }): (value: number) => number {
  let scanner = new Scanner(source, start);
  let at = -1;
  return (value) => {
    if (value < at) {
      scanner = new Scanner(source, start);
      at = -1;
    }
    for (; at < value; at++) scanner.next();
    return scanner.tokenLine;
  };
}

/** Reads a CIF; throws FileProblem with the line where the syntax breaks. `progress` hears the fraction read, about every megabyte. */
export function parseCif(source: string, progress?: (fraction: number) => void): CifBlock[] {
  const scanner = new Scanner(source);
  const blocks: CifBlock[] = [];
  const byName = new Map<string, CifBlock>();
  let items = new Map<string, CifItem>();
  let loops: CifLoop[] = [];
  let current: CifBlock | undefined;
  let told = 0;
  scanner.next();
  while (scanner.kind !== Kind.End) {
    const line = scanner.tokenLine;
    if (progress && scanner.position - told > 1e6) progress((told = scanner.position) / source.length);
    if (scanner.kind === Kind.Data) {
      items = new Map();
      loops = [];
      current = { name: scanner.text, line, items, loops };
      const twin = byName.get(scanner.text.toLowerCase());
      if (twin)
        throw new FileProblem(
          `the data block "${scanner.text.slice(0, 80)}" was already opened on line ${twin.line}. Give one of them another name.`,
          line,
        );
      blocks.push(current);
      byName.set(scanner.text.toLowerCase(), current);
      scanner.next();
      continue;
    }
    if (!current)
      throw new FileProblem('a CIF must begin with a data block ("data_name"); this line stands before any.', line);
    if (scanner.kind === Kind.Save)
      throw new FileProblem('save frames belong to dictionaries, not to data files.', line);
    if (scanner.kind === Kind.Loop) {
      const named = new Set<string>();
      // Where the values begin: behind the last name.
      let start = { position: scanner.position, line: scanner.line };
      scanner.next();
      while ((scanner.kind as Kind) === Kind.Tag) {
        if (named.has(scanner.text))
          throw new FileProblem(`the loop names ${scanner.text.slice(0, 80)} twice.`, scanner.tokenLine);
        named.add(scanner.text);
        start = { position: scanner.position, line: scanner.line };
        scanner.next();
      }
      const tags = [...named];
      if (!tags.length) throw new FileProblem('"loop_" must be followed by data names.', line);
      const values: string[] = [];
      const firstLine = scanner.tokenLine;
      while ((scanner.kind as Kind) === Kind.Value) {
        values.push(scanner.text);
        if (progress && scanner.position - told > 1e6) progress((told = scanner.position) / source.length);
        scanner.next();
      }
      if (values.length % tags.length || !values.length)
        throw new FileProblem(
          `the loop of ${tags[0].slice(0, 80)} has ${tags.length} columns but ${values.length} values, which do not fill whole rows. Look for a missing value or an unquoted blank before line ${scanner.tokenLine}.`,
          line,
        );
      loops.push({ tags, values, line: firstLine, lineOf: lineFinder(source, start) });
    } else if (scanner.kind === Kind.Tag) {
      const tag = scanner.text;
      scanner.next();
      if ((scanner.kind as Kind) !== Kind.Value)
        throw new FileProblem(`${tag.slice(0, 80)} has no value. Write "?" where it is unknown.`, line);
      if (items.has(tag))
        throw new FileProblem(
          `${tag.slice(0, 80)} is given twice in the block "${current.name.slice(0, 80)}"; the first stands on line ${items.get(tag)!.line}.`,
          line,
        );
      items.set(tag, { value: scanner.text, line, valueLine: scanner.tokenLine });
      scanner.next();
    } else
      throw new FileProblem(
        `"${scanner.text.slice(0, 40)}" stands where a data name is expected. Text with blanks needs quotes.`,
        line,
      );
  }
  if (!blocks.length) throw new FileProblem('the file holds no data block, so it is not a CIF.');
  return blocks;
}

interface Column {
  readonly loop: CifLoop;
  readonly column: number;
}

const columnsOfBlock = new WeakMap<CifBlock, ReadonlyMap<string, readonly Column[]>>();

/** Every column of every loop of a block by its name; worked out once a block, since hundreds of names are asked for. */
function columnsByTag(block: CifBlock): ReadonlyMap<string, readonly Column[]> {
  const known = columnsOfBlock.get(block);
  if (known) return known;
  const out = new Map<string, Column[]>();
  for (const loop of block.loops)
    loop.tags.forEach((tag, column) => {
      const there = out.get(tag);
      if (there) there.push({ loop, column });
      else out.set(tag, [{ loop, column }]);
    });
  columnsOfBlock.set(block, out);
  return out;
}

const isKnown = (value: string | undefined): value is string =>
  value !== undefined && value !== UNKNOWN && value !== INAPPLICABLE;

/** A value with the line it stands on. */
export interface Written {
  readonly text: string;
  readonly line: number;
}

/** First known value among several names, with its line; unknown and inapplicable count as absent. */
export function itemWritten(block: CifBlock, ...tags: string[]): Written | undefined {
  const columns = columnsByTag(block);
  for (const tag of tags) {
    const direct = block.items.get(tag);
    if (direct && isKnown(direct.value)) return { text: direct.value, line: direct.line };
    for (const { loop, column } of columns.get(tag) ?? [])
      if (isKnown(loop.values[column])) return { text: loop.values[column], line: loop.lineOf(column) };
  }
  return undefined;
}

/** First known value among several names; unknown and inapplicable count as absent. */
export function itemText(block: CifBlock, ...tags: string[]): string | undefined {
  const columns = columnsByTag(block);
  for (const tag of tags) {
    const direct = block.items.get(tag)?.value;
    if (isKnown(direct)) return direct;
    for (const { loop, column } of columns.get(tag) ?? []) {
      const value = loop.values[column];
      if (isKnown(value)) return value;
    }
  }
  return undefined;
}

/** The loop holding a data name, if there is one. */
export const loopWith = (block: CifBlock, ...tags: string[]): CifLoop | undefined => {
  const columns = columnsByTag(block);
  const found = new Set(tags.flatMap((t) => (columns.get(t) ?? []).map((c) => c.loop)));
  return block.loops.find((l) => found.has(l));
};

/** The loop holding a data name; a category with one row may as well stand as single items, whose names begin with `prefix`. */
export function loopOrRow(block: CifBlock, prefix: string, ...tags: string[]): CifLoop | undefined {
  const loop = loopWith(block, ...tags);
  if (loop || !tags.some((t) => block.items.has(t))) return loop;
  const row = [...block.items].filter(([name]) => name.startsWith(prefix));
  return {
    tags: row.map(([name]) => name),
    values: row.map(([, item]) => item.value),
    line: row[0]![1].valueLine,
    lineOf: (i) => row[i]![1].valueLine,
  };
}
