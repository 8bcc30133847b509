import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { describe, expect, it } from 'vitest';
import { trueTypeOf } from './woff.ts';

const font = createRequire(import.meta.url).resolve(
  '@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-400-normal.woff',
);

/** The sum of a table as TrueType counts it: of its 32-bit words. */
function sumOf(bytes: Uint8Array): number {
  const padded = new Uint8Array((bytes.length + 3) & ~3);
  padded.set(bytes);
  const view = new DataView(padded.buffer);
  let sum = 0;
  for (let i = 0; i < padded.length; i += 4) sum = (sum + view.getUint32(i)) >>> 0;
  return sum;
}

describe('a font out of its wrapping', () => {
  const ttf = trueTypeOf(new Uint8Array(readFileSync(font)));
  const view = new DataView(ttf.buffer);
  const tables = Array.from({ length: view.getUint16(4) }, (_, i) => {
    const at = 12 + 16 * i;
    const tag = String.fromCharCode(...ttf.subarray(at, at + 4));
    return { tag, sum: view.getUint32(at + 4), offset: view.getUint32(at + 8), length: view.getUint32(at + 12) };
  });

  it('has the tables of a TrueType font, each with the sum that is told of it', () => {
    expect(view.getUint32(0)).toBe(0x00010000);
    const tags = tables.map((t) => t.tag);
    for (const tag of ['cmap', 'glyf', 'head', 'hhea', 'hmtx', 'loca', 'maxp']) expect(tags).toContain(tag);
    for (const { tag, sum, offset, length } of tables) {
      // That of the head is told without its own adjustment.
      if (tag === 'head') continue;
      expect(sumOf(ttf.subarray(offset, offset + length))).toBe(sum);
    }
  });

  it('is refused where there is none', () => {
    expect(() => trueTypeOf(new Uint8Array(10))).toThrow('no WOFF font');
    expect(() => trueTypeOf(new Uint8Array(100))).toThrow('no WOFF font');
  });
});
