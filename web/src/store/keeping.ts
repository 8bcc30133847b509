/** Storing what belongs to a project: not after it was deleted, and not without a word where the browser has no room. */
import type { Table } from 'dexie';
import type { NagareDatabase, ResultRow } from './db.ts';

/** The project was deleted, perhaps in another tab: nothing more is stored of it. */
export class ProjectGone extends Error {
  constructor() {
    super('This project was deleted in another tab. What is on screen can still be exported; nothing more is stored.');
    this.name = 'ProjectGone';
  }
}

/** The browser's storage is full, also after what can be made again was given up. */
export class StorageFull extends Error {
  constructor() {
    super(
      'The browser’s storage is full. Export this project, then delete projects that are no longer needed, or free space on the disk.',
    );
    this.name = 'StorageFull';
  }
}

interface Caused {
  readonly name?: string;
  readonly inner?: Caused;
  readonly cause?: Caused;
}

/** Whether an error comes from a storage without room; a database wraps it in an error of its own. */
export function isFull(error: unknown): boolean {
  for (let e = error as Caused | undefined, depth = 0; e && depth < 6; e = e.inner ?? e.cause, depth++)
    if (e.name === 'QuotaExceededError') return true;
  return false;
}

/** A row without the map, which is made again when its mark is looked at. */
export const withoutMap = ({ map: _, ...rest }: ResultRow): ResultRow => rest;

/**
 * Gives up what can be made again: residual maps of all marks but the one each project stands at, merges, pictures.
 * Returns how many rows were lightened.
 */
export async function makeRoom(db: NagareDatabase): Promise<number> {
  const heads = new Set((await db.projects.toArray()).map((p) => p.head));
  let freed = await db.merges.count();
  await db.merges.clear();
  freed += await db.pictures.count();
  await db.pictures.clear();
  for (const markId of await db.results.toCollection().primaryKeys()) {
    if (heads.has(markId)) continue;
    const row = await db.results.get(markId);
    if (!row?.map) continue;
    // Deleting first: a full storage may have no room for the lighter row beside the old one.
    await db.transaction('rw', db.results, async () => {
      await db.results.delete(markId);
      if (row.covariance) await db.results.put(withoutMap(row));
    });
    freed++;
  }
  return freed;
}

/** Does a piece of storing; where there is no room, once more after room was made. Throws StorageFull. */
export async function withRoom<T>(db: NagareDatabase, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (e) {
    if (!isFull(e)) throw e;
  }
  try {
    await makeRoom(db);
    return await work();
  } catch (e) {
    throw isFull(e) ? new StorageFull() : e;
  }
}

/** Throws ProjectGone where a project is not there (any more). To be called in the transaction that stores. */
export async function demandProject(db: NagareDatabase, projectId: string): Promise<void> {
  if ((await db.projects.where('id').equals(projectId).count()) === 0) throw new ProjectGone();
}

/** Stores a row of a project. Throws ProjectGone or StorageFull. */
export const keepRow = <R extends { readonly projectId: string }>(
  db: NagareDatabase,
  table: Table<R, string>,
  row: R,
): Promise<void> =>
  withRoom(db, () =>
    db.transaction('rw', db.projects, table, async () => {
      await demandProject(db, row.projectId);
      await table.put(row);
    }),
  );

/** Deletes every row whose project is gone: left by a tab that was storing while another deleted. Returns how many. */
export async function sweepOrphans(db: NagareDatabase): Promise<number> {
  const tables = [db.data, db.intake, db.marks, db.models, db.results, db.solves, db.merges] as Table<
    unknown,
    string
  >[];
  tables.push(...([db.patterns, db.powder, db.looks, db.pictures] as Table<unknown, string>[]));
  return db.transaction('rw', [db.projects, ...tables], async () => {
    const known = await db.projects.toCollection().primaryKeys();
    const counts = await Promise.all(tables.map((t) => t.where('projectId').noneOf(known).delete()));
    return counts.reduce((p, q) => p + q, 0);
  });
}

/** Bytes used and bytes allowed, where the browser tells. */
export interface Space {
  readonly used: number;
  readonly allowed: number;
  /** The browser promised not to clear it by itself. */
  readonly lasting: boolean;
}

export async function spaceHere(): Promise<Space | undefined> {
  const storage = globalThis.navigator?.storage;
  if (!storage?.estimate) return undefined;
  const { usage, quota } = await storage.estimate();
  if (usage === undefined || !quota) return undefined;
  return { used: usage, allowed: quota, lasting: (await storage.persisted?.()) ?? false };
}

/** Asks the browser to keep the data until the person deletes them; it may decline. */
export async function askToLast(): Promise<boolean> {
  const storage = globalThis.navigator?.storage;
  if (!storage?.persist) return false;
  return (await storage.persisted()) || storage.persist();
}
