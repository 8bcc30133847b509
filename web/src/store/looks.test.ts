import 'fake-indexeddb/auto';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { ownMemory, stubLocalStorage, until } from '../testing/surroundings.ts';
import { addMark } from './course.ts';
import { db, NagareDatabase } from './db.ts';
import { changedLooks, looksRowSchema, NO_LOOKS, type Looks, type Pin } from './looks.ts';
import { openProject } from './project-store.ts';
import type { ProjectState, ProjectStore } from './project-state.ts';
import { addReflections, addStructures, createProject, deleteProject } from './projects.ts';
import { DEFAULT_VIEW } from './view-state.ts';
import type { Recognised } from '@nagare/core/formats/recognise';

const S: Structure = {
  cell: { a: 8, b: 9, c: 10, alpha: 90, beta: 100, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P 1 21/c 1'),
  sites: ['C1', 'C2'].map((label, i) => ({
    id: label,
    label,
    element: 'C',
    position: [0.1 + 0.15 * i, 0.2, 0.3] as const,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.04 },
  })),
};
const PIN: Pin = {
  id: 'one',
  things: [
    { kind: 'point', atoms: [originalRef('C1')] },
    { kind: 'point', atoms: [originalRef('C2')] },
  ],
  names: ['C1', 'C2'],
};
const BONDING = { pairs: [{ elements: ['C', 'C'] as const, cut: 0 }], hidden: [], added: [] };

let name = 0;
let own: NagareDatabase;
const stores: ProjectStore[] = [];
beforeEach(async () => {
  stubLocalStorage();
  own = new NagareDatabase(`looks ${name++}`);
  await own.projects.add({ id: 'p', name: 'Test', created: 1, updated: 1, experiment: { kept: {} } });
  await addMark(own, { projectId: 'p', kind: 'import', title: 'read', content: { kind: 'structure', structure: S } });
});
afterEach(() => {
  for (const s of stores.splice(0)) s.getState().dispose();
  own.close();
});
const open = async (): Promise<ProjectStore> => {
  const store = openProject('p', {
    db: own,
    evaluate: () => ({ result: new Promise(() => {}), cancel: () => {} }),
    memory: ownMemory(),
  });
  stores.push(store);
  await until(store, (s: ProjectState) => s.status === 'ready' && !!s.head);
  return store;
};
const looksOf = (store: ProjectStore): Looks => store.getState().looks;

describe('looks of a project', () => {
  it('are taken back and made again, one after another with the changes of the model', async () => {
    const store = await open();
    const { setLooks, setView, edit, undo, redo } = store.getState();
    setLooks('pin', { pins: [PIN] });
    await edit({ title: 'moved', change: (s) => ({ ...s, sites: s.sites.slice(0, 1) }) });
    setView({ extent: 'cell' });
    const sites = (): number => store.getState().head!.structure!.sites.length;
    await undo();
    expect([store.getState().view.extent, sites(), looksOf(store).pins.length]).toEqual(['unique', 1, 1]);
    await undo();
    expect([sites(), looksOf(store).pins.length]).toEqual([2, 1]);
    await undo();
    expect([sites(), looksOf(store).pins.length]).toEqual([2, 0]);
    await redo();
    await redo();
    await redo();
    expect([store.getState().view.extent, sites(), looksOf(store).pins.length]).toEqual(['cell', 1, 1]);
  });

  it('that follow at once are one step: a handle that is dragged', async () => {
    const store = await open();
    const { setLooks, undo } = store.getState();
    for (const cut of [1, 1.1, 1.2, 1.3])
      setLooks('cut C–C', { bonding: { ...BONDING, pairs: [{ elements: ['C', 'C'], cut }] } });
    setLooks('pin', { pins: [PIN] });
    await undo();
    expect(looksOf(store).bonding!.pairs[0]!.cut).toBe(1.3);
    await undo();
    expect(looksOf(store).bonding).toBeUndefined();
  });

  it('are there again when the project is opened again', async () => {
    const store = await open();
    store.getState().setLooks('pin', { pins: [PIN], bonding: BONDING });
    store.getState().setView({ look: 'sticks' });
    store.getState().dispose();
    await expect.poll(async () => (await own.looks.get('p'))?.looks.pins.length).toBe(1);
    const again = await open();
    expect(looksOf(again)).toMatchObject({ pins: [PIN], bonding: BONDING });
    expect(again.getState().view.look).toBe('sticks');
  });

  it('go back to what is proposed where the bonding is taken away', () => {
    expect(changedLooks({ ...NO_LOOKS, bonding: BONDING }, { pins: [PIN] })).toMatchObject({
      bonding: BONDING,
      pins: [PIN],
    });
    expect('bonding' in changedLooks({ ...NO_LOOKS, bonding: BONDING }, { bonding: undefined })).toBe(false);
  });

  it('are refused from a file where something in them is not known', () => {
    const row = { projectId: 'p', view: DEFAULT_VIEW, looks: { ...NO_LOOKS, pins: [PIN] } };
    expect(looksRowSchema.parse(row)).toEqual(row);
    expect(looksRowSchema.safeParse({ ...row, looks: { ...row.looks, fog: 1 } }).success).toBe(false);
    expect(looksRowSchema.safeParse({ ...row, looks: { ...row.looks, hiddenAtoms: [{ site: 'C1' }] } }).success).toBe(
      false,
    );
  });
});

describe('structures without data', () => {
  const found = (more: object = {}): Recognised =>
    ({
      name: 'Two atoms',
      sentence: '',
      experiment: { kept: {} },
      cell: S.cell,
      spaceGroup: S.spaceGroup,
      structure: S,
      ...more,
    }) as Recognised;
  const RAW = {
    count: 1,
    h: Int16Array.of(1),
    k: Int16Array.of(0),
    l: Int16Array.of(0),
    intensity: Float64Array.of(5),
    sigma: Float64Array.of(0.1),
    merged: false,
  };

  it('keep their first look, and it goes with the project', async () => {
    const id = await createProject(found(), 'two.cif', {
      view: { ...DEFAULT_VIEW, extent: 'closed cell' },
      looks: NO_LOOKS,
    });
    expect((await db.looks.get(id))?.view.extent).toBe('closed cell');
    await deleteProject(id);
    expect(await db.looks.get(id)).toBeUndefined();
  });

  it('become marks of one course, each after the one before', async () => {
    const id = await createProject(found(), 'a.cif');
    await addStructures(id, [
      { found: found({ name: 'second' }), fileName: 'b.cif' },
      { found: found({ name: 'third' }), fileName: 'c.cif' },
    ]);
    const marks = await db.marks.where('projectId').equals(id).sortBy('created');
    expect(marks.map((m) => m.title)).toEqual(['Read from a.cif', 'second', 'third']);
    expect(marks[2]!.parent).toBe(marks[1]!.id);
    expect((await db.projects.get(id))!.head).toBe(marks[2]!.id);
  });

  it('take reflections later, unless those are of another cell', async () => {
    const id = await createProject(found(), 'a.cif');
    const other = found({ raw: RAW, structure: undefined, cell: { ...S.cell, b: 11 } });
    await expect(addReflections(id, other, 'far.cif')).rejects.toThrow(/b = 11.000 Å.*b = 9.000 Å/);
    expect(await db.data.get(id)).toBeUndefined();
    await addReflections(
      id,
      found({ raw: RAW, structure: undefined, experiment: { wavelength: 0.71, kept: { x: 'y' } } }),
      'hkl.cif',
    );
    expect(await db.projects.get(id)).toMatchObject({
      experiment: { wavelength: 0.71, kept: { x: 'y' } },
      cell: { b: 9 },
    });
    const marks = await db.marks.where('projectId').equals(id).sortBy('created');
    expect(marks.map((m) => m.type)).toEqual(['structure', 'crystal']);
    await expect(addReflections(id, found(), 'none.cif')).rejects.toThrow(/no reflections/);
  });
});
