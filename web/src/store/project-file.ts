/** Taking a project home as one file and bringing it back: a zip of JSON parts, with reflections and patterns readable inside. */
import type { Table } from 'dexie';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import { newId } from '@nagare/core/crystal/structure';
import { packArchive, unpackArchive } from '../engine/archive.ts';
import { db, type NagareDatabase } from './db.ts';
import type { Mark, ModelRow } from './marks.ts';
import { readParts, type ProjectParts } from './project-parts.ts';

/** 1: models inside the marks; 2: models beside them. */
export const PROJECT_FORMAT = 2;

const reflectionLines = (raw: RawReflections): string =>
  `${Array.from(
    { length: raw.count },
    (_, i) =>
      `${raw.h[i]} ${raw.k[i]} ${raw.l[i]} ${raw.intensity[i]} ${raw.sigma[i]}${raw.batch ? ` ${raw.batch[i]}` : ''}`,
  ).join('\n')}\n`;

/** Everything stored of a project. Throws Error where it is not in this browser. */
async function partsOf(id: string, from: NagareDatabase): Promise<ProjectParts> {
  const project = await from.projects.get(id);
  if (!project) throw new Error('This project is no longer in the browser.');
  const of = <T>(table: Table<T, string>): Promise<T[]> => table.where('projectId').equals(id).toArray();
  const [data, intake, marks, models, results, solve, patterns, powder, looks] = await Promise.all([
    from.data.get(id),
    from.intake.get(id),
    of(from.marks),
    of(from.models),
    of(from.results),
    from.solves.get(id),
    from.patterns.where('projectId').equals(id).sortBy('order'),
    from.powder.get(id),
    from.looks.get(id),
  ]);
  return { project, marks, models, results, raw: data?.raw, intake, solve, patterns, powder, looks };
}

/** A project as the bytes of a file. */
export async function exportProject(id: string): Promise<Uint8Array<ArrayBuffer>> {
  const { raw, patterns, ...parts } = await partsOf(id, db);
  const json: Record<string, unknown> = {
    'nagare.json': { format: 'nagare project', version: PROJECT_FORMAT, written: new Date().toISOString() },
  };
  const add = (name: string, value: unknown): void => {
    if (value !== undefined) json[name] = value;
  };
  for (const [name, value] of Object.entries(parts)) add(`${name}.json`, value);
  add('reflections.json', raw);
  if (patterns.length) add('patterns.json', patterns);
  const text: Record<string, string> = raw ? { 'reflections.txt': reflectionLines(raw) } : {};
  for (const p of patterns) {
    const { twoTheta, intensity, sigma } = p.file.pattern;
    text[`patterns/${p.id}.xye`] =
      `# 2theta intensity su\n${Array.from(twoTheta, (t, i) => `${t} ${intensity[i]} ${sigma[i]}`).join('\n')}\n`;
  }
  return packArchive(json, text);
}

/** New identifiers for everything, so that an older copy of the project stays. */
class Renaming {
  private readonly names = new Map<string, string>();

  of(old: string): string {
    let name = this.names.get(old);
    if (!name) this.names.set(old, (name = newId()));
    return name;
  }

  mark(m: Mark, projectId: string): Mark {
    const parent = m.parent === undefined ? {} : { parent: this.of(m.parent) };
    return { ...m, id: this.of(m.id), model: this.of(m.model), projectId, ...parent };
  }

  model(m: ModelRow, projectId: string): ModelRow {
    const base = { id: this.of(m.id), projectId };
    if (m.kind === 'structure') return { ...m, ...base };
    return { ...m, ...base, fit: { ...m.fit, patterns: m.fit.patterns.map((x) => this.of(x)) } };
  }
}

/** Stores the parts of a project under a new identifier, all or nothing. */
export async function storeParts(parts: ProjectParts, into: NagareDatabase): Promise<string> {
  const id = newId();
  const names = new Renaming();
  const { project, marks, models, results, raw, intake, solve, patterns, powder, looks } = parts;
  const known = new Set(marks.map((m) => m.id));
  const tables = [into.projects, into.data, into.intake, into.marks, into.models, into.results, into.solves];
  await into.transaction('rw', [...tables, into.patterns, into.powder, into.looks], async () => {
    const head = project.head !== undefined && known.has(project.head) ? { head: names.of(project.head) } : {};
    const { head: _, ...rest } = project;
    await into.projects.add({ ...rest, ...head, id, updated: Date.now() });
    await into.patterns.bulkAdd(patterns.map((p) => ({ ...p, id: names.of(p.id), projectId: id })));
    if (powder) {
      const peaks = powder.peaks && Object.fromEntries(Object.entries(powder.peaks).map(([k, v]) => [names.of(k), v]));
      await into.powder.add({ ...powder, projectId: id, ...(peaks ? { peaks } : {}) });
    }
    await into.models.bulkAdd(models.map((m) => names.model(m, id)));
    await into.marks.bulkAdd(marks.map((m) => names.mark(m, id)));
    await into.results.bulkAdd(
      results.filter((r) => known.has(r.markId)).map((r) => ({ ...r, markId: names.of(r.markId), projectId: id })),
    );
    if (raw) await into.data.add({ projectId: id, raw });
    if (intake) await into.intake.add({ ...intake, projectId: id });
    if (solve) await into.solves.add({ ...solve, projectId: id });
    if (looks) await into.looks.add({ ...looks, projectId: id });
  });
  return id;
}

/** Brings a project file back as a new project. Throws Error with what is wrong, and then stores nothing. */
export async function importProject(bytes: Uint8Array, fileName: string): Promise<string> {
  let parts: Record<string, unknown>;
  try {
    parts = await unpackArchive(bytes);
  } catch {
    throw new Error(`${fileName} is not a Nagare project file, or it was cut short. Export it again.`);
  }
  return storeParts(readParts(parts, fileName, PROJECT_FORMAT), db);
}
