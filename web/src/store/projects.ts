/** Projects: making, changing, deleting, and saving files. */
import { newId } from '@nagare/core/crystal/structure';
import type { Recognised } from '@nagare/core/formats/recognise';
import { addMark } from './course.ts';
import { db, type Project } from './db.ts';

/** Makes a project of what a file held; returns its id. */
export async function createProject(found: Recognised, fileName: string): Promise<string> {
  const id = newId(),
    now = Date.now();
  const project: Project = {
    id,
    name: found.experiment.kept['_chemical_name_common'] ?? found.name,
    created: now,
    updated: now,
    source: { fileName, sentence: found.sentence, ...(found.items ? { items: found.items } : {}) },
    experiment: found.experiment,
    ...(found.cell ? { cell: found.cell } : {}),
    ...(found.spaceGroup && found.structure ? { group: found.spaceGroup } : {}),
  };
  await db.transaction('rw', [db.projects, db.data, db.marks, db.models, db.results], async () => {
    await db.projects.add(project);
    if (found.raw) await db.data.add({ projectId: id, raw: found.raw });
    const { structure, treatment } = found;
    if (structure)
      await addMark(db, {
        projectId: id,
        kind: 'import',
        title: `Read from ${fileName}`,
        content: { kind: 'structure', structure, ...(treatment ? { treatment } : {}) },
      });
  });
  return id;
}

export async function createEmptyProject(): Promise<string> {
  const id = newId(),
    now = Date.now();
  await db.projects.add({ id, name: 'New project', created: now, updated: now, experiment: { kept: {} } });
  return id;
}

/** Changes some fields of a project; others stay as they are in the database, whichever tab wrote them. */
export const updateProject = (id: string, change: Partial<Project>): Promise<number> =>
  db.projects.update(id, { ...change, updated: Date.now() });

export async function deleteProject(id: string): Promise<void> {
  await db.transaction(
    'rw',
    [db.projects, db.data, db.intake, db.marks, db.models, db.results, db.solves, db.merges, db.patterns, db.powder],
    async () => {
      await Promise.all([
        db.models.where('projectId').equals(id).delete(),
        db.patterns.where('projectId').equals(id).delete(),
        db.powder.delete(id),
        db.merges.where('projectId').equals(id).delete(),
        db.projects.delete(id),
        db.data.delete(id),
        db.intake.delete(id),
        db.solves.delete(id),
        db.marks.where('projectId').equals(id).delete(),
        db.results.where('projectId').equals(id).delete(),
      ]);
    },
  );
}

/** Saves bytes or text as a file. */
export function saveFile(content: Uint8Array | string, name: string, type: string): void {
  const url = URL.createObjectURL(new Blob([content as BlobPart], { type }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}
