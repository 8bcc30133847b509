/** For tests: a powder project as it was stored, in the browser's database, with its fit on screen and no worker. */
import { readFileSync } from 'node:fs';
import { gunzipSync } from 'node:zlib';
import { decodeWire } from '@nagare/core/tasks/wire';
import { NagareDatabase, type PatternRow, type PowderRow, type Project } from '../store/db.ts';
import { openProject } from '../store/project-store.ts';
import type { ProjectStore } from '../store/project-state.ts';
import { splitMark, type MarkBefore4 } from '../store/upgrade.ts';
import { openFit, type FitStore } from '../stations/fit/fit-store.ts';
import { LiveCalculation, type LiveHost } from '../stations/fit/live.ts';
import { LivePattern, type LiveAnswer } from '../stations/fit/live-pattern.ts';
import { ownMemory, until } from './surroundings.ts';

interface Rows {
  readonly projects: Project[];
  readonly patterns: PatternRow[];
  readonly powder: PowderRow[];
  readonly marks: MarkBefore4[];
}

export const POWDER_ROWS = decodeWire(
  gunzipSync(readFileSync(new URL('../store/fixtures/version-3-powder.json.gz', import.meta.url))).toString('utf8'),
) as Rows;
export const POWDER_PROJECT = POWDER_ROWS.projects[0]!;

/** The live calculation without a worker. */
function near(): LiveCalculation {
  const live = new LivePattern();
  return new LiveCalculation((): LiveHost => {
    let heard: (answer: LiveAnswer) => void = () => undefined;
    return {
      post: (order) => queueMicrotask(() => heard(live.answer(order))),
      listen: (f) => (heard = f),
      terminate: () => (heard = () => undefined),
    };
  });
}

export interface OpenPowder {
  readonly store: ProjectStore;
  readonly fit: FitStore;
  readonly db: NagareDatabase;
  /** Closes the fit alone, as leaving the station does. */
  leave(): void;
  /** Closes everything. */
  close(): void;
}

/** Opens the project with its fit drawn. Changes by hand become a mark after the pause, ms. */
export async function openPowder(db: NagareDatabase, pause: number): Promise<OpenPowder> {
  await db.projects.add(POWDER_PROJECT);
  await db.patterns.bulkAdd(POWDER_ROWS.patterns);
  await db.powder.bulkAdd(POWDER_ROWS.powder);
  for (const old of POWDER_ROWS.marks) {
    const { mark, model } = splitMark(old, false);
    await db.marks.add(mark);
    await db.models.add(model);
  }
  const store = openProject(POWDER_PROJECT.id, {
    db,
    evaluate: () => ({ result: new Promise(() => undefined), cancel: () => undefined }),
    memory: ownMemory(),
    pause: 5,
  });
  const { store: fit, close: leave } = openFit(store, near(), pause);
  await until(fit, (f) => !!f.curves && !!f.model);
  const close = (): void => {
    leave();
    store.getState().dispose();
    db.close();
  };
  return { store, fit, db, leave, close };
}
