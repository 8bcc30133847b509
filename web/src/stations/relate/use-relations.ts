/** Rings, relations and coordination of the present mark, worked out in a worker and kept while the mark stays. */
import { useQuery } from '@tanstack/react-query';
import { withBonding } from '@nagare/core/crystal/bonding';
import type { Relations } from '@nagare/core/tasks/relate-task';
import { run } from '../../engine/engine.ts';
import { useProject } from '../../store/use-project.tsx';

export function useRelations(
  reach: number,
  cuts: Readonly<Record<string, number>>,
): {
  found: Relations | undefined;
  working: boolean;
  error: string | undefined;
} {
  const { head, result, looks } = useProject('head', 'result', 'looks');
  const { bonding } = looks;
  const covariance = result?.covariance;
  const query = useQuery({
    queryKey: ['relate', head?.id, reach, !!covariance, bonding, cuts],
    enabled: !!head?.structure?.sites.length,
    staleTime: Infinity,
    gcTime: 300_000,
    // Of the same model while the reach changes: a field that is being typed in must not go away.
    placeholderData: (old, before) => (before?.queryKey[1] === head?.id ? old : undefined),
    queryFn: () =>
      run('relate', {
        structure: withBonding(head!.structure!, bonding),
        reach,
        ...(Object.keys(cuts).length ? { cuts } : {}),
        ...(covariance ? { covariance } : {}),
      }).result,
  });
  return { found: query.data, working: query.isFetching, error: query.error?.message };
}
