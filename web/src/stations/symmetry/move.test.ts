import 'fake-indexeddb/auto';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { changeStructure, changeTreatment, parseChange } from '@nagare/core/symmetry/change-setting';
import { openCrystal } from '../../testing/crystal-project.ts';
import { until } from '../../testing/surroundings.ts';
import type { ProjectStore } from '../../store/project-state.ts';
import { moveModel, type Move } from './move.ts';

vi.mock('../../engine/engine.ts', () => import('../../testing/near-engine.ts'));

const opened: ProjectStore[] = [];
afterEach(() => opened.splice(0).forEach((s) => s.getState().dispose()));

const crystal = async (pause?: number): Promise<ProjectStore> => {
  const wish = { line: 'CC(O)c1ccccc1Cl', group: 'P 1 21/c 1', seed: 14 };
  const { store } = await openCrystal(pause === undefined ? wish : { ...wish, pause });
  opened.push(store);
  return store;
};

function toOtherAxes(store: ProjectStore, text: string): Move {
  const { head } = store.getState();
  const change = parseChange(text);
  const structure = changeStructure(head!.structure!, change);
  return {
    structure,
    treatment: changeTreatment(head!.treatment, change),
    p: change.p,
    optimizeWeights: false,
    compareR1: true,
    title: `re-set in ${structure.spaceGroup.symbol}`,
  };
}

describe('a model carried to other axes', () => {
  it('is one mark for the change and one for its refinement, with the agreement of all three told', async () => {
    const store = await crystal(5);
    const { head: before } = await until(store, (x) => x.head?.r1 !== undefined);
    const moved = await moveModel(store, toOtherAxes(store, 'a, b, a+c'));
    const { head, marks } = store.getState();
    expect(marks.map((m) => m.title)).toEqual(['read', 're-set in P 1 21/n 1', 'refined in P 2₁/n']);
    expect(moved!.id).toBe(head!.id);
    expect(marks[1]!.parent).toBe(before!.id);
    expect(head!.parent).toBe(marks[1]!.id);
    expect(head!.structure!.spaceGroup.symbol).toBe('P 1 21/n 1');
    expect(head!.basis!.map(Math.round)).toEqual([1, 0, 1, 0, 1, 0, 0, 0, 1]);
    expect(head!.r1).toBeLessThan(0.05);
    expect(head!.readings!.parameters).toBe(9 * before!.structure!.sites.length + 1 - hydrogenParameters(store));
    expect(head!.message).toMatch(
      /^R1 [\d.]+ % in P 2₁\/c, [\d.]+ % re-set in P 2₁\/n, the same to rounding; [\d.]+ % refined again/,
    );
    expect(marks[1]).toMatchObject({ type: 'crystal', wr2: expect.closeTo(before!.wr2!, 4) });
  });

  it('shows its work until the last of it is stored, so that undo finds every mark', async () => {
    const store = await crystal();
    const { id: start } = store.getState().head!;
    const titles: string[] = [];
    const stop = store.subscribe((s, old) => {
      if (old.work && !s.work) titles.push(s.head!.title);
    });
    await moveModel(store, toOtherAxes(store, '-c, b, a+c'));
    stop();
    expect(titles).toEqual([store.getState().head!.title]);
    await store.getState().undo();
    await store.getState().undo();
    expect(store.getState().head!.id).toBe(start);
  });

  it('stopped while it refines, keeps the change', async () => {
    const store = await crystal();
    const moving = moveModel(store, toOtherAxes(store, 'a, b, a+c'));
    await vi.waitFor(() => expect(store.getState().marks).toHaveLength(2), { timeout: 60_000 });
    store.getState().work!.cancel();
    const moved = await moving;
    const { head, marks, work, problem } = store.getState();
    expect(marks).toHaveLength(2);
    expect(head!.id).toBe(moved!.id);
    expect(head!.title).toBe('re-set in P 1 21/n 1');
    expect(head!.r1).toBe(moved!.r1);
    expect([work, problem]).toEqual([undefined, undefined]);
  });
});

/** Parameters that sites refined isotropically lack. */
const hydrogenParameters = (store: ProjectStore): number =>
  5 * store.getState().head!.structure!.sites.filter((s) => s.displacement.kind === 'iso').length;
