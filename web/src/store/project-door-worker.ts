/** Packs, checks and stores project files beside the page: text of large arrays, their compression and their schemas take seconds. */
import { db } from './db.ts';
import { readProjectFile, storeParts, writeProject } from './project-file.ts';
import type { DoorAnswer, DoorOrder } from './project-door.ts';
import type { ReadProject } from './project-parts.ts';

/** What was read and waits to be stored. */
let waiting: ReadProject | undefined;

async function answerTo(order: DoorOrder): Promise<DoorAnswer> {
  switch (order.kind) {
    case 'write': {
      const chunks = await writeProject(order.id, db, order.unsaved, (part) => postMessage({ kind: 'part', part }));
      return { kind: 'written', file: new Blob(chunks, { type: 'application/zip' }) };
    }
    case 'read': {
      waiting = readProjectFile(order.bytes, order.fileName);
      const { parts, lost } = waiting;
      return { kind: 'read', name: parts.project.name, marks: parts.marks.length, lost };
    }
    case 'store': {
      if (!waiting) throw new Error('No project file was read before.');
      return { kind: 'stored', id: await storeParts(waiting.parts, db) };
    }
  }
}

addEventListener('message', ({ data }: MessageEvent<DoorOrder>) => {
  answerTo(data).then(postMessage, (e: Error) => postMessage({ kind: 'failed', message: e.message }));
});
