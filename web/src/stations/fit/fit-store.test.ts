import 'fake-indexeddb/auto';
import { afterEach, describe, expect, it } from 'vitest';
import { withConstant, type PhaseModel } from '@nagare/core/powder/model';
import { NagareDatabase } from '../../store/db.ts';
import type { Mark } from '../../store/marks.ts';
import {
  openPowder,
  POWDER_PROJECT as project,
  POWDER_ROWS as rows,
  type OpenPowder,
} from '../../testing/powder-project.ts';
import { rest, until } from '../../testing/surroundings.ts';
import type { Fit, FitStore } from './fit-store.ts';

const PAUSE = 40;
let number = 0;
const closing: (() => void)[] = [];
afterEach(() => closing.splice(0).forEach((close) => close()));

async function opened(): Promise<OpenPowder> {
  const open = await openPowder(new NagareDatabase(`fit ${number++}`), PAUSE);
  closing.push(open.close);
  return open;
}

const marksOf = (db: NagareDatabase): Promise<Mark[]> =>
  db.marks.where('projectId').equals(project.id).sortBy('created');

const moved = (p: PhaseModel, by: number): PhaseModel => {
  const { cell, spaceGroup } = p.structure;
  return { ...p, structure: { ...p.structure, cell: withConstant(cell, spaceGroup, 'a', cell.a + by) } };
};
const step = (fit: FitStore, title: string, by: number): void => {
  const phase = fit.getState().model!.phases[0]!;
  fit.getState().changePhase(title, phase.id, (p) => moved(p, by));
};
const aOf = (f: Fit): number => f.model!.phases[0]!.structure.cell.a;

describe('the fit on screen', () => {
  it('shows the pattern of the present mark with its curve, ticks and figures', async () => {
    const { fit } = await opened();
    const f = fit.getState();
    expect(f.pattern).toEqual(rows.patterns[0]!.file.pattern);
    expect(f.curves!.calculated).toHaveLength(f.curves!.x.length);
    expect(f.ticks).toHaveLength(f.model!.phases.length);
    expect(f.figures!.rwp).toBeGreaterThan(0);
    expect(f.drafting).toBe(false);
  });

  it('follows a constant at once, and makes many steps of it one mark after a pause', async () => {
    const { fit, db } = await opened();
    const before = await marksOf(db);
    const [a, rwp] = [aOf(fit.getState()), fit.getState().figures!.rwp];
    for (let i = 0; i < 5; i++) step(fit, 'a stepped', 0.002);
    expect(aOf(fit.getState())).toBeCloseTo(a + 0.01, 12);
    expect(fit.getState()).toMatchObject({ drafting: true, result: undefined });
    const live = await until(fit, (f) => f.figures!.rwp !== rwp);
    expect(await marksOf(db)).toHaveLength(before.length);
    await until(fit, (f) => !f.drafting);
    await rest(2 * PAUSE);
    const after = await marksOf(db);
    expect(after).toHaveLength(before.length + 1);
    expect(after.at(-1)).toMatchObject({ title: 'a stepped', type: 'fit', parent: project.head });
    const { figures } = fit.getState();
    expect(after.at(-1)).toMatchObject({ rwp: figures!.rwp });
    expect(live.figures!.rwp).not.toBe(rwp);
    expect(aOf(fit.getState())).toBeCloseTo(a + 0.01, 12);
  });

  it('keeps a change before another begins, and the last one when it is closed', async () => {
    const { fit, db, leave } = await opened();
    const before = (await marksOf(db)).length;
    step(fit, 'one', 0.001);
    step(fit, 'another', 0.001);
    leave();
    await rest(2 * PAUSE);
    expect((await marksOf(db)).slice(before).map((m) => m.title)).toEqual(['one', 'another']);
  });

  it('goes back to the mark when a draft is dropped', async () => {
    const { fit, db } = await opened();
    const before = (await marksOf(db)).length;
    const a = aOf(fit.getState());
    step(fit, 'a stepped', 0.01);
    fit.getState().drop();
    expect(aOf(fit.getState())).toBe(a);
    await rest(2 * PAUSE);
    expect(await marksOf(db)).toHaveLength(before);
  });

  it('shows a phase on trial, scaled, without keeping it', async () => {
    const { fit, db } = await opened();
    const before = (await marksOf(db)).length;
    const phases = fit.getState().model!.phases;
    fit.getState().setTrial({ ...moved(phases[0]!, 0.3), id: 'trial', name: 'On trial' });
    const shown = await until(fit, (f) => f.ticks.length === phases.length + 1);
    expect(shown.model!.phases.map((p) => p.id)).toEqual([...phases.map((p) => p.id), 'trial']);
    fit.getState().setTrial(undefined);
    await until(fit, (f) => f.ticks.length === phases.length);
    await rest(2 * PAUSE);
    expect(await marksOf(db)).toHaveLength(before);
  });
});
