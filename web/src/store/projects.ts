/** Projects: making, changing, deleting, and saving files. */
import { facesInAxes, type GivenFace } from '@nagare/core/crystal/faces';
import { newId } from '@nagare/core/crystal/structure';
import type { Recognised } from '@nagare/core/formats/recognise';
import { inverse3, type Mat3 } from '@nagare/core/math/matrix3';
import { addMark } from './course.ts';
import { db, type Project } from './db.ts';
import { askToLast, withRoom } from './keeping.ts';
import type { LooksRow } from './looks.ts';

/** Makes a project of what a file held; returns its id. `looks` are kept where it is a structure alone. */
export async function createProject(
  found: Recognised,
  fileName: string,
  looks?: Omit<LooksRow, 'projectId'>,
  /** Of its first mark. */
  title = `Read from ${fileName}`,
): Promise<string> {
  const id = newId(),
    now = Date.now();
  const project: Project = {
    id,
    name: found.experiment.kept['_chemical_name_common'] ?? found.name,
    created: now,
    updated: now,
    source: {
      fileName,
      sentence: found.sentence,
      ...(found.items ? { items: found.items } : {}),
      ...(found.asides?.length ? { asides: found.asides } : {}),
    },
    experiment: found.experiment,
    ...(found.cell ? { cell: found.cell } : {}),
    ...(found.spaceGroup && found.structure ? { group: found.spaceGroup } : {}),
  };
  const tables = [db.projects, db.data, db.marks, db.models, db.results, db.looks];
  await withRoom(db, () =>
    db.transaction('rw', tables, async () => {
      await db.projects.add(project);
      if (found.raw) await db.data.add({ projectId: id, raw: found.raw });
      if (looks) await db.looks.add({ ...looks, projectId: id });
      await addImported(id, found, title);
    }),
  );
  void askToLast();
  return id;
}

/** Puts a structure from a file on the course; nothing where the file held none. */
async function addImported(projectId: string, found: Recognised, title: string, parent?: string): Promise<string> {
  const { structure, treatment } = found;
  if (!structure) return '';
  const { mark } = await addMark(db, {
    projectId,
    kind: 'import',
    title: found.name && parent ? found.name : title,
    content: { kind: 'structure', structure, ...(treatment ? { treatment } : {}) },
    ...(parent ? { parent } : {}),
  });
  return mark.id;
}

/** Further structures of a file or a drop as marks of a project, each after the one before. */
export async function addStructures(
  projectId: string,
  list: readonly { readonly found: Recognised; readonly fileName: string }[],
): Promise<void> {
  let parent = (await db.projects.get(projectId))?.head;
  for (const { found, fileName } of list) parent = await addImported(projectId, found, `Read from ${fileName}`, parent);
}

/** Share by which an edge may differ between a model and data that come later. */
const SAME_CELL = 0.03;

/** Puts reflections beside a structure that came alone. Throws Error in words where their cells differ, and then changes nothing. */
export async function addReflections(projectId: string, found: Recognised, fileName: string): Promise<void> {
  const { raw, cell } = found;
  if (!raw) throw new Error(`${fileName} holds no reflections.`);
  const project = await db.projects.get(projectId);
  const head = project?.head ? await db.marks.get(project.head) : undefined;
  const model = head && (await db.models.get(head.model));
  if (!project || model?.kind !== 'structure') throw new Error('There is no structure here to put reflections beside.');
  const { structure } = model;
  const own = structure.cell;
  const apart = (['a', 'b', 'c'] as const).find((k) => cell && Math.abs(cell[k] / own[k] - 1) > SAME_CELL);
  if (apart)
    throw new Error(
      `The cell in ${fileName} (${apart} = ${cell![apart].toFixed(3)} Å) is not that of this structure (${apart} = ${own[apart].toFixed(3)} Å). Take the file in as a project of its own.`,
    );
  const store = async (): Promise<void> => {
    await db.data.put({ projectId, raw });
    const experiment = { ...project.experiment, ...found.experiment };
    experiment.kept = { ...project.experiment.kept, ...found.experiment.kept };
    const source = withAsides(project.source ?? { fileName, sentence: found.sentence }, found);
    const { spaceGroup: group } = structure;
    await db.projects.update(projectId, { experiment, cell: own, group, source, updated: Date.now() });
    await addMark(db, {
      projectId,
      kind: 'import',
      title: `Reflections from ${fileName}`,
      content: { kind: 'structure', structure, ...(model.treatment ? { treatment: model.treatment } : {}) },
      parent: head!.id,
    });
  };
  await withRoom(db, () => db.transaction('rw', [db.projects, db.data, db.marks, db.models, db.results], store));
}

/** What a project was made from, with what of a further file was not taken as it was written. */
const withAsides = (source: NonNullable<Project['source']>, { asides = [] }: Recognised): Project['source'] =>
  asides.length ? { ...source, asides: [...(source.asides ?? []), ...asides] } : source;

export async function createEmptyProject(): Promise<string> {
  const id = newId(),
    now = Date.now();
  await db.projects.add({ id, name: 'New project', created: now, updated: now, experiment: { kept: {} } });
  return id;
}

/** Changes some fields of a project; others stay as they are in the database, whichever tab wrote them. */
export const updateProject = (id: string, change: Partial<Project>): Promise<number> =>
  db.projects.update(id, { ...change, updated: Date.now() });

/** Keeps the faces that were measured (distances in mm), given in the axes of a mark; none takes them away. */
export function keepFaces({ id, experiment }: Project, faces: readonly GivenFace[], basis?: Mat3): Promise<number> {
  const { faces: _, ...rest } = experiment;
  const own = faces.map(({ hkl, distance }) => ({ hkl, distance }));
  return updateProject(id, {
    experiment: own.length ? { ...rest, faces: basis ? facesInAxes(own, inverse3(basis)) : own } : rest,
  });
}

export async function deleteProject(id: string): Promise<void> {
  await db.transaction(
    'rw',
    [
      ...[db.projects, db.data, db.intake, db.marks, db.models, db.results, db.solves, db.merges],
      ...[db.patterns, db.powder, db.looks, db.pictures],
    ],
    async () => {
      await Promise.all([
        db.models.where('projectId').equals(id).delete(),
        db.patterns.where('projectId').equals(id).delete(),
        db.powder.delete(id),
        db.looks.delete(id),
        db.pictures.delete(id),
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
export function saveFile(content: Uint8Array | string | Blob, name: string, type: string): void {
  const url = URL.createObjectURL(new Blob([content as BlobPart], { type }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}
