/** The settle run: stage after stage, each a mark of the course, stopping with what is for the person to decide. */
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { percent, Sheet } from '../../frame/parts.tsx';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { settleMark } from './settle-run.ts';
import { useExperiment } from './use-experiment.ts';

export function SettleSheet(): ReactNode {
  const store = useProjectStore();
  const { head, work, place, setPlace } = useProject('head', 'work', 'place', 'setPlace');
  const input = useExperiment();
  const [stages, setStages] = useState<{ title: string; r1: number }[]>([]);
  const [disorder, setDisorder] = useState<'ask' | 'try'>('ask');
  if (!input) return null;
  const running = work?.title === 'Settling';
  const start = async (): Promise<void> => {
    setStages([]);
    await settleMark(store, {
      input,
      disorder,
      place,
      onStage: (stage) => setStages((all) => [...all, { title: stage.title, r1: stage.readings.r1 }]),
    });
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
