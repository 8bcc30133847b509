import 'fake-indexeddb/auto';
import { readFileSync } from 'node:fs';
import { gunzipSync } from 'node:zlib';
import Dexie from 'dexie';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { Cancelled } from '@nagare/core/task-context';
import { NO_CONTROLS } from '@nagare/core/crystal/controls';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { seededRandom } from '@nagare/core/math/random';
import type { Structure } from '@nagare/core/crystal/structure';
import type { MergedReflections, RawReflections } from '@nagare/core/crystal/reflections';
import type { ResidualTaskResult } from '@nagare/core/tasks/refine-tasks';
import { decodeWire } from '@nagare/core/tasks/wire';
import { CommandQueue } from './command-queue.ts';
import { addMark } from './course.ts';
import { NagareDatabase } from './db.ts';
import type { Evaluate } from './evaluation.ts';
import type { Mark } from './marks.ts';
import { openProject } from './project-store.ts';
import type { ProjectState, ProjectStore } from './project-state.ts';
import { ownMemory, rest, until } from '../testing/surroundings.ts';

const GROUP = spaceGroupFromSymbol('P 1 21/c 1');
const model = (n: number): Structure => ({
  cell: { a: 8, b: 9, c: 10, alpha: 90, beta: 100, gamma: 90 },
  spaceGroup: GROUP,
  sites: Array.from({ length: n }, (_, i) => ({
    id: `s${i}`,
    label: `C${i + 1}`,
    element: 'C',
    position: [0.05 + 0.009 * i, 0.2, 0.3] as const,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.04 },
  })),
});
const reflections: MergedReflections = {
  count: 1,
  h: Int16Array.of(1),
  k: Int16Array.of(0),
  l: Int16Array.of(0),
  fsq: Float64Array.of(5),
  sigma: Float64Array.of(0.1),
  multiplicity: Uint16Array.of(1),
};
const raw: RawReflections = {
  count: 1,
  h: Int16Array.of(1),
  k: Int16Array.of(0),
  l: Int16Array.of(0),
  intensity: Float64Array.of(5),
  sigma: Float64Array.of(0.1),
  merged: false,
};

/** Judges nothing until told; remembers what it was asked. */
class Judge {
  readonly asked: { structure: Structure; answer(r1: number): void; fail(e: Error): void; stopped: boolean }[] = [];
  readonly evaluate: Evaluate = ({ structure }) => {
    let resolve!: (r: ResidualTaskResult) => void, reject!: (e: Error) => void;
    const result = new Promise<ResidualTaskResult>((yes, no) => {
      resolve = yes;
      reject = no;
    });
    const map = {
      grid: { nx: 2, ny: 2, nz: 2 },
      values: new Float32Array(8),
      sigma: 0.1,
      peaks: [],
      holes: [],
    } as unknown as ResidualTaskResult['map'];
    const entry = {
      structure,
      stopped: false,
      answer: (r1: number) => resolve({ r1, wr2: 2 * r1, map }),
      fail: reject,
    };
    this.asked.push(entry);
    return {
      result,
      cancel: () => {
        entry.stopped = true;
        reject(new Cancelled());
      },
    };
  };
}

/** The newest question about a model that nobody took back, once it is there: a busy machine asks late. */
async function asked(judge: Judge, about: (s: Structure) => boolean = () => true): Promise<Judge['asked'][number]> {
  for (;;) {
    const found = judge.asked.findLast((a) => !a.stopped && about(a.structure));
    if (found) return found;
    await rest(5);
  }
}

/** Answers whatever is asked until the head carries the answer: what was taken back meanwhile is asked again. */
async function judged(judge: Judge, store: ProjectStore, r1: number): Promise<void> {
  while (store.getState().head?.r1 !== r1) {
    judge.asked.findLast((a) => !a.stopped)?.answer(r1);
    await rest(5);
  }
}

let name = 0;
let db: NagareDatabase;
const stores: ProjectStore[] = [];

beforeEach(() => {
  db = new NagareDatabase(`test ${name++}`);
});
afterEach(() => {
  for (const s of stores.splice(0)) s.getState().dispose();
  db.close();
});

const open = (judge = new Judge(), pause = 5): ProjectStore => {
  const store = openProject('p', { db, evaluate: judge.evaluate, memory: ownMemory(), pause });
  stores.push(store);
  return store;
};
/** A project with one mark of twelve sites, with data or without. */
async function project(withData: boolean): Promise<void> {
  await db.projects.add({ id: 'p', name: 'Test', created: 1, updated: 1, experiment: { wavelength: 0.71, kept: {} } });
  if (withData) {
    await db.data.add({ projectId: 'p', raw });
    await db.intake.add({
      projectId: 'p',
      raw,
      merge: { reflections, statistics: { measured: 1 } } as never,
      mergedFor: GROUP.hall,
    });
  }
  await addMark(db, {
    projectId: 'p',
    kind: 'import',
    title: 'read',
    content: { kind: 'structure', structure: model(12) },
  });
}
const ready = (store: ProjectStore): Promise<ProjectState> => until(store, (s) => s.status === 'ready' && !!s.head);
const move = (i: number, y: number) => (s: Structure) => ({
  ...s,
  sites: s.sites.map((x, k) => (k === i % s.sites.length ? { ...x, position: [x.position[0], y, 0.3] as const } : x)),
});

describe('a project that is open', () => {
  it('keeps a hundred edits fired at once, in their order', async () => {
    await project(false);
    const store = open();
    await ready(store);
    const edits = Array.from({ length: 100 }, (_, i) =>
      store.getState().edit({ title: `edit ${i}`, change: move(i, 0.2 + 0.001 * (i + 1)) }),
    );
    expect((await Promise.all(edits)).every((id) => typeof id === 'string')).toBe(true);
    const marks = await db.marks.where('projectId').equals('p').sortBy('created');
    expect(marks).toHaveLength(101);
    // One chain: every mark is the child of the one before.
    marks.slice(1).forEach((m, i) => {
      expect(m.title).toBe(`edit ${i}`);
      expect(m.parent).toBe(marks[i]!.id);
    });
    const { head } = store.getState();
    expect(head!.id).toBe(marks.at(-1)!.id);
    // The last edit of each site stands.
    head!.structure!.sites.forEach((x, i) => {
      const last = Array.from({ length: 100 }, (_, e) => e)
        .filter((e) => e % 12 === i)
        .at(-1)!;
      expect(x.position[1]).toBeCloseTo(0.2 + 0.001 * (last + 1), 12);
    });
  });

  it('carries edits made from one rendered model over one another', async () => {
    await project(false);
    const store = open();
    const { head } = await ready(store);
    const from = head!.structure!;
    // As two clicks before the page is drawn again: both were made from the same model.
    const gone = (id: string): Structure => ({ ...from, sites: from.sites.filter((x) => x.id !== id) });
    await Promise.all([
      store.getState().edit({ title: 'one', change: gone('s1'), from }),
      store.getState().edit({ title: 'other', change: gone('s2'), from }),
      store.getState().edit({ title: 'one again', change: gone('s1'), from }),
    ]);
    expect(store.getState().head!.structure!.sites.map((x) => x.id)).not.toContain('s1');
    expect(store.getState().head!.structure!.sites).toHaveLength(10);
    // What changes nothing leaves no mark.
    expect(await db.marks.count()).toBe(3);
  });

  it('refuses an edit in words, and rules that cannot both hold', async () => {
    await project(false);
    const store = open();
    await ready(store);
    expect(await store.getState().edit({ title: 'no', change: () => 'That cannot be done.' })).toBeUndefined();
    expect(store.getState().problem).toBe('That cannot be done.');
    const rigid = (id: string, ...sites: string[]) => ({ id, kind: 'rigid group' as const, sites });
    const done = await store.getState().edit({
      title: 'two rigid groups',
      change: (s) => ({
        ...s,
        controls: { ...NO_CONTROLS, constraints: [rigid('a', 's0', 's1', 's2'), rigid('b', 's2', 's3', 's4')] },
      }),
    });
    expect(done).toBeUndefined();
    expect(store.getState().problem).toMatch(/Two rules cannot both hold: C1, C2, C3/);
    expect(await db.marks.count()).toBe(1);
  });

  it('undoes right after an edit, and in the middle of an evaluation', async () => {
    await project(true);
    const judge = new Judge();
    const store = open(judge);
    const first = await ready(store);
    await judged(judge, store, 0.1);
    void store.getState().edit({ title: 'moved', change: move(0, 0.4) });
    await store.getState().undo();
    expect(store.getState().head!.id).toBe(first.head!.id);
    await store.getState().redo();
    expect(store.getState().head!.title).toBe('moved');
    const middle = await asked(judge, (s) => s.sites[0]!.position[1] === 0.4);
    await store.getState().undo();
    expect(middle.stopped).toBe(true);
    await rest(40);
    expect(store.getState().head!.id).toBe(first.head!.id);
    expect((await db.marks.toArray()).map((m) => m.type === 'crystal' && m.r1)).toEqual([0.1, undefined]);
  });

  it('judges only the model at which the edits come to rest, and none twice', async () => {
    await project(true);
    const judge = new Judge();
    // Long enough that five edits come within it on a machine that is busy.
    const store = open(judge, 500);
    await ready(store);
    for (let i = 0; i < 5; i++) void store.getState().edit({ title: `${i}`, change: move(i, 0.5) });
    await store.getState().idle();
    await rest(800);
    expect(judge.asked).toHaveLength(1);
    judge.asked[0]!.answer(0.08);
    await until(store, (s) => s.head?.r1 === 0.08);
    expect(store.getState().head!.wr2).toBe(0.16);
    const { structure } = store.getState().head!;
    await store.getState().nameMark(store.getState().head!.id, 'the good one');
    await until(store, (s) => s.head?.mark.name === 'the good one');
    await rest(700);
    expect(judge.asked).toHaveLength(1);
    // The model is the same object: what is known of it stays known.
    expect(store.getState().head!.structure).toBe(structure);
  });

  it('says that more is to come until the head is judged, and no more where there is nothing to judge it by', async () => {
    await project(true);
    const judge = new Judge();
    const store = open(judge);
    await ready(store);
    const question = await asked(judge);
    expect(store.getState().moreToCome).toBe(true);
    question.answer(0.05);
    const known = await until(store, (s) => !s.moreToCome);
    expect(known.result?.map).toBeDefined();
    expect(known.merged).toBeDefined();

    await store.getState().edit({ title: 'moved', change: move(3, 0.77) });
    expect(store.getState().moreToCome).toBe(true);
    (await asked(judge, (s) => s.sites[3]!.position[1] === 0.77)).fail(new Error('no memory'));
    const failed = await until(store, (s) => !s.moreToCome);
    expect(failed.result?.map).toBeUndefined();
    expect(failed.problem).toContain('no memory');
  });

  it('has nothing more to come for a model without data', async () => {
    await project(false);
    const judge = new Judge();
    const store = open(judge);
    await ready(store);
    const { head, merged } = await until(store, (s) => !s.moreToCome);
    expect(head?.structure?.sites).toHaveLength(12);
    expect(merged).toBeUndefined();
    expect(judge.asked).toHaveLength(0);
  });

  it('keeps rows that did not change the objects they were', async () => {
    await project(false);
    const store = open();
    await ready(store);
    await store.getState().edit({ title: 'a', change: move(0, 0.4) });
    await store.getState().edit({ title: 'b', change: move(1, 0.4) });
    await rest(40);
    const before = store.getState().marks;
    await store.getState().nameMark(before[1]!.id, 'named');
    await until(store, (s) => s.marks.some((m) => m.name === 'named'));
    const after = store.getState().marks;
    expect(after.map((m, i) => m === before[i])).toEqual([true, false, true]);
  });

  it('shares a project between two tabs that each keep their place', async () => {
    await project(false);
    const one = open(),
      two = open();
    await Promise.all([ready(one), ready(two)]);
    const work = (tab: ProjectStore, who: number): Promise<unknown>[] =>
      Array.from({ length: 20 }, (_, i) =>
        tab.getState().edit({ title: `tab ${who}, ${i}`, change: move(i, 0.4 + 0.01 * who + 0.001 * i) }),
      );
    await Promise.all([...work(one, 1), ...work(two, 2)]);
    await until(one, (s) => s.marks.length === 41);
    await until(two, (s) => s.marks.length === 41);
    const marks = new Map((await db.marks.toArray()).map((m) => [m.id, m]));
    for (const [tab, who] of [
      [one, 1],
      [two, 2],
    ] as const) {
      const chain: Mark[] = [];
      for (let m = marks.get(tab.getState().head!.id); m; m = m.parent ? marks.get(m.parent) : undefined)
        chain.unshift(m);
      expect(chain.slice(1).map((m) => m.title)).toEqual(Array.from({ length: 20 }, (_, i) => `tab ${who}, ${i}`));
    }
  });

  it.each([1, 2, 3, 4])('keeps a hundred edits and undos at random gaps in each of two tabs, seed %i', async (seed) => {
    await project(false);
    const random = seededRandom(seed);
    const tabs = [open(), open()];
    await Promise.all(tabs.map(ready));
    // What a person expects to stand on: the titles from the first mark to the present one.
    const expected: string[][] = [[], []];
    for (let i = 0; i < 200; i++) {
      const who = random.below(2);
      const tab = tabs[who]!.getState();
      if (random.next() < 0.3) {
        void tab.undo();
        expected[who]!.pop();
      } else {
        const title = `${who}.${i}`;
        void tab.edit({ title, change: move(i, 0.3 + 0.001 * i) });
        expected[who]!.push(title);
      }
      if (random.next() < 0.4) await rest(random.below(12));
    }
    await Promise.all(tabs.map((t) => t.getState().idle()));
    const marks = new Map((await db.marks.toArray()).map((m) => [m.id, m]));
    const models = new Set((await db.models.toArray()).map((m) => m.id));
    tabs.forEach((tab, who) => {
      const titles: string[] = [];
      for (let m = marks.get(tab.getState().head!.id); m?.parent; m = marks.get(m.parent)) titles.unshift(m.title);
      expect(titles).toEqual(expected[who]);
    });
    for (const m of marks.values()) {
      expect(models.has(m.model)).toBe(true);
      expect(m.parent === undefined || marks.has(m.parent)).toBe(true);
    }
    expect(models.size).toBe(marks.size);
  });

  it('undoes among edits at random gaps without losing the thread', async () => {
    await project(false);
    const store = open();
    await ready(store);
    let expected = 0;
    for (let i = 0; i < 40; i++) {
      if (i % 5 === 4) {
        void store.getState().undo();
        expected--;
      } else {
        void store.getState().edit({ title: `${i}`, change: move(i, 0.3 + 0.002 * i) });
        expected++;
      }
      if (i % 3 === 0) await rest(i % 4);
    }
    await store.getState().idle();
    const marks = new Map((await db.marks.toArray()).map((m) => [m.id, m]));
    let depth = 0;
    for (let m = marks.get(store.getState().head!.id); m?.parent; m = marks.get(m.parent)) depth++;
    expect(depth).toBe(expected);
    expect(marks.size).toBe(33);
  });

  it('does one long work at a time and says what fails', async () => {
    await project(false);
    const store = open();
    await ready(store);
    let finish!: (v: number) => void;
    const first = store.getState().perform('Working', (tell) => {
      tell('half done');
      return { result: new Promise<number>((r) => (finish = r)), cancel: () => undefined };
    });
    expect(store.getState().work).toMatchObject({ title: 'Working' });
    await until(store, (s) => s.work?.detail === 'half done');
    const second = await store
      .getState()
      .perform('More', () => ({ result: Promise.resolve(1), cancel: () => undefined }));
    expect(second).toBeUndefined();
    expect(store.getState().problem).toMatch(/still running/);
    finish(7);
    expect(await first).toBe(7);
    expect(store.getState().work).toBeUndefined();
    const failing = { result: Promise.reject(new Error('No memory.')), cancel: () => undefined };
    expect(await store.getState().perform('Fails', () => failing)).toBeUndefined();
    expect(store.getState().problem).toBe('No memory.');
    const stopped = { result: Promise.reject(new Cancelled()), cancel: () => undefined };
    await store.getState().perform('Stopped', () => stopped);
    expect(store.getState().problem).toBeUndefined();
  });

  it('says when a project is not there', async () => {
    const store = open();
    await until(store, (s) => s.status === 'missing');
    expect(store.getState().project).toBeUndefined();
  });

  it('keeps a selection that is still there from mark to mark', async () => {
    await project(false);
    const store = open();
    await ready(store);
    const atom = (site: string) => ({ site, operator: 0, shift: [0, 0, 0] as const });
    store.getState().select([atom('s1'), atom('s2')]);
    await store.getState().edit({
      title: 'gone',
      change: (s) => ({ ...s, sites: s.sites.filter((x) => x.id !== 's1') }),
    });
    expect(store.getState().selection).toEqual([atom('s2')]);
  });
});

describe('the queue of commands', () => {
  it('goes on after a command that failed', async () => {
    const queue = new CommandQueue();
    const done: number[] = [];
    const failed = queue.add(() => Promise.reject(new Error('no')));
    const after = queue.add(async () => void done.push(1));
    await expect(failed).rejects.toThrow('no');
    await after;
    await queue.idle();
    expect(done).toEqual([1]);
  });
});

/** Rows as a browser of an earlier version held them. */
function oldRows(file: string): Record<string, unknown[]> & { version: never } {
  const packed = readFileSync(new URL(`./fixtures/${file}.gz`, import.meta.url));
  return decodeWire(gunzipSync(packed).toString('utf8')) as never;
}

describe('a browser that was used before', () => {
  it.each(['version-3-crystal.json', 'version-3-powder.json'])('%s is brought to the present shape', async (file) => {
    const rows = oldRows(file);
    const label = `old ${name++}`;
    const before = new Dexie(label);
    before.version(3).stores({
      projects: 'id, updated',
      data: 'projectId',
      intake: 'projectId',
      marks: 'id, projectId, created',
      results: 'markId, projectId',
      solves: 'projectId',
      merges: 'key, projectId',
      patterns: 'id, projectId',
      powder: 'projectId',
      instruments: 'name',
      shelf: 'id',
    });
    for (const table of before.tables) await table.bulkAdd(rows[table.name] ?? []);
    before.close();
    const now = new NagareDatabase(label);
    const old = rows['marks'] as { id: string; title: string; structure: Structure; r1?: number; fit?: unknown }[];
    const marks = await now.marks.toArray();
    expect(marks.map((m) => m.id).sort()).toEqual(old.map((m) => m.id).sort());
    for (const was of old) {
      const mark = marks.find((m) => m.id === was.id)!;
      const row = (await now.models.get(mark.model))!;
      expect(mark).toMatchObject({ title: was.title, revision: 0, type: was.fit ? 'fit' : 'crystal' });
      expect(mark).not.toHaveProperty('structure');
      expect(mark).not.toHaveProperty('fit');
      if (row.kind === 'fit') expect(row.fit).toEqual(was.fit);
      else expect(row.structure).toEqual(was.structure);
      if (mark.type === 'crystal') expect(mark.r1).toBe(was.r1);
      if (mark.type === 'fit') expect(mark.rwp).toBe(was.r1);
    }
    const [project] = await now.projects.toArray();
    const store = openProject(project!.id, {
      db: now,
      evaluate: new Judge().evaluate,
      memory: ownMemory(),
    });
    stores.push(store);
    const state = await ready(store);
    expect(state.head!.id).toBe(project!.head);
    now.close();
  });
});
