/** The vet of the present mark, run in a worker as the model changes and kept while it stays. */
import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { VetInput } from '@nagare/core/vet/context';
import type { VetReport } from '@nagare/core/vet/registry';
import { run } from '../../engine/engine.ts';
import { inAxesOf } from '../../store/mark-data.ts';
import { useProject } from '../../store/use-project.tsx';

interface Vetted {
  readonly report: VetReport;
  readonly markId: string;
  readonly seconds: number;
}

export function useVet(): { report: VetReport | undefined; working: boolean; seconds: number | undefined } {
  const { head, project, merged, intake, result, moreToCome } = useProject(
    'head',
    'project',
    'merged',
    'intake',
    'result',
    'moreToCome',
  );
  const asked = !!head?.structure?.sites.length;
  const residual = result?.markId === head?.id ? result?.map : undefined;
  const key = useMemo(
    () => ['vet', head?.id, merged?.statistics.measured ?? 0, residual ? 1 : 0, JSON.stringify(project.experiment)],
    [head?.id, merged, residual, project.experiment],
  );
  const query = useQuery<Vetted>({
    queryKey: key,
    // Once what it is judged by is there: a vet of a part of it would be another vet a moment later.
    enabled: asked && !moreToCome,
    staleTime: Infinity,
    gcTime: 300_000,
    placeholderData: (old) => (old?.markId === head?.id ? old : undefined),
    queryFn: async ({ signal }) => {
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
      const running = run('vet', input);
      signal.addEventListener('abort', () => running.cancel());
      return { report: await running.result, markId: m.id, seconds: (performance.now() - started) / 1000 };
    },
  });
  return {
    report: query.data?.report,
    working: query.isFetching || (asked && moreToCome),
    seconds: query.data?.seconds,
  };
}
