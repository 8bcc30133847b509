/** Fonts out of their web wrapping (WOFF File Format 1.0, W3C 2012). */
import { unzlibSync } from 'fflate';

const HEADER = 44,
  ENTRY = 20,
  TTF_HEADER = 12,
  TTF_ENTRY = 16;

/** The TrueType font in a WOFF file. Throws Error for anything else. */
export function trueTypeOf(woff: Uint8Array): Uint8Array<ArrayBuffer> {
  const view = new DataView(woff.buffer, woff.byteOffset, woff.byteLength);
  if (view.byteLength < HEADER || view.getUint32(0) !== 0x774f4646) throw new Error('This is no WOFF font.');
  const count = view.getUint16(12);
  const tables = Array.from({ length: count }, (_, i) => {
    const at = HEADER + ENTRY * i;
    const [offset, packed, length] = [view.getUint32(at + 4), view.getUint32(at + 8), view.getUint32(at + 12)];
    const bytes = woff.subarray(offset, offset + packed);
    return {
      tag: view.getUint32(at),
      sum: view.getUint32(at + 16),
      bytes: packed < length ? unzlibSync(bytes) : bytes,
    };
  });
  const padded = (n: number): number => (n + 3) & ~3;
  const start = TTF_HEADER + TTF_ENTRY * count;
  const out = new Uint8Array(tables.reduce((sum, t) => sum + padded(t.bytes.length), start));
  const to = new DataView(out.buffer);
  const power = 2 ** Math.floor(Math.log2(count));
  to.setUint32(0, view.getUint32(4));
  to.setUint16(4, count);
  to.setUint16(6, 16 * power);
  to.setUint16(8, Math.log2(power));
  to.setUint16(10, 16 * (count - power));
  let offset = start;
  tables.forEach((t, i) => {
    const at = TTF_HEADER + TTF_ENTRY * i;
    to.setUint32(at, t.tag);
    to.setUint32(at + 4, t.sum);
    to.setUint32(at + 8, offset);
    to.setUint32(at + 12, t.bytes.length);
    out.set(t.bytes, offset);
    offset += padded(t.bytes.length);
  });
  return out;
}
