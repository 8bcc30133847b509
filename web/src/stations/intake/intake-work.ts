/** The work of Intake: analysis of the raw data and merging for the chosen group, stored with the project. */
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import { groupOfSetting } from '@nagare/core/crystal/settings';
import type { Cell } from '@nagare/core/crystal/cell';
import type { Structure } from '@nagare/core/crystal/structure';
import { run } from '../../engine/engine.ts';
import { db, type IntakeRow } from '../../store/db.ts';
import { keepRow } from '../../store/keeping.ts';
import { openState, type ProjectStore } from '../../store/project-state.ts';
import { recordInAxes } from '../../store/experiment.ts';
import { updateProject } from '../../store/projects.ts';

/** The structure that came in with the data, where one did. */
async function importedStructure(projectId: string): Promise<Structure | undefined> {
  const mark = await db.marks
    .where('projectId')
    .equals(projectId)
    .filter((m) => m.kind === 'import')
    .first();
  const model = mark && (await db.models.get(mark.model));
  return model?.kind === 'structure' ? model.structure : undefined;
}

/** Analyses the data in the cell given and merges it in the best group (or the one that stands). */
export async function analyse(store: ProjectStore, cell: Cell, keepGroup?: SpaceGroup): Promise<void> {
  const { project, perform } = openState(store);
  const data = await db.data.get(project.id);
  if (!data) return;
  const { wavelength } = project.experiment;
  const reach = wavelength ? { wavelength } : {};
  const analysis = await perform('Judging the data', (tell) =>
    run('analyse', { raw: data.raw, cell, ...reach }, (text: string) => tell(text)),
  );
  if (!analysis) return;
  const { raw, ...rest } = analysis;
  const imported = await importedStructure(project.id);
  if (imported && rest.lattice.changed) {
    // A model came with the data: its axes are kept, whatever the conventional ones would be.
    const row: IntakeRow = { projectId: project.id, analysis: { ...rest, cell }, raw: data.raw, keptAxes: true };
    await keepRow(db, db.intake, row);
    await mergeFor(store, imported.spaceGroup, cell, row);
    return;
  }
  const best = analysis.ranking.groups[0];
  const group = keepGroup ?? (best ? groupOfSetting(best.setting) : undefined);
  await keepRow(db, db.intake, { projectId: project.id, analysis: rest, raw });
  const { p, changed } = analysis.lattice;
  // As it stands now: it may have been edited meanwhile.
  const { experiment } = openState(store).project;
  await updateProject(project.id, {
    cell: analysis.cell,
    ...(group ? { group } : {}),
    ...(changed && experiment.faces ? { experiment: recordInAxes(experiment, p) } : {}),
  });
  if (group) await mergeFor(store, group, analysis.cell, { projectId: project.id, analysis: rest, raw });
}

/** Merges in the point group of a space group and stores the choice. A model that came with its data is judged by the store as soon as they are merged. */
export async function mergeFor(store: ProjectStore, group: SpaceGroup, cell: Cell, row: IntakeRow): Promise<void> {
  const { project, perform } = openState(store);
  const merge = await perform('Merging', (tell) =>
    run('merge', { raw: row.raw, cell, group }, (f: number) => tell(`${Math.round(100 * f)} %`)),
  );
  if (!merge) return;
  await keepRow(db, db.intake, { ...row, merge, mergedFor: group.hall });
  await updateProject(project.id, { group });
}
