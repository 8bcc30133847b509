/** The work of Intake: analysis of the raw data and merging for the chosen group, stored with the project. */
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import { groupOfSetting } from '@nagare/core/crystal/settings';
import type { Cell } from '@nagare/core/crystal/cell';
import type { MergedReflections } from '@nagare/core/crystal/reflections';
import { run } from '../../engine/engine.ts';
import { db, type IntakeRow } from '../../store/db.ts';
import { updateProject } from '../../store/projects.ts';
import type { Session } from '../../store/session.tsx';

/** Analyses the data in the cell given and merges it in the best group (or the one that stands). */
export async function analyse(session: Session, cell: Cell, keepGroup?: SpaceGroup): Promise<void> {
  const { project, perform } = session;
  const data = await db.data.get(project.id);
  if (!data) return;
  const analysis = await perform('Judging the data', (tell) =>
    run('analyse', { raw: data.raw, cell }, (text: string) => tell(text)),
  );
  if (!analysis) return;
  const { raw, ...rest } = analysis;
  const imported = await db.marks
    .where('projectId')
    .equals(project.id)
    .filter((m) => m.kind === 'import')
    .first();
  if (imported && rest.lattice.changed) {
    // A model came with the data: its axes are kept, whatever the conventional ones would be.
    const row: IntakeRow = { projectId: project.id, analysis: { ...rest, cell }, raw: data.raw, keptAxes: true };
    await db.intake.put(row);
    await mergeFor(session, imported.structure.spaceGroup, cell, row);
    return;
  }
  const best = analysis.ranking.groups[0];
  const group = keepGroup ?? (best ? groupOfSetting(best.setting) : undefined);
  await db.intake.put({ projectId: project.id, analysis: rest, raw });
  await updateProject(project.id, { cell: analysis.cell, ...(group ? { group } : {}) });
  if (group) await mergeFor(session, group, analysis.cell, { projectId: project.id, analysis: rest, raw });
}

/** Merges in the point group of a space group and stores the choice. */
export async function mergeFor(session: Session, group: SpaceGroup, cell: Cell, row: IntakeRow): Promise<void> {
  const merge = await session.perform('Merging', (tell) =>
    run('merge', { raw: row.raw, cell, group }, (f: number) => tell(`${Math.round(100 * f)} %`)),
  );
  if (!merge) return;
  await db.intake.put({ ...row, merge, mergedFor: group.hall });
  await updateProject(session.project.id, { group });
  await evaluateImported(session, group, merge.reflections);
}

/** A model that came with its data is judged as soon as they are merged. */
async function evaluateImported(session: Session, group: SpaceGroup, reflections: MergedReflections): Promise<void> {
  const wavelength = session.project.experiment.wavelength;
  const marks = await db.marks.where('projectId').equals(session.project.id).toArray();
  for (const mark of marks.filter(
    (m) => m.kind === 'import' && m.r1 === undefined && m.structure.spaceGroup.hall === group.hall,
  )) {
    if (!wavelength) return;
    const done = await run('residual', {
      structure: mark.structure,
      reflections,
      wavelength,
      weights: { a: 0.1, b: 0 },
      extinction: 0,
    }).result.catch(() => undefined);
    if (!done) return;
    await db.results.put({ markId: mark.id, projectId: mark.projectId, map: done.map });
    await db.marks.update(mark.id, {
      r1: done.r1,
      wr2: done.wr2,
      residual: { peak: done.map.peaks[0]?.height ?? 0, hole: done.map.holes[0]?.height ?? 0, sigma: done.map.sigma },
    });
  }
}
