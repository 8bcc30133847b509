/** Everything known of the present mark, as the CIF, the tables and the report take it. */
import { useMemo } from 'react';
import type { CifInput } from '@nagare/core/publish/structure-cif';
import { useProject } from '../../store/use-project.tsx';

export function useCifInput(): CifInput | undefined {
  const { project, head, merged, intake, result } = useProject('project', 'head', 'merged', 'intake', 'result');
  return useMemo(() => {
    if (!head?.structure) return undefined;
    const { experiment } = project;
    const explanations = Object.values(project.explanations ?? {});
    return {
      name: project.name,
      structure: head.structure,
      experiment,
      ...(experiment.wavelength ? { wavelength: experiment.wavelength } : {}),
      date: new Date().toISOString(),
      ...(merged
        ? { reflections: merged.reflections, ...(intake?.raw.merged ? {} : { statistics: merged.statistics }) }
        : {}),
      ...(head.readings ? { readings: head.readings } : {}),
      ...(result?.markId === head.id && result.covariance ? { covariance: result.covariance } : {}),
      ...(head.residual ? { residual: head.residual } : {}),
      ...(head.treatment ? { treatment: head.treatment } : {}),
      ...(head.absolute ? { absolute: head.absolute } : {}),
      ...(explanations.length ? { explanations } : {}),
    };
  }, [project, head, merged, intake, result]);
}
