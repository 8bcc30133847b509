import 'fake-indexeddb/auto';
import Dexie from 'dexie';
import { strToU8, zipSync } from 'fflate';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { Cancelled } from '@nagare/core/task-context';
import { ownMemory, until } from '../testing/surroundings.ts';
import { addMark } from './course.ts';
import { NagareDatabase } from './db.ts';
import { isFull, keepRow, makeRoom, ProjectGone, StorageFull, sweepOrphans, withRoom } from './keeping.ts';
import { readProjectFile, storeParts, writeProject } from './project-file.ts';
import { openProject } from './project-store.ts';
import type { ProjectStore } from './project-state.ts';
import { TooLarge, unzipParts } from './project-zip.ts';

const model: Structure = {
  cell: { a: 8, b: 9, c: 10, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P -1'),
  sites: [
    {
      id: 's',
      label: 'C1',
      element: 'C',
      position: [0.1, 0.2, 0.3],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.04 },
    },
  ],
};
const content = { kind: 'structure', structure: model } as const;
const raw = {
  count: 2,
  h: Int16Array.of(1, 2),
  k: Int16Array.of(0, 1),
  l: Int16Array.of(0, -1),
  intensity: Float64Array.of(5, 6.25),
  sigma: Float64Array.of(0.1, 0.2),
  merged: false,
};
const map = { grid: { nx: 2, ny: 2, nz: 2 }, values: new Float32Array(8), sigma: 0.1, peaks: [], holes: [] } as never;

let name = 0;
let db: NagareDatabase;
/** How many more writes of models find room. */
let room = Infinity;
const stores: ProjectStore[] = [];

beforeEach(async () => {
  db = new NagareDatabase(`keeping ${name++}`);
  room = Infinity;
  db.models.hook('creating', () => {
    if (room-- > 0) return;
    throw new DOMException('no room', 'QuotaExceededError');
  });
  await db.projects.add({ id: 'p', name: 'Test', created: 1, updated: 1, experiment: { kept: {} } });
  await addMark(db, { projectId: 'p', kind: 'import', title: 'read', content, result: { map } });
});
afterEach(() => {
  for (const s of stores.splice(0)) s.getState().dispose();
  db.close();
});

const open = async (): Promise<ProjectStore> => {
  const store = openProject('p', {
    db,
    evaluate: () => ({ result: new Promise(() => undefined), cancel: () => undefined }),
    memory: ownMemory(),
    pause: 5,
  });
  stores.push(store);
  await until(store, (s) => s.status === 'ready' && !!s.head);
  return store;
};
const edit = (store: ProjectStore, x: number): Promise<string | undefined> =>
  store.getState().edit({
    title: `moved to ${x}`,
    change: (s) => ({ ...s, sites: s.sites.map((a) => ({ ...a, position: [x, 0.2, 0.3] as const })) }),
  });

describe('a full storage', () => {
  it('is told from other failures, however it is wrapped', () => {
    const full = new DOMException('', 'QuotaExceededError');
    expect(isFull(full)).toBe(true);
    expect(isFull(new Dexie.AbortError('aborted', full))).toBe(true);
    expect(isFull(new Error('something else'))).toBe(false);
    expect(isFull(undefined)).toBe(false);
  });

  it('gives up what can be made again, and nothing else', async () => {
    const store = await open();
    const first = store.getState().head!.id;
    await edit(store, 0.4);
    await db.results.update(first, { covariance: { made: 'by refinement' } as never });
    await db.merges.put({ key: 'k', projectId: 'p', merge: {} as never });
    await db.results.put({ markId: store.getState().head!.id, projectId: 'p', map });
    expect(await makeRoom(db)).toBe(2);
    // The map of the mark that the project stands at stays, and what only a refinement gives.
    expect(await db.results.get(store.getState().head!.id)).toMatchObject({ map: { sigma: 0.1 } });
    expect(await db.results.get(first)).toEqual({
      markId: first,
      projectId: 'p',
      covariance: { made: 'by refinement' },
    });
    expect(await db.merges.count()).toBe(0);
    expect(await db.models.count()).toBe(2);
  });

  it('tries once more with the room that was made, and says when it is not enough', async () => {
    let asked = 0;
    const work = async (): Promise<string> => {
      if (asked++ === 0) throw new DOMException('', 'QuotaExceededError');
      return 'stored';
    };
    expect(await withRoom(db, work)).toBe('stored');
    await expect(withRoom(db, () => Promise.reject(new DOMException('', 'QuotaExceededError')))).rejects.toThrow(
      StorageFull,
    );
    await expect(withRoom(db, () => Promise.reject(new RangeError('other')))).rejects.toThrow(RangeError);
  });

  it('keeps the newest marks on the page, in the file that is taken home, and stores them when there is room', async () => {
    const store = await open();
    room = 0;
    await edit(store, 0.4);
    await edit(store, 0.5);
    const { unsaved, head, marks } = store.getState();
    expect(unsaved.map((u) => u.mark.title)).toEqual(['moved to 0.4', 'moved to 0.5']);
    expect(head!.structure!.sites[0]!.position[0]).toBe(0.5);
    expect(marks).toHaveLength(3);
    expect(await db.marks.count()).toBe(1);
    // Undo and back again work among what is not stored.
    await store.getState().undo();
    expect(store.getState().head!.structure!.sites[0]!.position[0]).toBe(0.4);
    await store.getState().redo();
    const rows = {
      marks: unsaved.map((u) => u.mark),
      models: unsaved.map((u) => u.model),
      results: [],
    };
    const file = new Blob(await writeProject('p', db, rows));
    const read = readProjectFile(new Uint8Array(await file.arrayBuffer()), 'full.nagare');
    expect(read.lost).toEqual([]);
    expect(read.parts.marks.map((m) => m.title)).toEqual(['read', 'moved to 0.4', 'moved to 0.5']);
    expect(read.parts.project.head).toBe(unsaved[1]!.mark.id);

    await store.getState().saveUnsaved();
    expect(store.getState().problem).toMatch(/storage is full/);
    room = Infinity;
    await store.getState().saveUnsaved();
    expect(store.getState().unsaved).toEqual([]);
    const stored = await db.marks.where('projectId').equals('p').sortBy('created');
    expect(stored.map((m) => [m.title, stored.findIndex((x) => x.id === m.parent)])).toEqual([
      ['read', -1],
      ['moved to 0.4', 0],
      ['moved to 0.5', 1],
    ]);
    expect(await db.models.count()).toBe(3);
  });

  it('stores what waited before what comes next', async () => {
    const store = await open();
    room = 0;
    await edit(store, 0.4);
    room = Infinity;
    await edit(store, 0.5);
    expect(store.getState().unsaved).toEqual([]);
    expect((await db.marks.toArray()).map((m) => m.title).sort()).toEqual(['moved to 0.4', 'moved to 0.5', 'read']);
  });
});

describe('a project that was deleted in another tab', () => {
  it('is said to be gone, ends what runs for it, and leaves nothing behind', async () => {
    const store = await open();
    let stopped = false;
    let stop!: (e: Error) => void;
    const result = new Promise<never>((_, reject) => (stop = reject));
    const work = store.getState().perform('Settling', () => ({
      result,
      cancel: () => {
        stopped = true;
        stop(new Cancelled());
      },
    }));
    await db.transaction('rw', db.tables, async () => {
      await Promise.all(db.tables.map((t) => t.clear()));
      // What slipped in while the other tab deleted.
      await db.models.add({ id: 'late', projectId: 'p', ...content });
    });
    // What the other tab was about to store.
    await expect(keepRow(db, db.solves, { projectId: 'p', candidates: [], nextSeed: 1 })).rejects.toThrow(ProjectGone);
    const late = store.getState().record({ kind: 'settle', title: 'a stage', parent: null, content });
    await expect(late).rejects.toThrow(ProjectGone);
    await until(store, (s) => s.status === 'gone');
    await work;
    expect(stopped).toBe(true);
    await vi.waitFor(async () => expect(await db.models.count()).toBe(0), 20_000);
    for (const table of db.tables) expect([table.name, await table.count()]).toEqual([table.name, 0]);
  });

  it('takes no other project with it', async () => {
    await db.models.add({ id: 'orphan', projectId: 'nowhere', ...content });
    expect(await sweepOrphans(db)).toBe(1);
    expect(await db.models.count()).toBe(1);
    expect(await db.marks.count()).toBe(1);
  });
});

describe('a project file', () => {
  it('comes back as it was, with its reflections readable inside', async () => {
    await db.data.add({ projectId: 'p', raw });
    const bytes = new Uint8Array(await new Blob(await writeProject('p', db)).arrayBuffer());
    const { parts, lost } = readProjectFile(bytes, 'own.nagare');
    expect(lost).toEqual([]);
    expect(parts.raw).toEqual(raw);
    const id = await storeParts(parts, db);
    const [mark] = await db.marks.where('projectId').equals(id).toArray();
    expect(await db.models.get(mark!.model)).toMatchObject(content);
    expect((await db.results.get(mark!.id))!.map).toMatchObject({ sigma: 0.1 });
    expect(new TextDecoder().decode(bytes)).toContain('reflections.txt');
  });

  it('carries the map of the present mark only: the others are made again', async () => {
    const store = await open();
    const first = store.getState().head!.id;
    await db.results.update(first, { covariance: { made: 'by refinement' } as never });
    await store.getState().record({ kind: 'refine', title: 'refined', content, result: { map } });
    const bytes = new Uint8Array(await new Blob(await writeProject('p', db)).arrayBuffer());
    // The schema of covariances has nothing to say to a made-up one.
    const results = unzipParts(bytes)['results.json'] as { markId: string }[];
    expect(results).toHaveLength(2);
    for (const row of results)
      expect(Object.keys(row).sort()).toEqual(
        row.markId === first ? ['covariance', 'markId', 'projectId'] : ['map', 'markId', 'projectId'],
      );
  });

  it('that unpacks to far more than a project holds is not unpacked', () => {
    const bomb = zipSync({ 'nagare.json': strToU8('{}'), 'marks.json': new Uint8Array(60e6) }, { level: 9 });
    expect(bomb.length).toBeLessThan(1e5);
    expect(() => unzipParts(bomb)).toThrow(TooLarge);
    expect(() => readProjectFile(bomb, 'bomb.nagare')).toThrow(
      'bomb.nagare was not opened: its part marks.json unpacks to far more than a project holds.',
    );
  });

  it.each([new Uint8Array(0), new Uint8Array(40), strToU8('PK\u0003\u0004 and no more')])(
    'that is none is said to be none',
    (bytes) => {
      expect(() => readProjectFile(bytes, 'odd.nagare')).toThrow(/is not a Nagare project file, or it was cut short/);
    },
  );
});
