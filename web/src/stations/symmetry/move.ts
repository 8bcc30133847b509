/** A model carried to other axes or another group: one mark for the change, one for its refinement, both on a new branch. */
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Treatment } from '@nagare/core/crystal/treatment';
import { multiply3, IDENTITY3, type Mat3 } from '@nagare/core/math/matrix3';
import type { CycleReport } from '@nagare/core/refine/single-crystal';
import { Cancelled, run } from '../../engine/engine.ts';
import { percent } from '../../frame/parts.tsx';
import { addMark } from '../../store/projects.ts';
import { mergedData } from '../../store/mark-data.ts';
import type { Mark } from '../../store/db.ts';
import type { Session } from '../../store/session.tsx';

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
const residualFigures = (map: {
  peaks: readonly { height: number }[];
  holes: readonly { height: number }[];
  sigma: number;
}): NonNullable<Mark['residual']> => ({
  peak: map.peaks[0]?.height ?? 0,
  hole: map.holes[0]?.height ?? 0,
  sigma: map.sigma,
});

const agreementWords = (before: Mark, moved: number, refined: number, now: Structure): string =>
  `R1 ${percent(before.r1, 3)} in ${before.structure.spaceGroup.symbol}, ${percent(moved, 3)} re-set in ${now.spaceGroup.symbol}${Math.abs(moved - before.r1!) < 1e-4 ? ', the same to rounding' : ''}; ${percent(refined, 3)} refined again${before.readings && Math.abs(refined - before.r1!) < 1e-4 ? ', the same to rounding' : before.readings ? '' : ' (the model before was not refined to its end)'}.`;

/** Puts the changed model on the course, evaluates and refines it. Returns the last mark, or undefined when it was stopped (the change itself stays as a mark). */
export async function moveModel(session: Session, move: Move): Promise<{ id: string; r1?: number } | undefined> {
  const { project, head, intake, perform, goTo } = session;
  if (!head) return undefined;
  const { structure, treatment } = move;
  const basis = isIdentity(move.p) ? head.basis : multiply3(head.basis ?? IDENTITY3, move.p);
  const back = basis && isIdentity(basis);
  const own: Mat3 = basis ?? IDENTITY3;
  const mark: Omit<Mark, 'id' | 'created'> = {
    projectId: project.id,
    parent: head.id,
    kind: 'edit',
    title: move.title,
    structure,
    treatment,
    ...(basis || head.basis ? { basis: own } : {}),
  };
  const wavelength = project.experiment.wavelength;
  if (!intake || !wavelength) {
    const id = await addMark(mark);
    goTo(id);
    return { id };
  }
  const weights = move.weights ?? head.readings?.weights ?? { a: 0.1, b: 0 },
    extinction = move.extinction ?? head.readings?.extinction?.value ?? 0;
  const ready = await perform(`Data for ${structure.spaceGroup.symbol}`, () => {
    let stopped = false,
      inner: (() => void) | undefined;
    const result = (async () => {
      const merge = await mergedData(
        project.id,
        intake,
        structure.spaceGroup as SpaceGroup,
        structure.cell,
        back ? undefined : basis,
      );
      if (stopped) throw new Cancelled();
      const evaluating = run('residual', {
        structure,
        reflections: merge.reflections,
        wavelength,
        weights,
        extinction,
        treatment,
      });
      inner = evaluating.cancel;
      return { merge, evaluated: await evaluating.result };
    })();
    return {
      result,
      cancel: () => {
        stopped = true;
        inner?.();
      },
    };
  });
  if (!ready) return undefined;
  const changed = await addMark(
    { ...mark, r1: ready.evaluated.r1, wr2: ready.evaluated.wr2, residual: residualFigures(ready.evaluated.map) },
    { map: ready.evaluated.map },
  );
  goTo(changed);
  const done = await perform('Refining', (tell) =>
    run(
      'refine',
      {
        structure,
        reflections: ready.merge.reflections,
        wavelength,
        options: {
          cycles: 25,
          weights,
          optimizeWeights: move.optimizeWeights,
          extinction: !!treatment.extinction,
          treatment,
          ...(treatment.extinction ? { extinctionStart: extinction } : {}),
        },
      },
      (c: CycleReport) =>
        tell(
          `cycle ${c.cycle}: R1 ${percent(c.r1)}, largest shift ${c.maxShiftOverSu.toFixed(2)} s.u. (${c.maxShiftOf})`,
        ),
    ),
  );
  if (!done) return { id: changed, r1: ready.evaluated.r1 };
  const { result, map, absolute } = done;
  const id = await addMark(
    {
      projectId: project.id,
      parent: changed,
      kind: 'refine',
      structure: result.structure,
      r1: result.readings.r1,
      wr2: result.readings.wr2,
      readings: result.readings,
      title: `refined in ${structure.spaceGroup.symbol}`,
      message:
        move.compareR1 && head.r1 !== undefined
          ? agreementWords(head, ready.evaluated.r1, result.readings.r1, structure)
          : result.message,
      treatment: done.treatment,
      ...(absolute ? { absolute } : {}),
      residual: residualFigures(map),
    },
    { map, ...(result.covariance ? { covariance: result.covariance } : {}) },
  );
  goTo(id);
  return { id, r1: result.readings.r1 };
}
