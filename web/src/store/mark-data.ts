/** The data as a mark needs them: in its own axes, merged for its own group. What Intake merged serves most marks; others are merged once and kept. */
import { useQuery } from '@tanstack/react-query';
import type { MergeTaskResult } from '@nagare/core/tasks/registry';
import { transformReflections, type RawReflections } from '@nagare/core/crystal/reflections';
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import type { Cell } from '@nagare/core/crystal/cell';
import type { Mat3 } from '@nagare/core/math/matrix3';
import { run } from '../engine/engine.ts';
import { db, mergeServes, type IntakeRow, type Mark, type Project } from './db.ts';

/** Raw data carried to the axes of a mark. */
export const inAxesOf = (raw: RawReflections, mark: Pick<Mark, 'basis'>): RawReflections =>
  mark.basis ? transformReflections(raw, mark.basis).raw : raw;

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
  const merge = await run('merge', { raw: inAxesOf(raw, basis ? { basis } : {}), cell, group }).result;
  await db.merges.put({ key, projectId, merge });
  return merge;
}

/** Merged data of the present mark; Intake's while there is none. */
export function useMerged(
  project: Project | undefined,
  intake: IntakeRow | undefined,
  head: Mark | undefined,
): MergeTaskResult | undefined {
  const structure = head?.structure;
  const served = !head || (!head.basis && mergeServes(intake, head.structure.spaceGroup));
  const query = useQuery({
    queryKey: [
      'merged',
      project &&
        structure &&
        keyOf(project.id, structure.spaceGroup, head?.basis, intake?.raw.count ?? 0, intake?.correction?.stamp ?? 0),
    ],
    enabled: !!project && !!structure && !!intake && !served,
    staleTime: Infinity,
    gcTime: 300_000,
    queryFn: () => mergedData(project!.id, intake!, structure!.spaceGroup, structure!.cell, head!.basis),
  });
  return served ? intake?.merge : query.data;
}
