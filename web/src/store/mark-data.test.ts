import 'fake-indexeddb/auto';
import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Mat3 } from '@nagare/core/math/matrix3';
import { asked } from '../testing/near-engine.ts';
import { openCrystal } from '../testing/crystal-project.ts';
import { db, mergeServes, type IntakeRow } from './db.ts';
import { inAxesOf, mergedData, mergedForModel, mergeKey } from './mark-data.ts';
import type { ProjectStore } from './project-state.ts';

vi.mock('../engine/engine.ts', () => import('../testing/near-engine.ts'));

let store: ProjectStore, id: string, intake: IntakeRow;
beforeAll(async () => {
  ({ store, id } = await openCrystal({ line: 'CC(O)c1ccccc1Cl', group: 'P 1 21/c 1', seed: 14 }));
  intake = (await db.intake.get(id))!;
});
afterAll(() => store.getState().dispose());
beforeEach(() => {
  asked.length = 0;
});

const TURNED: Mat3 = [1, 0, 1, 0, 1, 0, 0, 0, 1];
const model = () => store.getState().head!.structure!;

describe('data in the axes of a mark', () => {
  it('are the raw data themselves where it has those of Intake', async () => {
    expect(await inAxesOf(intake.raw, {})).toBe(intake.raw);
    expect(asked).toEqual([]);
  });

  it('are carried once, and then the same object', async () => {
    const [a, b] = await Promise.all([
      inAxesOf(intake.raw, { basis: TURNED }),
      inAxesOf(intake.raw, { basis: TURNED }),
    ]);
    expect(a).toBe(b);
    expect(asked).toEqual(['axes']);
    // h′ = h P: the third index takes the first with it.
    for (let i = 0; i < 50; i++)
      expect([a.h[i], a.l[i]]).toEqual([intake.raw.h[i], intake.raw.h[i]! + intake.raw.l[i]!]);
    expect(a.intensity).toEqual(intake.raw.intensity);
    expect(await inAxesOf(intake.raw, { basis: [0, 1, 0, 0, 0, 1, 1, 0, 0] })).not.toBe(a);
  });
});

describe('merged data of a model', () => {
  it('are those of Intake where the group is the same', async () => {
    expect(mergeServes(intake, model().spaceGroup)).toBe(true);
    expect(await mergedForModel(id, intake, model(), undefined)).toBe(intake.merge);
    expect(asked).toEqual([]);
  });

  it('of another group are merged once and kept in the browser', async () => {
    const group = spaceGroupFromSymbol('P -1');
    const first = await mergedData(id, intake, group, model().cell, undefined);
    expect(asked).toEqual(['merge']);
    expect(first.reflections.count).toBeGreaterThan(1.6 * intake.merge!.reflections.count);
    const again = await mergedData(id, intake, group, model().cell, undefined);
    expect(asked).toEqual(['merge']);
    expect(again.reflections.count).toBe(first.reflections.count);
    expect(await db.merges.where('projectId').equals(id).count()).toBe(1);
  });

  it('are known by group, axes, data and correction', () => {
    const key = (change: Partial<IntakeRow> = {}, basis?: Mat3): string =>
      mergeKey(id, { ...intake, ...change }, model(), basis);
    const other = { ...model(), spaceGroup: spaceGroupFromSymbol('P -1') };
    const keys = [
      key(),
      key({}, TURNED),
      key({ correction: { stamp: 7 } as never }),
      key({ raw: { ...intake.raw, count: 3 } }),
      mergeKey(id, intake, other, undefined),
    ];
    expect(new Set(keys).size).toBe(keys.length);
    expect(key()).toBe(mergeKey(id, intake, { ...model(), sites: [] }, undefined));
  });
});
