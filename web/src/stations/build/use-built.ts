/** What a wish makes of the present structure, worked out in a worker. */
import { useQuery } from '@tanstack/react-query';
import type { Built, BuildWish } from '@nagare/core/tasks/build-task';
import { run } from '../../engine/engine.ts';
import { useProject } from '../../store/use-project.tsx';

export interface BuiltState {
  readonly built: Built | undefined;
  readonly working: boolean;
  readonly error: string | undefined;
}

export function useBuilt(wish: BuildWish | undefined): BuiltState {
  const { head } = useProject('head');
  const query = useQuery({
    queryKey: ['build', head?.id, wish],
    enabled: !!wish && !!head?.structure?.sites.length,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    structuralSharing: false,
    // A table that is being picked from must not go away while the next slab is cut.
    placeholderData: (old, before) =>
      before?.queryKey[1] === head?.id && sameWay(before?.queryKey[2], wish) ? old : undefined,
    queryFn: () => run('build', { structure: head!.structure!, wish: wish! }).result,
  });
  return {
    built: wish && !query.error ? query.data : undefined,
    working: query.isFetching,
    error: query.error?.message,
  };
}

const sameWay = (before: unknown, wish: BuildWish | undefined): boolean =>
  !!wish && (before as BuildWish | undefined)?.kind === wish.kind;
