/** What a reader did not take as it was written: each with its line and what was done instead. */

export interface Aside {
  /** Line of the file, counted from 1, where one line can be named. */
  readonly line?: number;
  /** A sentence: what, and what was done. */
  readonly text: string;
}

/** Lines that are named one by one before "and more". */
const NAMED = 8;

/** Lines in words: "line 4", "lines 4, 9 and 12", "lines 4, 9, … and 31 more". */
export function linesText(lines: readonly number[]): string {
  if (lines.length === 1) return `line ${lines[0]}`;
  const named = lines.slice(0, NAMED);
  const rest = lines.length - named.length;
  return rest
    ? `lines ${named.join(', ')} and ${rest} more`
    : `lines ${named.slice(0, -1).join(', ')} and ${named.at(-1)}`;
}

/** Collects asides while a file is read; things of one kind are told together. */
export class Asides {
  private readonly told: { readonly at: number; readonly aside: Aside }[] = [];
  private readonly kinds = new Map<string, { lines: number[]; tell: (count: number, where: string) => string }>();

  /** One thing by itself. */
  add(text: string, line?: number): void {
    this.told.push({ at: line ?? 0, aside: { text, ...(line === undefined ? {} : { line }) } });
  }

  /** One of many of a kind; `tell` makes the sentence from their number and their lines in words. */
  count(kind: string, line: number, tell: (count: number, where: string) => string): void {
    const known = this.kinds.get(kind);
    if (known) known.lines.push(line);
    else this.kinds.set(kind, { lines: [line], tell });
  }

  /** Everything that another reading of the same text told. */
  take(other: Asides): void {
    this.told.push(...other.told);
    for (const [kind, { lines, tell }] of other.kinds) for (const line of lines) this.count(kind, line, tell);
  }

  /** Everything so far, in the order of its lines. */
  all(): Aside[] {
    // Their sentences name the lines themselves.
    const kinds = [...this.kinds.values()].map(({ lines, tell }) => ({
      at: lines[0]!,
      aside: { text: tell(lines.length, linesText(lines)) },
    }));
    return [...this.told, ...kinds].sort((p, q) => p.at - q.at).map((x) => x.aside);
  }
}

/** An aside as one line of text. */
export const asideText = (a: Aside): string =>
  a.line === undefined ? a.text.charAt(0).toUpperCase() + a.text.slice(1) : `Line ${a.line}: ${a.text}`;
