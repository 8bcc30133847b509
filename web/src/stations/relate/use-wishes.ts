/** Wishes of a molecule, first with coarse fields and then with fine ones, and the surfaces of the fields at their levels. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { Probe } from '@nagare/core/contacts/probes';
import { PROBES } from '@nagare/core/contacts/probes';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Surface } from '@nagare/core/maps/isosurface';
import type { WishesAnswer } from '@nagare/core/tasks/wishes-task';
import { run } from '../../engine/engine.ts';
import { useProject } from '../../store/use-project.tsx';

/** Å between points of the first picture and of the second. */
const COARSE = 0.6,
  FINE = 0.27;

export interface WishesAsked {
  readonly probes: readonly Probe[];
  readonly molecule: AtomRef | undefined;
  readonly part: readonly AtomRef[];
}

interface FoundWishes {
  readonly answer: WishesAnswer | undefined;
  readonly refining: boolean;
  readonly problem: string | undefined;
}

export function useWishes(s: Structure | undefined, { probes, molecule, part }: WishesAsked): FoundWishes {
  const { head, looks } = useProject('head', 'looks');
  const ask = (step: number) =>
    run('wishes', {
      structure: s!,
      probes,
      step,
      ...(molecule ? { molecule } : {}),
      ...(part.length ? { part } : {}),
    }).result;
  const key = ['wishes', head?.id, looks.bonding, probes, molecule, part];
  const enabled = !!s && probes.length > 0;
  const common = { enabled, staleTime: Infinity, gcTime: 30_000, retry: false } as const;
  const coarse = useQuery({ ...common, queryKey: [...key, COARSE], queryFn: () => ask(COARSE) });
  const fine = useQuery({
    ...common,
    enabled: enabled && !!coarse.data,
    queryKey: [...key, FINE],
    queryFn: () => ask(FINE),
  });
  const problem = coarse.error ?? fine.error;
  return {
    answer: enabled ? (fine.data ?? coarse.data) : undefined,
    refining: enabled && !fine.data && !problem,
    problem: problem?.message,
  };
}

/** Surfaces of the fields, one for each probe; the last ones while new ones are made. */
export function useWishSurfaces(
  answer: WishesAnswer | undefined,
  levelOf: (p: Probe) => number,
): readonly { readonly probe: Probe; readonly surface: Surface }[] {
  const { head } = useProject('head');
  const grids = answer?.grids ?? [];
  const levels = grids.map((g) => levelOf(g.probe));
  const query = useQuery({
    queryKey: ['wish surfaces', head?.id, answer?.wishes.spots, grids[0]?.step, grids.map((g) => g.probe), levels],
    enabled: grids.length > 0,
    staleTime: Infinity,
    gcTime: 1000,
    placeholderData: keepPreviousData,
    queryFn: async () => {
      const surfaces = await run('wish surfaces', { grids, levels }).result;
      return surfaces.map((surface, i) => ({ probe: grids[i]!.probe, surface }));
    },
  });
  return grids.length ? (query.data ?? NONE) : NONE;
}
const NONE: readonly { readonly probe: Probe; readonly surface: Surface }[] = [];

/** Probes in the order they are offered in. */
export const inOrder = (list: readonly Probe[]): Probe[] => PROBES.filter((p) => list.includes(p));
