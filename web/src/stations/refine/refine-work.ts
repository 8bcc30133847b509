/** One least-squares run on the present mark, with its result as a new mark. */
import type { Treatment } from '@nagare/core/crystal/treatment';
import type { CycleReport } from '@nagare/core/refine/single-crystal';
import { run, type Place } from '../../engine/engine.ts';
import { percent } from '../../frame/parts.tsx';
import { addMark } from '../../store/projects.ts';
import type { Session } from '../../store/session.tsx';

export interface RefineWish {
  cycles: number;
  displacement?: 'iso' | 'aniso';
  place?: Place;
  treatment?: Treatment;
  onCycle?(c: CycleReport): void;
}

export async function refineMark(session: Session, wish: RefineWish): Promise<void> {
  const { project, head: from, merged, perform, goTo } = session;
  const wavelength = project.experiment.wavelength;
  if (!from || !merged || !wavelength) return;
  const treatment = wish.treatment ?? session.treatment;
  const { displacement, cycles } = wish;
  const done = await perform('Refining', (tell) =>
    run(
      'refine',
      {
        structure: from.structure,
        reflections: merged.reflections,
        wavelength,
        ...(displacement ? { displacement } : {}),
        options: {
          cycles,
          weights: from.readings?.weights ?? { a: 0.1, b: 0 },
          optimizeWeights: true,
          extinction: !!treatment.extinction,
          treatment,
          ...(from.readings?.extinction ? { extinctionStart: from.readings.extinction.value } : {}),
        },
      },
      (c: CycleReport) => {
        wish.onCycle?.(c);
        tell(
          `cycle ${c.cycle} of ${cycles}: R1 ${percent(c.r1)}, wR2 ${percent(c.wr2)}, largest shift ${c.maxShiftOverSu.toFixed(2)} s.u. (${c.maxShiftOf})`,
        );
      },
      wish.place,
    ),
  );
  if (!done) return;
  const { result, map, absolute } = done;
  goTo(
    await addMark(
      {
        projectId: project.id,
        parent: from.id,
        kind: 'refine',
        structure: result.structure,
        r1: result.readings.r1,
        wr2: result.readings.wr2,
        readings: result.readings,
        title: `${result.history.length} cycles${displacement === 'aniso' ? ', anisotropic' : displacement === 'iso' ? ', isotropic' : ''}${result.state === 'diverged' ? ', ran away' : ''}`,
        message: `${result.message}${result.undetermined.length ? ` Not determined by the data: ${result.undetermined.slice(0, 4).join(', ')}.` : ''}`,
        treatment: done.treatment,
        ...(absolute ? { absolute } : {}),
        residual: { peak: map.peaks[0]?.height ?? 0, hole: map.holes[0]?.height ?? 0, sigma: map.sigma },
      },
      { map, ...(result.covariance ? { covariance: result.covariance } : {}) },
    ),
  );
}
