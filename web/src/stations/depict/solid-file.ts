/** A panel as a file of solids. */
import type { Layer } from '@nagare/core/draw/scene';
import type { SolidAnswer, SolidOrder } from './solid-worker.ts';

/** Bytes of a binary glTF or an STL file. Throws Error where they cannot be written. */
export function solidFile(layers: readonly Layer[], kind: SolidOrder['kind']): Promise<Uint8Array<ArrayBuffer>> {
  const worker = new Worker(new URL('./solid-worker.ts', import.meta.url), { type: 'module' });
  return new Promise<Uint8Array<ArrayBuffer>>((resolve, reject) => {
    worker.onmessage = ({ data }: MessageEvent<SolidAnswer>) =>
      'bytes' in data ? resolve(new Uint8Array(data.bytes)) : reject(new Error(data.problem));
    worker.onerror = () =>
      reject(new Error('The solids could not be written. Draw less of the crystal and try again.'));
    worker.postMessage({ layers: layers.filter((l) => l.kind !== 'labels'), kind } satisfies SolidOrder);
  }).finally(() => worker.terminate());
}
