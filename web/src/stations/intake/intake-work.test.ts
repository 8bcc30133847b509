import 'fake-indexeddb/auto';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { inverseSpacing, reciprocalMetric, transformCell, type Cell } from '@nagare/core/crystal/cell';
import type { GivenFace } from '@nagare/core/crystal/faces';
import { transformReflections } from '@nagare/core/crystal/reflections';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { db } from '../../store/db.ts';
import { recordInAxes } from '../../store/experiment.ts';
import type { ProjectStore } from '../../store/project-state.ts';
import { keepFaces } from '../../store/projects.ts';
import { openCrystal } from '../../testing/crystal-project.ts';
import { analyse, mergeFor } from './intake-work.ts';

vi.mock('../../engine/engine.ts', () => import('../../testing/near-engine.ts'));

const opened: ProjectStore[] = [];
afterEach(() => opened.splice(0).forEach((s) => s.getState().dispose()));

/** A project whose data were not yet looked at; without the model that came with them where that is asked. */
async function fresh(withModel: boolean): Promise<{ store: ProjectStore; id: string; truth: Structure }> {
  const made = await openCrystal({ line: 'CC(O)c1ccccc1Cl', group: 'P 1 21/c 1', seed: 14 });
  opened.push(made.store);
  await db.intake.delete(made.id);
  if (!withModel) {
    await db.marks.where('projectId').equals(made.id).delete();
    await db.models.where('projectId').equals(made.id).delete();
  }
  return made;
}

describe('the work of Intake', () => {
  it('judges the data, chooses the best group and merges for it', async () => {
    const { store, id, truth } = await fresh(false);
    await analyse(store, truth.cell);
    const row = (await db.intake.get(id))!;
    const project = (await db.projects.get(id))!;
    expect(row.analysis!.ranking.groups[0]!.symbol).toMatch(/^P 1 21\/[acn] 1$/);
    expect(project.group!.number).toBe(14);
    expect(row.mergedFor).toBe(project.group!.hall);
    expect(row.merge!.statistics.unique).toBe(row.merge!.reflections.count);
    expect(row.raw.count).toBe((await db.data.get(id))!.raw.count);
  });

  it('takes the faces of the crystal over to other axes, as every mark shows them in its own', async () => {
    const { store, id, truth } = await fresh(false);
    // The file's axes: a and c exchanged, b turned round.
    const p = [0, 0, 1, 0, -1, 0, 1, 0, 0] as const;
    const data = (await db.data.get(id))!;
    await db.data.put({ ...data, raw: transformReflections(data.raw, p).raw });
    const project = (await db.projects.get(id))!;
    await keepFaces({ ...project, id }, [{ hkl: [1, 2, 3], distance: 0.1 }]);
    await analyse(store, transformCell(truth.cell, p));
    const { experiment, cell } = (await db.projects.get(id))!;
    const [{ hkl }] = experiment.faces as [GivenFace];
    // The spacing of the planes is theirs, whatever they are called.
    const spacing = (c: Cell, [h, k, l]: Vec3): number => inverseSpacing(reciprocalMetric(c), h, k, l);
    expect(spacing(cell!, hkl)).toBeCloseTo(spacing(transformCell(truth.cell, p), [1, 2, 3]), 8);
    expect(recordInAxes(experiment, p).faces![0]!.hkl).toEqual([hkl[2], -hkl[1], hkl[0]]);
    await keepFaces((await db.projects.get(id))!, [{ hkl: [1, 0, 0], distance: 0.2 }], p);
    expect((await db.projects.get(id))!.experiment.faces).toEqual([{ hkl: [0, 0, 1], distance: 0.2 }]);
    await keepFaces((await db.projects.get(id))!, []);
    expect((await db.projects.get(id))!.experiment.faces).toBeUndefined();
  });

  it('keeps the group that stands where it is told to', async () => {
    const { store, id, truth } = await fresh(false);
    const kept = spaceGroupFromSymbol('P -1');
    await analyse(store, truth.cell, kept);
    expect((await db.projects.get(id))!.group!.hall).toBe(kept.hall);
    expect((await db.intake.get(id))!.mergedFor).toBe(kept.hall);
  });

  it('does nothing without data, and says nothing', async () => {
    const { store, id, truth } = await fresh(false);
    await db.data.delete(id);
    await analyse(store, truth.cell);
    expect(await db.intake.get(id)).toBeUndefined();
    expect(store.getState()).toMatchObject({ work: undefined, problem: undefined });
  });

  it('shows what it is at while it is at it', async () => {
    const { store, truth } = await fresh(false);
    const titles = new Set<string>();
    const stop = store.subscribe((s) => s.work && titles.add(s.work.title));
    await analyse(store, truth.cell);
    stop();
    expect([...titles]).toEqual(['Judging the data', 'Merging']);
    expect(store.getState().work).toBeUndefined();
  });

  it('merges anew for another group, and says which', async () => {
    const { store, id, truth } = await fresh(true);
    await analyse(store, truth.cell);
    const row = (await db.intake.get(id))!;
    const group = spaceGroupFromSymbol('P 1 2/m 1');
    await mergeFor(store, group, truth.cell, row);
    const next = (await db.intake.get(id))!;
    expect(next.mergedFor).toBe(group.hall);
    expect(next.analysis).toEqual(row.analysis);
    // Absences of the screw and the glide are reflections now.
    expect(next.merge!.reflections.count).toBeGreaterThan(row.merge!.reflections.count);
  });
});
