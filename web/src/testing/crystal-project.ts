/** For tests: a project with a made-up crystal and its data in the browser's database, open in a store. */
import { breathingContext } from '@nagare/core/task-context';
import type { Structure } from '@nagare/core/crystal/structure';
import { mergeTask } from '@nagare/core/tasks/intake-tasks';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { addMark } from '../store/course.ts';
import { db } from '../store/db.ts';
import { openProject } from '../store/project-store.ts';
import type { ProjectStore } from '../store/project-state.ts';
import { run } from './near-engine.ts';
import { ownMemory, until } from './surroundings.ts';

export interface CrystalWish {
  /** A molecule as a line formula. */
  readonly line: string;
  /** Symbol of the space group. */
  readonly group: string;
  readonly seed: number;
  /** The model that came with the data, from the true one. */
  readonly model?: (truth: Structure) => Structure;
  /** Pause before a changed model is judged, ms; longer than any test where it is not to be. */
  readonly pause?: number;
}

async function measure({ line, group, seed }: CrystalWish) {
  const { structure: truth, raw, wavelength } = testCrystal(line, group, seed);
  const quiet = breathingContext<never>({ aborted: false }, () => undefined);
  const merge = await mergeTask.run({ raw, cell: truth.cell, group: truth.spaceGroup }, quiet);
  return { truth, raw, wavelength, merge };
}

const known = new Map<string, ReturnType<typeof measure>>();

/** The crystal with its data, measured once a file of tests. */
function measured(wish: CrystalWish): ReturnType<typeof measure> {
  const key = `${wish.line} ${wish.group} ${wish.seed}`;
  const found = known.get(key) ?? measure(wish);
  known.set(key, found);
  return found;
}

/** Puts the project into the database and opens it at its only mark. */
export async function openCrystal(wish: CrystalWish): Promise<{ store: ProjectStore; truth: Structure; id: string }> {
  const { truth, raw, wavelength, merge } = await measured(wish);
  const id = `crystal ${wish.line} ${wish.group} ${Math.random()}`;
  const group = truth.spaceGroup;
  await db.projects.add({
    id,
    name: 'Test',
    created: 1,
    updated: 1,
    cell: truth.cell,
    group,
    experiment: { wavelength, kept: {} },
  });
  await db.data.add({ projectId: id, raw });
  await db.intake.add({ projectId: id, raw, merge, mergedFor: group.hall });
  const structure = wish.model?.(truth) ?? truth;
  await addMark(db, { projectId: id, kind: 'import', title: 'read', content: { kind: 'structure', structure } });
  const store = openProject(id, {
    db,
    evaluate: (input) => run('residual', input),
    memory: ownMemory(),
    pause: wish.pause ?? 1e9,
  });
  await until(store, (s) => s.status === 'ready' && !!s.head && !!s.merged);
  return { store, truth, id };
}
