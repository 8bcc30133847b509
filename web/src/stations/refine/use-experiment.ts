/** What every sheet of Refine works on: the model of the present mark with its data. */
import type { Experiment } from '@nagare/core/crystal/experiment';
import { useMemo } from 'react';
import { experimentOf } from '../../store/experiment.ts';
import { useProject } from '../../store/use-project.tsx';

/** Undefined where the model has no intensities of its group. */
export function useExperiment(): Experiment | undefined {
  const { head, merged, project } = useProject('head', 'merged', 'project');
  const { wavelength } = project.experiment;
  return useMemo(
    () => (head?.structure && merged && wavelength ? experimentOf(head, merged, wavelength) : undefined),
    [head, merged, wavelength],
  );
}
