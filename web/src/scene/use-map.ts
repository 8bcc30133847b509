/** The map on show: the residual map that came with the mark, or another synthesis worked out when asked for. */
import { useQuery } from '@tanstack/react-query';
import type { SampledMap } from '@nagare/core/maps/sample';
import { run } from '../engine/engine.ts';
import { useExperiment } from '../stations/refine/use-experiment.ts';
import { useProject } from '../store/use-project.tsx';

export function useShownMap(): (SampledMap & { values: Float32Array }) | undefined {
  const { head, result, mapKind } = useProject('head', 'result', 'mapKind');
  const input = useExperiment();
  const other = useQuery({
    queryKey: ['map', head?.id, mapKind],
    enabled: mapKind !== 'difference' && !!input,
    staleTime: Infinity,
    gcTime: 60_000,
    queryFn: () => run('map', { ...input!, kind: mapKind }).result,
  });
  if (mapKind === 'difference') return result && result.markId === head?.id ? result.map : undefined;
  return other.data;
}
