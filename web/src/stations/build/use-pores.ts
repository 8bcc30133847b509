/** Empty space of a structure, worked out in a worker. */
import { useQuery } from '@tanstack/react-query';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Pores } from '@nagare/core/space/pores';
import { run } from '../../engine/engine.ts';

/** Undefined while it is looked for, null where nothing fits. */
export type PoresFound = Pores | null | undefined;

/** `name` tells one structure from another. */
export function usePores(structure: Structure | undefined, name: unknown): PoresFound {
  const query = useQuery({
    queryKey: ['pores', name],
    enabled: !!structure?.sites.length,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: () => run('pores', { structure: structure! }).result,
  });
  return structure ? query.data : undefined;
}
