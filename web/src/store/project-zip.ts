/** Zip files in a stream: written part by part and piece by piece, read with a limit on what they unpack to. */
import { strFromU8, strToU8, unzipSync, Zip, ZipDeflate } from 'fflate';
import { decodeWire } from '@nagare/core/tasks/wire';

/** Writes a zip; what is ready is handed on at once, so that no more than a piece is held. */
export class ZipWriter {
  readonly chunks: Uint8Array<ArrayBuffer>[] = [];
  private readonly zip: Zip;
  private failure: Error | undefined;

  constructor() {
    this.zip = new Zip((error, chunk) => {
      if (error) this.failure ??= error;
      else this.chunks.push(new Uint8Array(chunk));
    });
  }

  /** Adds a part of the pieces of its text. Throws Error where packing failed. */
  async part(name: string, pieces: AsyncIterable<string> | Iterable<string>): Promise<void> {
    const file = new ZipDeflate(name, { level: 6 });
    this.zip.add(file);
    for await (const piece of pieces) file.push(strToU8(piece));
    file.push(new Uint8Array(0), true);
    if (this.failure) throw this.failure;
  }

  end(): Uint8Array<ArrayBuffer>[] {
    this.zip.end();
    if (this.failure) throw this.failure;
    return this.chunks;
  }
}

/** Bytes that the parts of a project may unpack to. */
const LARGEST = 600e6;
/** A part that unpacks to more than this many times its packed size was made to fill memory. */
const STEEPEST = 250,
  STEEP_FROM = 20e6;
const MOST_PARTS = 20_000;

/** A zip that would unpack to more than it should. */
export class TooLarge extends Error {
  constructor(name: string) {
    super(`its part ${name.slice(0, 60)} unpacks to far more than a project holds`);
    this.name = 'TooLarge';
  }
}

/** The JSON parts of a zip by name, in our JSON that keeps typed arrays. Throws TooLarge, or Error where it is no zip or cut short. */
export function unzipParts(bytes: Uint8Array): Record<string, unknown> {
  let total = 0,
    parts = 0;
  const files = unzipSync(bytes, {
    filter({ name, size, originalSize }) {
      if (!name.endsWith('.json')) return false;
      total += originalSize;
      const steep = originalSize > STEEP_FROM && originalSize > STEEPEST * size;
      if (total > LARGEST || steep || ++parts > MOST_PARTS) throw new TooLarge(name);
      return true;
    },
  });
  return Object.fromEntries(Object.entries(files).map(([name, content]) => [name, decodeWire(strFromU8(content))]));
}
