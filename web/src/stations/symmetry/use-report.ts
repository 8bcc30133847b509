/** The symmetry report of the present mark, worked out in a worker and kept while the mark stays. */
import { useQuery } from '@tanstack/react-query';
import type { SymmetryReport } from '@nagare/core/symmetry/report';
import { run } from '../../engine/engine.ts';
import { inAxesOf } from '../../store/mark-data.ts';
import { useProject } from '../../store/use-project.tsx';

export function useSymmetryReport(tolerance: number): {
  report: SymmetryReport | undefined;
  working: boolean;
  error: string | undefined;
} {
  const { head, intake } = useProject('head', 'intake');
  const structure = head?.structure;
  const raw = intake?.raw && !intake.raw.merged ? intake.raw : undefined;
  const query = useQuery({
    queryKey: ['symmetry', head?.id, tolerance, raw?.count ?? 0],
    enabled: !!structure?.sites.length,
    staleTime: Infinity,
    gcTime: 300_000,
    placeholderData: (old: SymmetryReport | undefined) =>
      old?.group.hall === structure?.spaceGroup.hall ? old : undefined,
    queryFn: async () => {
      const measured = raw ? { raw: await inAxesOf(raw, head!) } : {};
      return run('symmetry', { structure: structure!, tolerance, ...measured }).result;
    },
  });
  return { report: query.data, working: query.isFetching, error: query.error ? query.error.message : undefined };
}
