/** Refinement with aspherical atoms on the present mark: round after round, each a mark of the course. */
import type { Experiment } from '@nagare/core/crystal/experiment';
import type { FactorReport } from '@nagare/core/aspherical/crystal-factors';
import type { Stage } from '@nagare/core/settle/stage';
import type { AsphericalChoices, AsphericalTaskReport } from '@nagare/core/tasks/wave-tasks';
import { decimal } from '@nagare/core/math/decimal';
import { run, type Place } from '../../engine/engine.ts';
import { inSteps } from '../../engine/steps.ts';
import { percent } from '../../frame/parts.tsx';
import { residualFigures } from '../../store/evaluation.ts';
import { openState, type ProjectStore, type RecordedMark } from '../../store/project-state.ts';

/** One round as it ended. */
export interface RoundDone {
  /** 0 is the model with spherical atoms. */
  readonly round: number;
  readonly stage: Stage;
  readonly seconds: number;
}

export interface AsphericalWish {
  readonly input: Experiment;
  readonly choices: AsphericalChoices;
  readonly place: Place;
  onRound(done: RoundDone): void;
}

function roundMark(stage: Stage, parent: string): RecordedMark {
  const { readings } = stage;
  return {
    parent,
    kind: 'refine',
    title: stage.title,
    message: stage.message,
    content: { kind: 'structure', structure: stage.structure, treatment: stage.treatment },
    judged: { r1: readings.r1, wr2: readings.wr2, readings, residual: residualFigures(stage.map) },
    result: { map: stage.map, ...(stage.covariance ? { covariance: stage.covariance } : {}) },
  };
}

/** What a wavefunction is doing, in a line. */
export function factorWords(r: FactorReport): string {
  const which = r.of > 1 ? `molecule ${r.molecule + 1} of ${r.of}, ` : '';
  switch (r.stage) {
    case 'integrals':
      return `${which}integrals ${Math.round(100 * r.share)} %`;
    case 'field':
      return `${which}iteration ${r.iteration}: ${decimal(r.energy, 5)} hartree, gradient ${r.gradient.toExponential(0)}`;
    case 'shares':
      return `${which}the density is divided among the atoms`;
    case 'factors':
      return `${which}form factors of every reflection ${Math.round(100 * r.share)} %`;
  }
}

function reportWords(r: Exclude<AsphericalTaskReport, { kind: 'stage' }>): string {
  switch (r.kind) {
    case 'spherical':
      return `Spherical atoms for comparison: cycle ${r.cycle.cycle}, R1 ${percent(r.cycle.r1)}`;
    case 'round':
      return `Round ${r.round}: ${factorWords(r.factors)}`;
    case 'cycle':
      return `Round ${r.round}: cycle ${r.cycle.cycle}, R1 ${percent(r.cycle.r1)}, largest shift ${r.cycle.maxShiftOverSu.toFixed(2)} s.u.`;
  }
}

/** Runs until model and wavefunction agree. Stopped or failed, the rounds that ended stay as marks to go on from. */
export async function asphericalMark(store: ProjectStore, wish: AsphericalWish): Promise<void> {
  const { head, perform, record, amend } = openState(store);
  if (!head) return;
  let last = Promise.resolve(head.id),
    began = performance.now();
  const keep = (round: number, stage: Stage): Promise<string> => {
    const seconds = (performance.now() - began) / 1000;
    began = performance.now();
    return (last = last.then(async (parent) => {
      const id = await record(roundMark(stage, parent));
      wish.onRound({ round, stage, seconds });
      return id;
    }));
  };
  const input = { ...wish.input, choices: wish.choices };
  await perform('Aspherical atoms', (tell) =>
    inSteps(async (step) => {
      const heard = (r: AsphericalTaskReport): void => {
        // What fails in storing is told at the end of the run, which waits for the last of them.
        if (r.kind === 'stage') keep(r.round, r.stage).catch(() => undefined);
        else tell(reportWords(r));
      };
      const outcome = await step(run('aspherical', input, heard, wish.place)).catch((e: Error) => e);
      const mark = await last;
      if (outcome instanceof Error) throw outcome;
      if (mark !== head.id) await amend(mark, { message: outcome.message });
    }),
  );
}
