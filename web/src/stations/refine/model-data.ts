/** What every sheet of Refine works on: the model of the present mark with its data. */
import type { ModelAndData } from '@nagare/core/tasks/model-tasks';
import { useMemo } from 'react';
import { useSession } from '../../store/session.tsx';

/** Undefined where the model has no intensities of its group. */
export function useModelAndData(): ModelAndData | undefined {
  const { head, merged, project, treatment } = useSession();
  return useMemo(() => {
    const wavelength = project.experiment.wavelength;
    if (!head || !merged || !wavelength) return undefined;
    return {
      structure: head.structure,
      reflections: merged.reflections,
      wavelength,
      treatment,
      weights: head.readings?.weights ?? { a: 0.1, b: 0 },
      extinction: head.readings?.extinction?.value ?? 0,
    };
  }, [head, merged, project, treatment]);
}
