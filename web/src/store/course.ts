/** Putting marks on the course. */
import { newId } from '@nagare/core/crystal/structure';
import type { Mat3 } from '@nagare/core/math/matrix3';
import type { NagareDatabase, ResultRow } from './db.ts';
import { StorageFull, demandProject, withRoom } from './keeping.ts';
import type { Content, CrystalMark, Mark, MarkKind, ModelRow } from './marks.ts';

/** A mark to be: what it holds and how it was judged. What type it is follows from its content and the project's data. */
export interface NewMark {
  readonly projectId: string;
  readonly parent?: string;
  readonly kind: MarkKind;
  readonly title: string;
  readonly message?: string;
  readonly content: Content;
  /** Of a crystal that was judged against its data. */
  readonly judged?: Pick<CrystalMark, 'r1' | 'wr2' | 'readings' | 'residual' | 'absolute' | 'decisions'>;
  readonly rwp?: number;
  /** Axes of its own; else those of the parent. */
  readonly basis?: Mat3;
  readonly result?: Omit<ResultRow, 'markId' | 'projectId'>;
}

const present = <T extends object>(fields: T): T =>
  Object.fromEntries(Object.entries(fields).filter(([, v]) => v !== undefined)) as T;

function markRow(wish: NewMark, model: string, created: number, hasData: boolean, basis: Mat3 | undefined): Mark {
  const { projectId, parent, kind, title, message, content } = wish;
  const base = { ...present({ id: newId(), projectId, parent, kind, title, message }), created, revision: 0, model };
  if (content.kind === 'fit') {
    const { fit } = content;
    return present({
      ...base,
      type: 'fit' as const,
      rwp: wish.rwp,
      phases: fit.model.phases.map((p) => p.name),
      parameters: fit.result?.parameters,
      s: fit.result?.s,
    });
  }
  const { structure } = content;
  const about = { ...base, sites: structure.sites.length, group: structure.spaceGroup.symbol, basis };
  return hasData
    ? present({ ...about, type: 'crystal' as const, ...wish.judged })
    : present({ ...about, type: 'structure' as const });
}

/** The rows of a new mark, whether they are stored or not. */
export interface MarkRows {
  readonly mark: Mark;
  readonly model: ModelRow;
  readonly result?: ResultRow;
}

/** What a mark's rows depend on beside what is wished. */
interface Grounds {
  readonly parent: Mark | undefined;
  readonly hasData: boolean;
}

export function markRows(wish: NewMark, { parent, hasData }: Grounds): MarkRows {
  const { projectId } = wish;
  const model: ModelRow = { ...wish.content, id: newId(), projectId };
  // A model keeps the axes of the one it was made from, unless it brings its own.
  const basis = wish.basis ?? (parent && parent.type !== 'fit' ? parent.basis : undefined);
  // Later than its parent even where the clock stood still, so that the course keeps its order.
  const created = Math.max(Date.now(), (parent?.created ?? 0) + 1);
  const mark = markRow(wish, model.id, created, hasData, basis);
  return { mark, model, ...(wish.result ? { result: { ...wish.result, markId: mark.id, projectId } } : {}) };
}

/** Stores rows that are ready, and makes their mark the project's latest place. Throws ProjectGone or StorageFull. */
export const storeRows = (db: NagareDatabase, { mark, model, result }: MarkRows): Promise<void> =>
  withRoom(db, () =>
    db.transaction('rw', [db.projects, db.marks, db.models, db.results], async () => {
      await demandProject(db, mark.projectId);
      await db.models.put(model);
      await db.marks.put(mark);
      if (result) await db.results.put(result);
      await db.projects.update(mark.projectId, { head: mark.id, updated: Date.now() });
    }),
  );

/** Stores rows one after another until there is no room; returns those that are left, to stay on the page. Throws ProjectGone. */
export async function storeInOrder(db: NagareDatabase, waiting: readonly MarkRows[]): Promise<readonly MarkRows[]> {
  for (const [i, rows] of waiting.entries()) {
    try {
      await storeRows(db, rows);
    } catch (e) {
      if (e instanceof StorageFull) return waiting.slice(i);
      throw e;
    }
  }
  return [];
}

/**
 * Puts a new mark on the course with its model and large results, and makes it the project's latest place. Throws ProjectGone;
 * throws StorageFull, unless the transaction around it is another's, which then fails as a whole.
 */
export async function addMark(db: NagareDatabase, wish: NewMark): Promise<MarkRows> {
  return db.transaction('rw', [db.projects, db.marks, db.models, db.results, db.data], async () => {
    const parent = wish.parent ? await db.marks.get(wish.parent) : undefined;
    const hasData = (await db.data.where('projectId').equals(wish.projectId).count()) > 0;
    const rows = markRows(wish, { parent, hasData });
    await demandProject(db, wish.projectId);
    await db.models.add(rows.model);
    await db.marks.add(rows.mark);
    if (rows.result) await db.results.add(rows.result);
    await db.projects.update(wish.projectId, { head: rows.mark.id, updated: Date.now() });
    return rows;
  });
}
