/** Taking a project home as one file and bringing it back: a zip of JSON parts, with reflections and patterns readable inside. */
import type { Table } from 'dexie';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import { newId } from '@nagare/core/crystal/structure';
import { encodeWire } from '@nagare/core/tasks/wire';
import type { NagareDatabase, PatternRow, ResultRow } from './db.ts';
import { withoutMap, withRoom } from './keeping.ts';
import type { Mark, ModelRow } from './marks.ts';
import { readParts, type ProjectParts, type ReadProject } from './project-parts.ts';
import { TooLarge, unzipParts, ZipWriter } from './project-zip.ts';

/** 1: models inside the marks; 2: models beside them. */
export const PROJECT_FORMAT = 2;

/** Rows that are on screen and could not be stored: the browser had no room. */
export interface UnsavedRows {
  readonly marks: readonly Mark[];
  readonly models: readonly ModelRow[];
  readonly results: readonly ResultRow[];
}

/** Lines that are made into one piece of text. */
const LINES_A_PIECE = 20_000;

function* pieces(count: number, line: (i: number) => string): Generator<string> {
  for (let from = 0; from < count; from += LINES_A_PIECE) {
    let text = '';
    for (let i = from; i < Math.min(count, from + LINES_A_PIECE); i++) text += `${line(i)}\n`;
    yield text;
  }
}

const reflectionLines = (raw: RawReflections): Generator<string> =>
  pieces(
    raw.count,
    (i) =>
      `${raw.h[i]} ${raw.k[i]} ${raw.l[i]} ${raw.intensity[i]} ${raw.sigma[i]}${raw.batch ? ` ${raw.batch[i]}` : ''}`,
  );

function* patternLines({ file }: PatternRow): Generator<string> {
  const { twoTheta, intensity, sigma } = file.pattern;
  yield '# 2theta intensity su\n';
  yield* pieces(twoTheta.length, (i) => `${twoTheta[i]} ${intensity[i]} ${sigma[i]}`);
}

/** The rows of a project in a table as the text of one list, one row in memory at a time. */
async function* listOf<R>(
  table: Table<R, string>,
  id: string,
  more: readonly R[] = [],
  written: (row: R) => R = (row) => row,
): AsyncGenerator<string> {
  const keys = await table.where('projectId').equals(id).primaryKeys();
  let before = '[';
  for (const key of keys) {
    const row = await table.get(key);
    if (row === undefined) continue;
    yield before + encodeWire(written(row));
    before = ',\n';
  }
  for (const row of more) {
    yield before + encodeWire(row);
    before = ',\n';
  }
  yield before === '[' ? '[]' : ']';
}

/**
 * A project as the chunks of a file, with what could not be stored of it. `tell` hears the part that is being written.
 * Throws Error where it is not in this browser.
 */
export async function writeProject(
  id: string,
  from: NagareDatabase,
  unsaved: UnsavedRows = { marks: [], models: [], results: [] },
  tell: (part: string) => void = () => undefined,
): Promise<Uint8Array<ArrayBuffer>[]> {
  const project = await from.projects.get(id);
  if (!project) throw new Error('This project is no longer in the browser.');
  const zip = new ZipWriter();
  const add = async (name: string, content: AsyncIterable<string> | Iterable<string>): Promise<void> => {
    tell(name);
    await zip.part(name, content);
  };
  const one = async (name: string, value: unknown): Promise<void> => {
    if (value !== undefined) await add(name, [encodeWire(value)]);
  };
  await one('nagare.json', { format: 'nagare project', version: PROJECT_FORMAT, written: new Date().toISOString() });
  const head = unsaved.marks.at(-1)?.id ?? project.head;
  await one('project.json', head === undefined ? project : { ...project, head });
  // A long course is mostly maps, and would be more than can be read again; all but the present one are made when looked at.
  const lighter = (row: ResultRow): ResultRow => (row.markId === head ? row : withoutMap(row));
  await add('marks.json', listOf(from.marks, id, unsaved.marks));
  await add('models.json', listOf(from.models, id, unsaved.models));
  await add('results.json', listOf(from.results, id, unsaved.results, lighter));
  await one('intake.json', await from.intake.get(id));
  await one('solve.json', await from.solves.get(id));
  await one('powder.json', await from.powder.get(id));
  await one('looks.json', await from.looks.get(id));
  const raw = (await from.data.get(id))?.raw;
  await one('reflections.json', raw);
  if (raw) await add('reflections.txt', reflectionLines(raw));
  const patterns = await from.patterns.where('projectId').equals(id).sortBy('order');
  if (patterns.length) await one('patterns.json', patterns);
  for (const p of patterns) await add(`patterns/${p.id}.xye`, patternLines(p));
  return zip.end();
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

/** Stores the parts of a project under a new identifier, all or nothing. Throws StorageFull where there is no room. */
export async function storeParts(parts: ProjectParts, into: NagareDatabase): Promise<string> {
  const id = newId();
  const names = new Renaming();
  const { project, marks, models, results, raw, intake, solve, patterns, powder, looks } = parts;
  const known = new Set(marks.map((m) => m.id));
  const tables = [into.projects, into.data, into.intake, into.marks, into.models, into.results, into.solves];
  const store = async (): Promise<void> => {
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
  };
  await withRoom(into, () => into.transaction('rw', [...tables, into.patterns, into.powder, into.looks], store));
  return id;
}

/** Reads a project file, storing nothing. Throws Error with what is wrong where nothing of it can be kept. */
export function readProjectFile(bytes: Uint8Array, fileName: string): ReadProject {
  let parts: Record<string, unknown>;
  try {
    parts = unzipParts(bytes);
  } catch (e) {
    throw new Error(
      e instanceof TooLarge
        ? `${fileName} was not opened: ${e.message}.`
        : `${fileName} is not a Nagare project file, or it was cut short. Export it again.`,
    );
  }
  return readParts(parts, fileName, PROJECT_FORMAT);
}
