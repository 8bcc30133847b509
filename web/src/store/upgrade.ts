/** Old rows brought to the present shape. Each step knows only the shape before it and the one after. */
import type { Transaction } from 'dexie';
import type { Structure } from '@nagare/core/crystal/structure';
import { newId } from '@nagare/core/crystal/structure';
import type { Treatment } from '@nagare/core/crystal/treatment';
import type { CrystalMark, FitMark, FitState, Mark, ModelRow, StructureMark } from './marks.ts';

/** A mark up to version 3: the whole model inside, fits with a structure made up for them. */
export interface MarkBefore4 {
  id: string;
  projectId: string;
  parent?: string;
  created: number;
  kind: Mark['kind'];
  title: string;
  structure: Structure;
  treatment?: Treatment;
  fit?: FitState;
  message?: string;
  name?: string;
  r1?: number;
  wr2?: number;
  readings?: CrystalMark['readings'];
  residual?: CrystalMark['residual'];
  absolute?: CrystalMark['absolute'];
  decisions?: string[];
  basis?: CrystalMark['basis'];
}

const present = <T extends object>(fields: T): T =>
  Object.fromEntries(Object.entries(fields).filter(([, v]) => v !== undefined)) as T;

/** Takes the model out of a mark. `hasData` tells a crystal with intensities from a structure alone. */
export function splitMark(old: MarkBefore4, hasData: boolean): { mark: Mark; model: ModelRow } {
  const { id, projectId, parent, created, kind, title, message, name } = old;
  const model = newId();
  const base = { ...present({ id, projectId, parent, created, kind, title, message, name }), revision: 0, model };
  if (old.fit) {
    const { fit } = old;
    const mark: FitMark = present({
      ...base,
      type: 'fit',
      rwp: old.r1,
      phases: fit.model.phases.map((p) => p.name),
      parameters: fit.result?.parameters,
      s: fit.result?.s,
    });
    return { mark, model: { id: model, projectId, kind: 'fit', fit } };
  }
  const { structure, treatment, basis } = old;
  const about = { ...base, sites: structure.sites.length, group: structure.spaceGroup.symbol, basis };
  const row: ModelRow = present({ id: model, projectId, kind: 'structure', structure, treatment });
  if (!hasData) {
    const mark: StructureMark = present({ ...about, type: 'structure' });
    return { mark, model: row };
  }
  const { r1, wr2, readings, residual, absolute, decisions } = old;
  const mark: CrystalMark = present({ ...about, type: 'crystal', r1, wr2, readings, residual, absolute, decisions });
  return { mark, model: row };
}

/** Version 4: models beside the marks. Marks are taken one by one, so that a long course does not fill the memory. */
export async function modelsBesideMarks(tx: Transaction): Promise<void> {
  const marks = tx.table<unknown, string>('marks');
  const withData = new Set(await tx.table<unknown, string>('data').toCollection().primaryKeys());
  for (const id of await marks.toCollection().primaryKeys()) {
    const old = (await marks.get(id)) as MarkBefore4;
    const { mark, model } = splitMark(old, withData.has(old.projectId));
    await tx.table('models').add(model);
    await marks.put(mark);
  }
}
