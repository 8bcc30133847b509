/** One least-squares run on the present mark, with its result as a new mark. */
import type { Treatment } from '@nagare/core/crystal/treatment';
import type { CycleReport } from '@nagare/core/refine/single-crystal';
import type { RefineTaskResult } from '@nagare/core/tasks/refine-tasks';
import { run, type Place } from '../../engine/engine.ts';
import { inSteps } from '../../engine/steps.ts';
import { percent } from '../../frame/parts.tsx';
import { residualFigures } from '../../store/evaluation.ts';
import { experimentOf } from '../../store/experiment.ts';
import { openState, type ProjectStore, type RecordedMark } from '../../store/project-state.ts';

export interface RefineWish {
  cycles: number;
  displacement?: 'iso' | 'aniso';
  place?: Place;
  treatment?: Treatment;
  onCycle?(c: CycleReport): void;
}

/** A refinement's outcome as a mark to be. */
export function refinedMark(
  done: RefineTaskResult,
  said: { readonly title: string; readonly message: string; readonly parent: string },
): RecordedMark {
  const { result, map, treatment, absolute } = done;
  const { readings, structure, covariance } = result;
  return {
    ...said,
    kind: 'refine',
    content: { kind: 'structure', structure, treatment },
    judged: {
      r1: readings.r1,
      wr2: readings.wr2,
      readings,
      residual: residualFigures(map),
      ...(absolute ? { absolute } : {}),
    },
    result: { map, ...(covariance ? { covariance } : {}) },
  };
}

/** How far a refinement is, in a line. */
export const cycleWords = (c: CycleReport, of?: number): string =>
  `cycle ${c.cycle}${of ? ` of ${of}` : ''}: R1 ${percent(c.r1)}, wR2 ${percent(c.wr2)}, largest shift ${c.maxShiftOverSu.toFixed(2)} s.u. (${c.maxShiftOf})`;

const DISPLACEMENT_WORDS = { aniso: ', anisotropic', iso: ', isotropic' };

/** What is said of a run on the course. */
function refinedWords(result: RefineTaskResult['result'], displacement: RefineWish['displacement']) {
  const lost = result.undetermined.slice(0, 4).join(', ');
  return {
    title: `${result.history.length} cycles${displacement ? DISPLACEMENT_WORDS[displacement] : ''}${result.state === 'diverged' ? ', ran away' : ''}`,
    message: `${result.message}${lost ? ` Not determined by the data: ${lost}.` : ''}`,
  };
}

/** Refines the present mark; the work is over when its result stands on the course. */
export async function refineMark(store: ProjectStore, wish: RefineWish): Promise<void> {
  const { project, head, merged, perform, record } = openState(store);
  const wavelength = project.experiment.wavelength;
  if (!head?.structure || !merged || !wavelength) return;
  const { displacement, cycles, place } = wish;
  const given = experimentOf(head, merged, wavelength);
  const input = {
    ...given,
    treatment: wish.treatment ?? given.treatment,
    ...(displacement ? { displacement } : {}),
    options: { cycles, optimizeWeights: true, settled: 0.001 },
  };
  await perform('Refining', (tell) =>
    inSteps(async (step) => {
      const heard = (c: CycleReport): void => {
        wish.onCycle?.(c);
        tell(cycleWords(c, cycles));
      };
      const done = await step(run('refine', input, heard, place));
      await record(refinedMark(done, { parent: head.id, ...refinedWords(done.result, displacement) }));
    }),
  );
}
