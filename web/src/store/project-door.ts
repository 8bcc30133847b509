/** Project files from and to the page; the work is done in a worker that reads and writes the database itself. */
import { Cancelled } from '@nagare/core/task-context';
import type { Running } from '../engine/engine.ts';
import type { UnsavedRows } from './project-file.ts';

export type DoorOrder =
  | { readonly kind: 'write'; readonly id: string; readonly unsaved: UnsavedRows }
  | { readonly kind: 'read'; readonly bytes: Uint8Array; readonly fileName: string }
  | { readonly kind: 'store' };

export type DoorAnswer =
  | { readonly kind: 'part'; readonly part: string }
  | { readonly kind: 'written'; readonly file: Blob }
  | { readonly kind: 'read'; readonly name: string; readonly marks: number; readonly lost: readonly string[] }
  | { readonly kind: 'stored'; readonly id: string }
  | { readonly kind: 'failed'; readonly message: string };

type Of<K extends DoorAnswer['kind']> = Extract<DoorAnswer, { kind: K }>;

class Door {
  private readonly worker = new Worker(new URL('./project-door-worker.ts', import.meta.url), { type: 'module' });
  private stop: ((e: Error) => void) | undefined;

  ask<K extends DoorAnswer['kind']>(order: DoorOrder, kind: K, tell?: (part: string) => void): Promise<Of<K>> {
    return new Promise<Of<K>>((resolve, reject) => {
      this.stop = reject;
      this.worker.onmessage = ({ data }: MessageEvent<DoorAnswer>) => {
        if (data.kind === 'part') tell?.(data.part);
        else if (data.kind === kind) resolve(data as Of<K>);
        else reject(new Error(data.kind === 'failed' ? data.message : 'The answer was not to the question.'));
      };
      this.worker.onerror = (e) => reject(new Error(e.message || 'Packing stopped unexpectedly. Try again.'));
      this.worker.postMessage(order);
    });
  }

  close(): void {
    this.stop?.(new Cancelled());
    this.worker.terminate();
  }
}

const NOTHING: UnsavedRows = { marks: [], models: [], results: [] };

/** A project as a file, with what could not be stored of it. Can be stopped. */
export function exportProject(
  id: string,
  { unsaved = NOTHING, tell }: { unsaved?: UnsavedRows; tell?: (part: string) => void } = {},
): Running<Blob> {
  const door = new Door();
  const result = door.ask({ kind: 'write', id, unsaved }, 'written', tell).then(({ file }) => file);
  return { result: result.finally(() => door.close()), cancel: () => door.close() };
}

/** A project file that was read and not stored yet. */
export interface ReadFile {
  readonly name: string;
  readonly marks: number;
  /** What is damaged and would be left out, a sentence each. */
  readonly lost: readonly string[];
  /** Stores what is whole as a new project and returns its id. Throws Error where there is no room. */
  store(): Promise<string>;
  /** Forgets it. */
  leave(): void;
}

/** Reads a project file. Throws Error in a sentence where nothing of it can be kept. */
export async function openProjectFile(bytes: Uint8Array, fileName: string): Promise<ReadFile> {
  const door = new Door();
  try {
    const { name, marks, lost } = await door.ask({ kind: 'read', bytes, fileName }, 'read');
    return {
      name,
      marks,
      lost,
      store: () =>
        door
          .ask({ kind: 'store' }, 'stored')
          .then(({ id }) => id)
          .finally(() => door.close()),
      leave: () => door.close(),
    };
  } catch (e) {
    door.close();
    throw e;
  }
}
