/** Packs and unpacks project files beside the page: text of large arrays and their compression take seconds. */
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { decodeWire, encodeWire } from '@nagare/core/tasks/wire';
import type { ArchiveAnswer, ArchiveOrder } from './archive.ts';

function pack({ json, text }: Extract<ArchiveOrder, { kind: 'pack' }>): Uint8Array<ArrayBuffer> {
  const files: Record<string, Uint8Array> = {};
  for (const [name, value] of Object.entries(json)) files[name] = strToU8(encodeWire(value));
  for (const [name, lines] of Object.entries(text)) files[name] = strToU8(lines);
  return new Uint8Array(zipSync(files, { level: 6 }));
}

function unpack(bytes: Uint8Array): Record<string, unknown> {
  const files = unzipSync(bytes);
  return Object.fromEntries(
    Object.entries(files)
      .filter(([name]) => name.endsWith('.json'))
      .map(([name, content]) => [name, decodeWire(strFromU8(content))]),
  );
}

addEventListener('message', ({ data }: MessageEvent<ArchiveOrder>) => {
  let answer: ArchiveAnswer;
  try {
    answer =
      data.kind === 'pack' ? { kind: 'packed', bytes: pack(data) } : { kind: 'unpacked', parts: unpack(data.bytes) };
  } catch (e) {
    answer = { kind: 'failed', message: (e as Error).message };
  }
  postMessage(answer, answer.kind === 'packed' ? { transfer: [answer.bytes.buffer] } : undefined);
});
