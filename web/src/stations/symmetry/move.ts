/** A model carried to other axes or another group: one mark for the change, one for its refinement, both on a new branch. */
import { prettySymbol } from '@nagare/core/crystal/settings';
import { experiment } from '@nagare/core/crystal/experiment';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Treatment } from '@nagare/core/crystal/treatment';
import { multiply3, IDENTITY3, type Mat3 } from '@nagare/core/math/matrix3';
import type { CycleReport } from '@nagare/core/refine/single-crystal';
import type { MergeTaskResult } from '@nagare/core/tasks/intake-tasks';
import { run } from '../../engine/engine.ts';
import { inSteps, unlessStopped } from '../../engine/steps.ts';
import { percent } from '../../frame/parts.tsx';
import { residualFigures } from '../../store/evaluation.ts';
import { mergedData } from '../../store/mark-data.ts';
import type { Head } from '../../store/marks.ts';
import { openState, type ProjectStore, type RecordedMark } from '../../store/project-state.ts';
import { cycleWords, refinedMark } from '../refine/refine-work.ts';

export interface Move {
  structure: Structure;
  treatment: Treatment;
  /** From the present axes to the new ones; the identity where only the group changes. */
  p: Mat3;
  title: string;
  weights?: { a: number; b: number };
  extinction?: number;
  /** Weights are sought anew: for another group, not for another setting of a refined model. */
  optimizeWeights: boolean;
  /** Says how R1 stood before, as moved, and refined again. */
  compareR1?: boolean;
}

const isIdentity = (p: Mat3): boolean => p.every((x, i) => Math.abs(x - IDENTITY3[i]!) < 1e-9);

/** How R1 stood before, as moved, and refined again. */
function agreementWords(before: Head, moved: number, refined: number, now: Structure): string {
  const sameAs = (r1: number): boolean => Math.abs(r1 - before.r1!) < 1e-4;
  const group = prettySymbol(before.structure?.spaceGroup.symbol ?? '');
  const end = before.readings
    ? sameAs(refined)
      ? ', the same to rounding'
      : ''
    : ' (the model before was not refined to its end)';
  return `R1 ${percent(before.r1, 3)} in ${group}, ${percent(moved, 3)} re-set in ${prettySymbol(now.spaceGroup.symbol)}${sameAs(moved) ? ', the same to rounding' : ''}; ${percent(refined, 3)} refined again${end}.`;
}

/** Puts the changed model on the course, evaluates and refines it. Returns the last mark, or undefined when it was stopped (the change itself stays as a mark). */
export async function moveModel(store: ProjectStore, move: Move): Promise<{ id: string; r1?: number } | undefined> {
  const { project, head, intake, perform, record } = openState(store);
  if (!head) return undefined;
  const { structure, treatment } = move;
  const basis = isIdentity(move.p) ? head.basis : multiply3(head.basis ?? IDENTITY3, move.p);
  const mark: RecordedMark = {
    parent: head.id,
    kind: 'edit',
    title: move.title,
    content: { kind: 'structure', structure, treatment },
    ...(basis || head.basis ? { basis: basis ?? IDENTITY3 } : {}),
  };
  const wavelength = project.experiment.wavelength;
  if (!intake || !wavelength) return { id: await record(mark) };
  const moved = (merge: MergeTaskResult) =>
    experiment(structure, merge.reflections, wavelength, {
      treatment,
      weights: move.weights ?? head.readings?.weights,
      extinction: move.extinction ?? head.readings?.extinction?.value,
    });
  const axes = basis && !isIdentity(basis) ? basis : undefined;
  return perform(`Moving to ${prettySymbol(structure.spaceGroup.symbol)}`, (tell) =>
    inSteps(async (step) => {
      tell('merging the data');
      const merge = await mergedData(project.id, intake, structure.spaceGroup, structure.cell, axes);
      tell('judging the moved model');
      const { r1, wr2, map } = await step(run('residual', moved(merge)));
      const changed = await record({ ...mark, judged: { r1, wr2, residual: residualFigures(map) }, result: { map } });
      const options = { cycles: 25, optimizeWeights: move.optimizeWeights };
      const refining = run('refine', { ...moved(merge), options }, (c: CycleReport) => tell(cycleWords(c)));
      const done = await unlessStopped(step(refining));
      if (!done) return { id: changed, r1 };
      const { readings, message } = done.result;
      const id = await record(
        refinedMark(done, {
          parent: changed,
          title: `refined in ${prettySymbol(structure.spaceGroup.symbol)}`,
          message: move.compareR1 && head.r1 !== undefined ? agreementWords(head, r1, readings.r1, structure) : message,
        }),
      );
      return { id, r1: readings.r1 };
    }),
  );
}
