/** What every sheet of Refine works on: the model of the present mark with its data, and the contents the formula asks for. */
import { groupOrder } from '@nagare/core/crystal/space-group';
import { cellVolume } from '@nagare/core/crystal/cell';
import { proposeZ, type Formula } from '@nagare/core/crystal/formula';
import type { ModelAndData } from '@nagare/core/tasks/model-tasks';
import type { Structure } from '@nagare/core/crystal/structure';
import { useMemo } from 'react';
import { mergeServes, type Project } from '../../store/db.ts';
import { useSession } from '../../store/session.tsx';

/** Contents of the asymmetric unit by formula and Z; undefined without a formula. */
export function unitContents(project: Project, s: Structure): Formula | undefined {
  const { formula, z } = project.experiment;
  if (!formula) return undefined;
  const units = z ?? proposeZ(formula, cellVolume(s.cell), groupOrder(s.spaceGroup));
  return Object.fromEntries(Object.entries(formula).map(([e, n]) => [e, (n * units) / groupOrder(s.spaceGroup)]));
}

/** Undefined where the model has no intensities of its group. */
export function useModelAndData(): ModelAndData | undefined {
  const { head, intake, project, treatment } = useSession();
  return useMemo(() => {
    const wavelength = project.experiment.wavelength;
    if (!head || !intake?.merge || !wavelength || !mergeServes(intake, head.structure.spaceGroup)) return undefined;
    return { structure: head.structure, reflections: intake.merge.reflections, wavelength, treatment, weights: head.readings?.weights ?? { a: 0.1, b: 0 }, extinction: head.readings?.extinction?.value ?? 0 };
  }, [head, intake, project, treatment]);
}
