import 'fake-indexeddb/auto';
import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { RECIPES, type Recipe, type Stage } from '@nagare/core/powder/recipes';
import { db } from '../../store/db.ts';
import { openPowder, POWDER_PROJECT, type OpenPowder } from '../../testing/powder-project.ts';
import { until } from '../../testing/surroundings.ts';
import { logLine, runFit, runWords, type FitRunWish, type LogLine } from './fit-run.ts';

vi.mock('../../engine/engine.ts', () => import('../../testing/near-engine.ts'));

/** Two quick stages. */
const STAGES: readonly Stage[] = [
  { title: 'Background and scales', says: 'In one step.', kind: 'scales' },
  { title: 'Positions', says: 'Cells.', kind: 'refine', free: ['background', 'scale', 'cell'], cycles: 3 },
];
const QUICK: Recipe = { ...RECIPES[0]!, title: 'Quick', stages: STAGES };

let open: OpenPowder;
beforeAll(async () => {
  open = await openPowder(db, 1e9);
});
afterAll(() => open.close());
beforeEach(async () => {
  await open.store.getState().goTo(POWDER_PROJECT.head!);
  await until(open.fit, (f) => !!f.model && !!f.state);
});

const go = async (wish: Partial<FitRunWish> = {}): Promise<{ ended: Set<string> | undefined; log: LogLine[] }> => {
  const log: LogLine[] = [];
  const ended = await runFit(open.store, open.fit.getState(), {
    recipe: QUICK,
    own: { stages: STAGES, free: new Set(['scale', 'cell']) },
    joint: false,
    place: 'page',
    log: (line) => log.push(line),
    ...wish,
  });
  return { ended, log };
};
const marksAfter = (count: number) => open.store.getState().marks.slice(count);

describe('a staged run on the fit', () => {
  it('keeps each finished stage as a mark after the one before and the result at the end', async () => {
    const { marks, head: start } = open.store.getState();
    const before = open.fit.getState().figures!.rwp;
    const { ended, log } = await go();
    expect(log.map((l) => l.title)).toEqual(['Background and scales', 'Positions']);
    const [first, last, ...others] = marksAfter(marks.length);
    expect(others).toEqual([]);
    expect(first).toMatchObject({ title: 'Background and scales', kind: 'edit', type: 'fit', parent: start!.id });
    expect(last).toMatchObject({ title: 'What was ticked', kind: 'fit', type: 'fit', parent: first!.id });
    const { head } = open.store.getState();
    expect(head!.id).toBe(last!.id);
    expect(head!.fit!.result!.rwp).toBeLessThanOrEqual(before + 1e-6);
    expect(head!.r1).toBe(head!.fit!.result!.rwp);
    expect(ended).toEqual(new Set(['scale', 'cell']));
    expect(head!.fit!.free).toEqual(['scale', 'cell']);
  });

  it('stopped, ends with the stages it has and says so', async () => {
    const { marks } = open.store.getState();
    const { log } = await go({ log: () => open.store.getState().work!.cancel() });
    expect(log).toEqual([]);
    const added = marksAfter(marks.length);
    expect(added.map((m) => m.title)).toEqual(['Background and scales', 'What was ticked, stopped']);
    const { head, work, problem } = open.store.getState();
    expect(head!.id).toBe(added.at(-1)!.id);
    expect(head!.fit!.result!.rwp).toBeGreaterThan(0);
    expect([work, problem]).toEqual([undefined, undefined]);
  });

  it('against all patterns together takes each of them once, the one on screen as it stands', async () => {
    const { ended } = await go({ joint: true, own: { stages: STAGES.slice(0, 1), free: new Set() } });
    expect(ended).toBeDefined();
    const { fit } = open.store.getState().head!;
    expect(fit!.patterns).toEqual(open.fit.getState().patterns.map((p) => p.id));
    expect(fit!.model.patterns).toHaveLength(fit!.patterns.length);
  });
});

describe('what is said of a run', () => {
  it('names stage, cycle and what moves most', () => {
    const report = { stage: 2, of: 5, title: 'Positions' };
    expect(runWords(report)).toBe('stage 2 of 5, Positions');
    const cycle = { cycle: 3, rwp: 0.1234, s: 1.5, maxShiftOverSu: 0.31, maxShiftOf: 'a of Frit' };
    expect(runWords(report, cycle as never)).toMatch(
      /^stage 2 of 5, Positions: cycle 3, Rwp 12\.3\d? %, S 1\.50, largest shift 0\.31 s\.u\. \(a of Frit\)$/,
    );
  });

  it('tells a stage that was taken back, and why', () => {
    const done = { title: 'Sizes', says: '', model: { phases: [], patterns: [] }, cycles: 4, figures: { rwp: 0.2 } };
    expect(logLine({ ...done, undone: 'The size ran away.' } as never)).toEqual({
      title: 'Sizes',
      rwp: 0.2,
      text: 'The size ran away.',
      undone: true,
    });
    expect(logLine({ ...done, note: 'Nothing moved.' } as never)).toEqual({
      title: 'Sizes',
      rwp: 0.2,
      text: 'Nothing moved.',
    });
  });
});
