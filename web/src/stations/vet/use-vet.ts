/** The vet of the present mark, run in a worker as the model changes and kept while it stays. */
import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { VetInput } from '@nagare/core/vet/context';
import type { VetReport } from '@nagare/core/vet/registry';
import { run } from '../../engine/engine.ts';
import { inAxesOf } from '../../store/mark-data.ts';
import { useProject } from '../../store/use-project.tsx';

export function useVet(): { report: VetReport | undefined; working: boolean; seconds: number | undefined } {
  const { head, project, merged, intake, result } = useProject('head', 'project', 'merged', 'intake', 'result');
  const residual = result?.markId === head?.id ? result?.map : undefined;
  const key = useMemo(
    () => ['vet', head?.id, merged?.statistics.measured ?? 0, residual ? 1 : 0, JSON.stringify(project.experiment)],
    [head?.id, merged, residual, project.experiment],
  );
  const query = useQuery({
    queryKey: key,
    enabled: !!head?.structure?.sites.length,
    staleTime: Infinity,
    gcTime: 300_000,
    placeholderData: (old: { report: VetReport; markId: string; seconds: number } | undefined) =>
      old?.markId === head?.id ? old : undefined,
    queryFn: async () => {
      const m = head!,
        started = performance.now();
      const raw = intake?.raw && !intake.raw.merged ? await inAxesOf(intake.raw, m) : undefined;
      const input: VetInput = {
        structure: m.structure!,
        experiment: project.experiment,
        ...(project.experiment.wavelength ? { wavelength: project.experiment.wavelength } : {}),
        ...(m.readings ? { readings: m.readings } : {}),
        ...(merged ? { reflections: merged.reflections, ...(raw ? { statistics: merged.statistics } : {}) } : {}),
        ...(raw ? { raw } : {}),
        ...(residual ? { peaks: residual.peaks, holes: residual.holes, residualSigma: residual.sigma } : {}),
        ...(m.absolute ? { absolute: m.absolute } : {}),
        ...(m.treatment ? { treatment: m.treatment } : {}),
        ...(m.kind === 'import' && project.source?.items ? { items: project.source.items } : {}),
      };
      return { report: await run('vet', input).result, markId: m.id, seconds: (performance.now() - started) / 1000 };
    },
  });
  return { report: query.data?.report, working: query.isFetching, seconds: query.data?.seconds };
}
