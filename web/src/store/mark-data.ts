/** The data as a mark needs them: in its own axes, merged for its own group. What Intake merged serves most marks; others are merged once and kept. */
import type { MergeTaskResult } from '@nagare/core/tasks/intake-tasks';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Cell } from '@nagare/core/crystal/cell';
import type { Mat3 } from '@nagare/core/math/matrix3';
import { run } from '../engine/engine.ts';
import { db, mergeServes, type IntakeRow } from './db.ts';
import { keepRow } from './keeping.ts';

/** Data carried to other axes, by what they were carried from: one object, so that a worker that holds it is not handed it again. */
const carried = new WeakMap<RawReflections, Map<string, Promise<RawReflections>>>();

/** Raw data in the axes of a mark. */
export function inAxesOf(raw: RawReflections, mark: { readonly basis?: Mat3 | undefined }): Promise<RawReflections> {
  const { basis } = mark;
  if (!basis) return Promise.resolve(raw);
  const known = carried.get(raw) ?? new Map<string, Promise<RawReflections>>();
  carried.set(raw, known);
  const key = basis.join();
  const found = known.get(key) ?? run('axes', { raw, p: basis }).result;
  known.set(key, found);
  found.catch(() => known.delete(key));
  return found;
}

const keyOf = (projectId: string, group: SpaceGroup, basis: Mat3 | undefined, count: number, stamp: number): string =>
  `${projectId}|${group.hall}|${(basis ?? []).map((x) => x.toFixed(4)).join()}|${count}|${stamp}`;

/** Merged data for a group and axes, from the browser's store or made now. */
export async function mergedData(
  projectId: string,
  { raw, correction }: Pick<IntakeRow, 'raw' | 'correction'>,
  group: SpaceGroup,
  cell: Cell,
  basis: Mat3 | undefined,
): Promise<MergeTaskResult> {
  const key = keyOf(projectId, group, basis, raw.count, correction?.stamp ?? 0);
  const known = await db.merges.get(key);
  if (known) return known.merge;
  const merge = await run('merge', { raw: await inAxesOf(raw, { basis }), cell, group }).result;
  await keepRow(db, db.merges, { key, projectId, merge });
  return merge;
}

/** What says whether merged data still serve a model: they are made anew only when this text changes. */
export const mergeKey = (
  projectId: string,
  intake: IntakeRow | undefined,
  s: Structure,
  basis: Mat3 | undefined,
): string => keyOf(projectId, s.spaceGroup, basis, intake?.raw.count ?? 0, intake?.correction?.stamp ?? 0);

/** Merged data of a model; Intake's where they serve. */
export async function mergedForModel(
  projectId: string,
  intake: IntakeRow,
  s: Structure,
  basis: Mat3 | undefined,
): Promise<MergeTaskResult | undefined> {
  if (!basis && mergeServes(intake, s.spaceGroup)) return intake.merge;
  return mergedData(projectId, intake, s.spaceGroup, s.cell, basis);
}
