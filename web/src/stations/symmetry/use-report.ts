/** The symmetry report of the present mark, worked out in a worker and kept while the mark stays. */
import { useQuery } from '@tanstack/react-query';
import type { SymmetryReport } from '@nagare/core/symmetry/report';
import { run } from '../../engine/engine.ts';
import { inAxesOf } from '../../store/mark-data.ts';
import { useSession } from '../../store/session.tsx';

export function useSymmetryReport(tolerance: number): {
  report: SymmetryReport | undefined;
  working: boolean;
  error: string | undefined;
} {
  const { head, intake } = useSession();
  const raw = intake?.raw && !intake.raw.merged ? intake.raw : undefined;
  const query = useQuery({
    queryKey: ['symmetry', head?.id, tolerance, raw?.count ?? 0],
    enabled: !!head && head.structure.sites.length > 0,
    staleTime: Infinity,
    gcTime: 300_000,
    placeholderData: (old: SymmetryReport | undefined) =>
      old?.group.hall === head?.structure.spaceGroup.hall ? old : undefined,
    queryFn: () =>
      run('symmetry', { structure: head!.structure, tolerance, ...(raw ? { raw: inAxesOf(raw, head!) } : {}) }).result,
  });
  return { report: query.data, working: query.isFetching, error: query.error ? query.error.message : undefined };
}
