/** The pairs of elements of the present structure, worked out in a worker. */
import { useQuery } from '@tanstack/react-query';
import type { PairProposal } from '@nagare/core/geometry/bonding-proposal';
import { run } from '../../engine/engine.ts';
import { useProject } from '../../store/use-project.tsx';

export function usePairs(): readonly PairProposal[] | undefined {
  const { head } = useProject('head');
  return useQuery({
    queryKey: ['pairs', head?.id],
    enabled: !!head?.structure?.sites.length,
    staleTime: Infinity,
    placeholderData: (old) => old,
    queryFn: () => run('pairs', { structure: head!.structure! }).result,
  }).data;
}
