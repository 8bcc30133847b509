/** Judging a model against its data after it changed: R1, residual density. Its own step, so that no edit waits for it. */
import type { MapResult } from '@nagare/core/settle/stage';
import type { MergeTaskResult } from '@nagare/core/tasks/intake-tasks';
import type { ResidualTaskResult } from '@nagare/core/tasks/refine-tasks';
import type { TaskInput } from '@nagare/core/tasks/registry';
import { Cancelled, type Running } from '../engine/engine.ts';
import type { NagareDatabase } from './db.ts';
import type { Head, ResidualFigures } from './marks.ts';
import { experimentOf } from './experiment.ts';
import { withRoom } from './keeping.ts';

/** Judges a model; the engine's residual task. */
export type Evaluate = (input: TaskInput<'residual'>) => Running<ResidualTaskResult>;

export interface Evaluation {
  readonly head: Head;
  readonly merged: MergeTaskResult;
  readonly wavelength: number;
  readonly db: NagareDatabase;
  readonly evaluate: Evaluate;
}

export const residualFigures = (map: Pick<MapResult, 'peaks' | 'holes' | 'sigma'>): ResidualFigures => ({
  peak: map.peaks[0]?.height ?? 0,
  hole: map.holes[0]?.height ?? 0,
  sigma: map.sigma,
});

/** Starts after a pause; the function that is returned drops it, before or while it runs. */
export function startEvaluation(what: Evaluation, pause: number, failed: (e: Error) => void): () => void {
  let running: Running<ResidualTaskResult> | undefined;
  let dropped = false;
  const timer = setTimeout(() => {
    running = what.evaluate(experimentOf(what.head, what.merged, what.wavelength));
    running.result
      .then(async (done) => {
        if (!dropped) await withRoom(what.db, () => storeEvaluation(what, done));
      })
      .catch((e: Error) => {
        if (!dropped && !(e instanceof Cancelled)) failed(e);
      });
  }, pause);
  return () => {
    dropped = true;
    clearTimeout(timer);
    running?.cancel();
  };
}

async function storeEvaluation({ head, db }: Evaluation, done: ResidualTaskResult): Promise<void> {
  const { r1, wr2, map } = done;
  await db.transaction('rw', db.marks, db.results, async () => {
    const mark = await db.marks.get(head.id);
    // Deleted meanwhile, with its project.
    if (!mark) return;
    const covariance = (await db.results.get(head.id))?.covariance;
    await db.results.put({ markId: head.id, projectId: mark.projectId, map, ...(covariance ? { covariance } : {}) });
    await db.marks.put({
      ...mark,
      // Of a mark that was refined the figures stand; only its map was given up and made again.
      ...(mark.type === 'crystal' && mark.r1 === undefined ? { r1, wr2, residual: residualFigures(map) } : {}),
      revision: mark.revision + 1,
    });
  });
}
