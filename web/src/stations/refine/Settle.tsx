/** The settle run: stage after stage, each a mark of the course, stopping with what is for the person to decide. */
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { contentsOfUnit } from '@nagare/core/crystal/structure';
import type { SettleReport } from '@nagare/core/settle/settle';
import type { Stage } from '@nagare/core/settle/stage';
import { run } from '../../engine/engine.ts';
import { inSteps } from '../../engine/steps.ts';
import { percent, Sheet } from '../../frame/parts.tsx';
import type { AbsoluteStructure } from '@nagare/core/refine/absolute-structure';
import { residualFigures } from '../../store/evaluation.ts';
import type { RecordedMark } from '../../store/project-store.ts';
import { useProject } from '../../store/use-project.tsx';
import { useExperiment } from './use-experiment.ts';

/** A stage of the run as a mark to be. */
function settledMark(
  stage: Stage,
  parent: string,
  decisions: readonly string[] | undefined,
  absolute: AbsoluteStructure | undefined,
): RecordedMark {
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
      ...(decisions?.length ? { decisions } : {}),
      ...(absolute ? { absolute } : {}),
    },
    result: { map: stage.map, ...(stage.covariance ? { covariance: stage.covariance } : {}) },
  };
}

export function SettleSheet(): ReactNode {
  const { project, head, work, perform, record, place, setPlace } = useProject(
    'project',
    'head',
    'work',
    'perform',
    'record',
    'place',
    'setPlace',
  );
  const input = useExperiment();
  const [stages, setStages] = useState<{ title: string; r1: number }[]>([]);
  const [disorder, setDisorder] = useState<'ask' | 'try'>('ask');
  if (!input) return null;
  const running = work?.title === 'Settling';
  const start = async (): Promise<void> => {
    setStages([]);
    // Each stage is put on the course after the one before, in the order they came.
    let last = Promise.resolve(head!.id);
    const keep = (stage: Stage, decisions?: readonly string[], absolute?: AbsoluteStructure): Promise<string> =>
      (last = last.then((parent) => record(settledMark(stage, parent, decisions, absolute))));
    const contents = contentsOfUnit(input.structure, project.experiment.formula, project.experiment.z);
    let held: Stage | undefined;
    const settling = (tell: (detail: string) => void) =>
      run(
        'settle',
        {
          structure: input.structure,
          reflections: input.reflections,
          wavelength: input.wavelength,
          treatment: input.treatment,
          disorder,
          ...(contents ? { contents } : {}),
          ...(project.experiment.temperature ? { temperature: project.experiment.temperature } : {}),
        },
        (r: SettleReport) => {
          if (r.kind === 'cycle')
            tell(
              `${r.title}: cycle ${r.cycle.cycle}, R1 ${percent(r.cycle.r1)}, largest shift ${r.cycle.maxShiftOverSu.toFixed(2)} s.u.`,
            );
          else if (r.kind === 'starting') tell(r.title);
          else {
            setStages((s) => [...s, { title: r.stage.title, r1: r.stage.readings.r1 }]);
            // The last stage is kept with the run's decisions, so each stage waits for the next.
            if (held) void keep(held);
            held = r.stage;
          }
        },
        place,
      );
    await perform('Settling', (tell) =>
      inSteps(async (step) => {
        const done = await step(settling(tell)).catch((e: Error) => e);
        const ended = done instanceof Error ? undefined : done;
        if (held) await keep(held, ended?.decisions, ended?.absolute);
        if (done instanceof Error) throw done;
      }),
    );
  };
  return (
    <Sheet
      title="Settle"
      state={
        running
          ? 'Each finished stage is a mark; stop at any time and go on from the last.'
          : 'Isotropic, elements, anisotropic, hydrogens, weights, until nothing moves. It stops where a decision is yours.'
      }
    >
      {head!.decisions && (
        <ul className="decisions">
          {head!.decisions.map((d) => (
            <li key={d}>{d}</li>
          ))}
        </ul>
      )}
      <div className="d-flex gap-2 align-items-center flex-wrap">
        {running ? (
          <Button variant="outline-danger" onClick={() => work?.cancel()}>
            Stop
          </Button>
        ) : (
          <Button disabled={!!work} onClick={() => void start()}>
            Settle
          </Button>
        )}
        <label className="soft d-flex gap-1">
          <input
            type="checkbox"
            checked={disorder === 'try'}
            onChange={(e) => setDisorder(e.target.checked ? 'try' : 'ask')}
          />{' '}
          try second places by itself
        </label>
        <label className="soft d-flex gap-1">
          <input
            type="checkbox"
            checked={place === 'server'}
            onChange={(e) => setPlace(e.target.checked ? 'server' : 'page')}
          />{' '}
          run on the server
        </label>
      </div>
      {stages.length > 0 && (
        <ol className="stages">
          {stages.map((s, i) => (
            <li key={i}>
              <span>{s.title}</span>
              <span className="mono">R1 {percent(s.r1)}</span>
            </li>
          ))}
        </ol>
      )}
    </Sheet>
  );
}
