/** Projects: making, changing, moving along the course, taking home and bringing back. */
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { z } from 'zod';
import { newId } from '@nagare/core/crystal/structure';
import type { Recognised } from '@nagare/core/formats/recognise';
import { decodeWire, encodeWire } from '@nagare/core/tasks/wire';
import { experimentSchema, structureSchema } from '@nagare/core/tasks/schemas';
import { db, type Mark, type PatternRow, type PowderRow, type Project, type ResultRow } from './db.ts';

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
  await db.transaction('rw', db.projects, db.data, db.marks, async () => {
    await db.projects.add(project);
    if (found.raw) await db.data.add({ projectId: id, raw: found.raw });
    if (found.structure) {
      const mark: Mark = {
        id: newId(),
        projectId: id,
        created: now,
        kind: 'import',
        title: `Read from ${fileName}`,
        structure: found.structure,
        ...(found.treatment ? { treatment: found.treatment } : {}),
      };
      await db.marks.add(mark);
      await db.projects.update(id, { head: mark.id });
    }
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

/** Puts a new mark on the course with its large results, and makes it the project's latest place. */
export async function addMark(
  mark: Omit<Mark, 'id' | 'created'>,
  result?: Omit<ResultRow, 'markId' | 'projectId'>,
): Promise<string> {
  const id = newId();
  await db.transaction('rw', db.projects, db.marks, db.results, async () => {
    // A model keeps the axes of the one it was made from, unless it brings its own.
    const basis = mark.basis ?? (mark.parent ? (await db.marks.get(mark.parent))?.basis : undefined);
    await db.marks.add({ ...mark, ...(basis ? { basis } : {}), id, created: Date.now() });
    if (result) await db.results.add({ ...result, markId: id, projectId: mark.projectId });
    await db.projects.update(mark.projectId, { head: id, updated: Date.now() });
  });
  return id;
}

export async function deleteProject(id: string): Promise<void> {
  await db.transaction(
    'rw',
    [db.projects, db.data, db.intake, db.marks, db.results, db.solves, db.merges, db.patterns, db.powder],
    async () => {
      await Promise.all([
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

export const PROJECT_FORMAT = 1;

/** A project as one zip: JSON parts, and the latest structure's reflections and sites stay readable inside. */
export async function exportProject(id: string): Promise<Uint8Array> {
  const project = await db.projects.get(id);
  if (!project) throw new Error('This project is no longer in the browser.');
  const [data, intake, marks, results, solve] = await Promise.all([
    db.data.get(id),
    db.intake.get(id),
    db.marks.where('projectId').equals(id).toArray(),
    db.results.where('projectId').equals(id).toArray(),
    db.solves.get(id),
  ]);
  const files: Record<string, Uint8Array> = {
    'nagare.json': strToU8(
      JSON.stringify({ format: 'nagare project', version: PROJECT_FORMAT, written: new Date().toISOString() }),
    ),
    'project.json': strToU8(encodeWire(project)),
    'marks.json': strToU8(encodeWire(marks)),
    'results.json': strToU8(encodeWire(results)),
  };
  if (data) {
    const { raw } = data;
    const lines = Array.from(
      { length: raw.count },
      (_, i) =>
        `${raw.h[i]} ${raw.k[i]} ${raw.l[i]} ${raw.intensity[i]} ${raw.sigma[i]}${raw.batch ? ` ${raw.batch[i]}` : ''}`,
    );
    files['reflections.txt'] = strToU8(`${lines.join('\n')}\n`);
    files['reflections.json'] = strToU8(encodeWire(raw));
  }
  const patterns = await db.patterns.where('projectId').equals(id).sortBy('order'),
    powder = await db.powder.get(id);
  for (const p of patterns) {
    const { twoTheta, intensity, sigma } = p.file.pattern;
    files[`patterns/${p.id}.xye`] = strToU8(
      `# 2theta intensity su\n${Array.from(twoTheta, (t, i) => `${t} ${intensity[i]} ${sigma[i]}`).join('\n')}\n`,
    );
  }
  if (patterns.length) files['patterns.json'] = strToU8(encodeWire(patterns));
  if (powder) files['powder.json'] = strToU8(encodeWire(powder));
  if (intake) files['intake.json'] = strToU8(encodeWire(intake));
  if (solve) files['solve.json'] = strToU8(encodeWire(solve));
  return zipSync(files, { level: 6 });
}

const markSchema = z.looseObject({ id: z.string(), title: z.string(), structure: structureSchema });

/** Brings a project file back as a new project (its own ids, so an older copy stays). Throws Error with what is wrong. */
export async function importProject(bytes: Uint8Array, fileName: string): Promise<string> {
  let files: Record<string, Uint8Array>;
  try {
    files = unzipSync(bytes);
  } catch {
    throw new Error(`${fileName} is not a Nagare project file, or it was cut short. Export it again.`);
  }
  const part = (name: string): unknown => (files[name] ? decodeWire(strFromU8(files[name])) : undefined);
  const head = z.object({ format: z.literal('nagare project'), version: z.number() }).safeParse(part('nagare.json'));
  if (!head.success) throw new Error(`${fileName} is a zip but not a Nagare project file.`);
  if (head.data.version > PROJECT_FORMAT)
    throw new Error(`${fileName} was written by a newer Nagare. Update this one first.`);
  const project = z.looseObject({ name: z.string(), experiment: experimentSchema }).safeParse(part('project.json'));
  const marks = z.array(markSchema).safeParse(part('marks.json'));
  if (!project.success || !marks.success)
    throw new Error(
      `${fileName} is damaged: ${(project.error ?? marks.error)!.issues[0]!.path.join('.')} is not as it should be.`,
    );
  const id = newId();
  const ids = new Map(marks.data.map((m) => [m.id, newId()]));
  const old = project.data as unknown as Project;
  const now = Date.now();
  await db.transaction(
    'rw',
    [db.projects, db.data, db.intake, db.marks, db.results, db.solves, db.patterns, db.powder],
    async () => {
      const rows = (part('patterns.json') ?? []) as PatternRow[],
        fresh = new Map(rows.map((r) => [r.id, newId()])),
        powder = part('powder.json') as PowderRow | undefined;
      await db.patterns.bulkAdd(rows.map((r) => ({ ...r, id: fresh.get(r.id)!, projectId: id })));
      if (powder)
        await db.powder.add({
          ...powder,
          projectId: id,
          ...(powder.peaks
            ? { peaks: Object.fromEntries(Object.entries(powder.peaks).map(([k, v]) => [fresh.get(k) ?? k, v])) }
            : {}),
        });
      await db.projects.add({ ...old, id, updated: now, ...(old.head ? { head: ids.get(old.head) ?? old.head } : {}) });
      await db.marks.bulkAdd(
        (marks.data as unknown as Mark[]).map((m) => ({
          ...m,
          id: ids.get(m.id)!,
          projectId: id,
          ...(m.fit ? { fit: { ...m.fit, patterns: m.fit.patterns.map((x) => fresh.get(x) ?? x) } } : {}),
          ...(m.parent ? { parent: ids.get(m.parent) ?? m.parent } : {}),
        })),
      );
      const results = (part('results.json') ?? []) as ResultRow[];
      await db.results.bulkAdd(
        results.filter((r) => ids.has(r.markId)).map((r) => ({ ...r, markId: ids.get(r.markId)!, projectId: id })),
      );
      const raw = part('reflections.json'),
        intake = part('intake.json'),
        solve = part('solve.json');
      if (raw) await db.data.add({ projectId: id, raw: raw as never });
      if (intake) await db.intake.add({ ...(intake as object), projectId: id } as never);
      if (solve) await db.solves.add({ ...(solve as object), projectId: id } as never);
    },
  );
  return id;
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
