/** CIF 1.1 output: quoting, loops, text fields. */

export type CifValue = string | number | undefined;

/** One value as it stands in a CIF; unknown values become "?". */
export function cifValue(value: CifValue): string {
  if (value === undefined || value === '') return '?';
  if (typeof value === 'number') return Number.isFinite(value) ? String(value) : '?';
  if (value === '?' || value === '.') return value;
  if (/[\n\r]/.test(value)) return `\n;${value.startsWith('\\') ? ' ' : ''}${value.replace(/\n;/g, '\n ;')}\n;`;
  const plain =
    /^[^\s'"#$_;[\]][^\s]*$/.test(value) &&
    !/^(data_|save_|loop_|global_|stop_)/i.test(value) &&
    value !== '?' &&
    value !== '.';
  if (plain) return value;
  // A quote ends the text only before white space.
  if (!/'\s/.test(value) && !value.endsWith("'")) return `'${value}'`;
  if (!/"\s/.test(value) && !value.endsWith('"')) return `"${value}"`;
  return `\n;${value}\n;`;
}

export class CifWriter {
  private readonly lines: string[] = [];

  constructor(block: string) {
    this.lines.push(`data_${block.replace(/[^\x21-\x7e]+/g, '_') || 'nagare'}`, '');
  }

  item(tag: string, value: CifValue): this {
    const text = cifValue(value);
    this.lines.push(text.startsWith('\n') ? tag + text : `${tag.padEnd(40)} ${text}`);
    return this;
  }

  blank(): this {
    this.lines.push('');
    return this;
  }

  /** Writes a loop; nothing when there are no rows. */
  loop(tags: readonly string[], rows: Iterable<readonly CifValue[]>): this {
    const body: string[] = [];
    for (const row of rows) body.push(row.map(cifValue).join(' '));
    if (body.length) this.lines.push('loop_', ...tags.map((t) => ` ${t}`), ...body, '');
    return this;
  }

  toString(): string {
    return `${this.lines.join('\n')}\n`;
  }
}
