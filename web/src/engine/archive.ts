/** Packing and unpacking of project files, in a worker of its own. */

export type ArchiveOrder =
  | {
      readonly kind: 'pack';
      /** Parts written as JSON that keeps typed arrays. */
      readonly json: Readonly<Record<string, unknown>>;
      /** Parts written as they are. */
      readonly text: Readonly<Record<string, string>>;
    }
  | { readonly kind: 'unpack'; readonly bytes: Uint8Array };

export type ArchiveAnswer =
  | { readonly kind: 'packed'; readonly bytes: Uint8Array<ArrayBuffer> }
  | { readonly kind: 'unpacked'; readonly parts: Record<string, unknown> }
  | { readonly kind: 'failed'; readonly message: string };

function order(what: ArchiveOrder): Promise<ArchiveAnswer> {
  const worker = new Worker(new URL('./archive-worker.ts', import.meta.url), { type: 'module' });
  return new Promise<ArchiveAnswer>((resolve, reject) => {
    worker.addEventListener('message', ({ data }: MessageEvent<ArchiveAnswer>) => resolve(data));
    worker.addEventListener('error', (e) => reject(new Error(e.message || 'Packing stopped unexpectedly.')));
    worker.postMessage(what);
  }).finally(() => worker.terminate());
}

/** A zip of the parts. */
export async function packArchive(
  json: Readonly<Record<string, unknown>>,
  text: Readonly<Record<string, string>>,
): Promise<Uint8Array<ArrayBuffer>> {
  const answer = await order({ kind: 'pack', json, text });
  if (answer.kind === 'packed') return answer.bytes;
  throw new Error(answer.kind === 'failed' ? answer.message : 'Packing gave no file.');
}

/** The JSON parts of a zip by name. Throws Error where it is none. */
export async function unpackArchive(bytes: Uint8Array): Promise<Record<string, unknown>> {
  const answer = await order({ kind: 'unpack', bytes });
  if (answer.kind === 'unpacked') return answer.parts;
  throw new Error(answer.kind === 'failed' ? answer.message : 'Unpacking gave nothing.');
}
