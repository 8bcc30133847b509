/** The settle run on the present mark: stage after stage, each a mark of the course. */
import type { Experiment } from '@nagare/core/crystal/experiment';
import { contentsOfUnit } from '@nagare/core/crystal/structure';
import type { SettleReport } from '@nagare/core/settle/settle';
import type { Stage } from '@nagare/core/settle/stage';
import { run, type Place } from '../../engine/engine.ts';
import { inSteps } from '../../engine/steps.ts';
import { percent } from '../../frame/parts.tsx';
import { residualFigures } from '../../store/evaluation.ts';
import { openState, type ProjectStore, type RecordedMark } from '../../store/project-state.ts';

export interface SettleWish {
  readonly input: Experiment;
  /** Whether disorder is modelled, or left to the person. */
  readonly disorder: 'ask' | 'try';
  readonly place: Place;
  onStage(stage: Stage): void;
}

/** A stage of the run as a mark to be. */
function settledMark(stage: Stage, parent: string): RecordedMark {
  const { readings } = stage;
  return {
    parent,
    kind: 'settle',
    title: stage.title,
    message: stage.message,
    content: { kind: 'structure', structure: stage.structure, treatment: stage.treatment },
    judged: {
      r1: readings.r1,
      wr2: readings.wr2,
      readings,
      residual: residualFigures(stage.map),
    },
    result: { map: stage.map, ...(stage.covariance ? { covariance: stage.covariance } : {}) },
  };
}

/** Runs to where nothing moves or a decision is the person's. Stopped or failed, the stages that ended stay as marks. */
export async function settleMark(store: ProjectStore, wish: SettleWish): Promise<void> {
  const { project, head, perform, record, amend } = openState(store);
  if (!head) return;
  const { structure, reflections, wavelength, treatment } = wish.input;
  const { formula, z, temperature } = project.experiment;
  const contents = contentsOfUnit(structure, formula, z);
  const input = {
    structure,
    reflections,
    wavelength,
    treatment,
    disorder: wish.disorder,
    ...(contents ? { contents } : {}),
    ...(temperature ? { temperature } : {}),
  };
  // Each stage is put on the course after the one before, in the order they came.
  let last = Promise.resolve(head.id);
  const keep = (stage: Stage): Promise<string> =>
    (last = last.then(async (parent) => {
      const id = await record(settledMark(stage, parent));
      // Listed as done only when it is stored: a tab that is closed now loses nothing that was seen.
      wish.onStage(stage);
      return id;
    }));
  const follow = (r: SettleReport, tell: (detail: string) => void): void => {
    if (r.kind === 'cycle') {
      const { cycle, r1, maxShiftOverSu } = r.cycle;
      tell(`${r.title}: cycle ${cycle}, R1 ${percent(r1)}, largest shift ${maxShiftOverSu.toFixed(2)} s.u.`);
    } else if (r.kind === 'starting') tell(r.title);
    // What fails in storing is told at the end of the run, which waits for the last of them.
    else keep(r.stage).catch(() => undefined);
  };
  await perform('Settling', (tell) =>
    inSteps(async (step) => {
      const settling = run('settle', input, (r: SettleReport) => follow(r, tell), wish.place);
      const outcome = await step(settling).catch((e: Error) => e);
      const ended = outcome instanceof Error ? undefined : outcome;
      const mark = await last;
      const { decisions, absolute } = ended ?? {};
      const more = { ...(decisions?.length ? { decisions } : {}), ...(absolute ? { absolute } : {}) };
      if (mark !== head.id && Object.keys(more).length) await amend(mark, more);
      if (outcome instanceof Error) throw outcome;
    }),
  );
}
