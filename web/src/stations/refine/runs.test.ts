import 'fake-indexeddb/auto';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { Structure } from '@nagare/core/crystal/structure';
import type { CycleReport } from '@nagare/core/refine/single-crystal';
import { experimentOf } from '../../store/experiment.ts';
import { db } from '../../store/db.ts';
import type { ProjectStore } from '../../store/project-state.ts';
import { openCrystal } from '../../testing/crystal-project.ts';
import { refineMark } from './refine-work.ts';
import { settleMark, type SettleWish } from './settle-run.ts';

vi.mock('../../engine/engine.ts', () => import('../../testing/near-engine.ts'));

const opened: ProjectStore[] = [];
afterEach(() => opened.splice(0).forEach((s) => s.getState().dispose()));

/** Atoms as a solution gives them: no hydrogens, isotropic, a little off. */
const rough = (truth: Structure): Structure => ({
  ...truth,
  sites: truth.sites
    .filter((x) => x.element !== 'H')
    .map((x, i) => ({
      ...x,
      position: [x.position[0] + 0.004 * Math.sin(i), x.position[1] + 0.003 * Math.cos(i), x.position[2]] as const,
      displacement: { kind: 'iso' as const, u: 0.04 },
    })),
});

async function crystal(): Promise<{ store: ProjectStore; truth: Structure }> {
  const made = await openCrystal({ line: 'CC(O)c1ccccc1Cl', group: 'P 1 21/c 1', seed: 14, model: rough });
  opened.push(made.store);
  return made;
}

const settleWish = (store: ProjectStore, more: Partial<SettleWish> = {}): SettleWish => {
  const { head, merged, project } = store.getState();
  const input = experimentOf(head!, merged!, project!.experiment.wavelength!);
  return { input, disorder: 'ask', place: 'page', onStage: () => undefined, ...more };
};

describe('a refinement of the present mark', () => {
  it('tells its cycles and puts the result on the course', async () => {
    const { store } = await crystal();
    const { head: before } = store.getState();
    const cycles: CycleReport[] = [];
    await refineMark(store, { cycles: 6, onCycle: (c) => cycles.push(c) });
    const { head, marks, result } = store.getState();
    expect(cycles.map((c) => c.cycle)).toEqual(cycles.map((_, i) => i + 1));
    expect(marks).toHaveLength(2);
    expect(head).toMatchObject({ kind: 'refine', parent: before!.id, title: `${cycles.length} cycles` });
    expect(head!.r1).toBeLessThan(0.2);
    expect(head!.readings!.r1).toBe(head!.r1);
    expect(result ?? (await db.results.get(head!.id))).toMatchObject({ map: { sigma: expect.any(Number) } });
  });

  it('says what the displacements became', async () => {
    const { store } = await crystal();
    await refineMark(store, { cycles: 2, displacement: 'aniso' });
    const { head } = store.getState();
    expect(head!.title).toMatch(/^\d+ cycles, anisotropic$/);
    expect(new Set(head!.structure!.sites.map((x) => x.displacement.kind))).toEqual(new Set(['aniso']));
  });

  it('that is stopped leaves the course as it was', async () => {
    const { store } = await crystal();
    const refining = refineMark(store, { cycles: 50, onCycle: () => store.getState().work?.cancel() });
    await refining;
    const { marks, work, problem } = store.getState();
    expect([marks.length, work, problem]).toEqual([1, undefined, undefined]);
  });

  it('is not begun while another runs, and says so', async () => {
    const { store } = await crystal();
    const first = refineMark(store, { cycles: 2 });
    await refineMark(store, { cycles: 2 });
    expect(store.getState().problem).toContain('still running');
    await first;
    expect(store.getState().marks).toHaveLength(2);
  });
});

describe('a settle run', () => {
  it('makes every finished stage a mark after the one before, and tells its decisions with the last', async () => {
    const { store, truth } = await crystal();
    const stages: string[] = [];
    await settleMark(store, settleWish(store, { onStage: (s) => stages.push(s.title) }));
    const { head, marks } = store.getState();
    expect(marks.slice(1).map((m) => m.title)).toEqual(stages);
    marks.slice(1).forEach((m, i) => expect(m.parent).toBe(marks[i]!.id));
    expect(head!.id).toBe(marks.at(-1)!.id);
    expect(head!.r1).toBeLessThan(0.04);
    const hydrogens = (s: Structure): number => s.sites.filter((x) => x.element === 'H').length;
    expect(hydrogens(head!.structure!)).toBe(hydrogens(truth));
  }, 240_000);

  it('that is stopped keeps the stages that ended, and goes on from the last', async () => {
    const { store } = await crystal();
    let ended = 0;
    const onStage = (): void => {
      if (++ended === 2) store.getState().work!.cancel();
    };
    await settleMark(store, settleWish(store, { onStage }));
    const { head, marks, work, problem } = store.getState();
    expect(marks).toHaveLength(3);
    expect(head!.id).toBe(marks.at(-1)!.id);
    expect([work, problem]).toEqual([undefined, undefined]);
  });
});
