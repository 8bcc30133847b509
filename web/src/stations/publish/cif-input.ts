/** Everything known of the present mark, as the CIF, the tables and the report take it. */
import { useMemo } from 'react';
import type { CifInput } from '@nagare/core/publish/structure-cif';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import { recordInAxes } from '../../store/experiment.ts';
import type { Pin } from '../../store/looks.ts';
import { useProject } from '../../store/use-project.tsx';

/** Pins that CIF has loops for: distances, angles and torsions of atoms. */
export const pinnedChains = (pins: readonly Pin[]): AtomRef[][] =>
  pins.flatMap((p) => {
    const atoms = p.things.flatMap((t) => (t.kind === 'point' && t.atoms.length === 1 ? t.atoms : []));
    return atoms.length === p.things.length && atoms.length > 1 && atoms.length < 5 ? [atoms] : [];
  });

export function useCifInput(): CifInput | undefined {
  const { project, head, merged, intake, result, looks } = useProject(
    'project',
    'head',
    'merged',
    'intake',
    'result',
    'looks',
  );
  return useMemo(() => {
    if (!head?.structure) return undefined;
    const experiment = recordInAxes(project.experiment, head.basis);
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
      ...(looks.pins.length ? { pinned: pinnedChains(looks.pins) } : {}),
    };
  }, [project, head, merged, intake, result, looks.pins]);
}
