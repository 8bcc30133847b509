/** What speaks against each phase of a fit, and the entry of the shelf that would do better. */
import type { ReactNode } from 'react';
import type { Pattern } from '@nagare/core/crystal/pattern';
import type { PhaseDoubt } from '@nagare/core/powder/doubts';
import type { FitModel } from '@nagare/core/powder/model';
import type { FitResult } from '@nagare/core/powder/results';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { run } from '../../engine/engine.ts';
import { useAnswer } from '../../engine/use-answer.ts';
import { useProject } from '../../store/use-project.tsx';
import { phaseColour } from './colours.ts';
import { useFit } from './use-fit.tsx';

interface PhaseDoubtsProps {
  readonly model: FitModel;
  readonly result: FitResult;
  readonly patterns: readonly Pattern[];
}

export function PhaseDoubts({ model, result, patterns }: PhaseDoubtsProps): ReactNode {
  const { head } = useProject('head');
  const sited = model.phases.some((p) => !p.extraction && p.structure.sites.length > 0);
  const { data, isFetching } = useAnswer(['doubts', head?.id], sited, () =>
    run('doubts', { model, result, patterns: [...patterns] }),
  );
  if (!sited) return null;
  if (!data) return <p className="soft mb-1">{isFetching ? 'Looking for what speaks against each phase…' : ''}</p>;
  const accused = data.filter((d) => d.against.length);
  return (
    <section aria-label="What speaks against the phases" className="mb-2">
      <p className="mb-1">
        {accused.length
          ? 'What speaks against the phases:'
          : 'Nothing speaks against these phases: intensities, cells and displacements agree, and no other entry of the shelf fits better in the place of one.'}
      </p>
      <ul className="ps-3 mb-1">
        {accused.map((d) => (
          <Accused key={d.id} doubt={d} at={model.phases.findIndex((p) => p.id === d.id)} />
        ))}
      </ul>
    </section>
  );
}

function Accused({ doubt, at }: { doubt: PhaseDoubt; at: number }): ReactNode {
  const { model, commit } = useFit('model', 'commit');
  const { work } = useProject('work');
  const { better } = doubt;
  const exchange = (): void => {
    const entry = better && shippedShelf().find((e) => e.id === better.id);
    const phase = model?.phases[at];
    if (!entry || !model || !phase) return;
    const structure = { ...entry.structure, cell: phase.structure.cell };
    void commit(`${entry.name} in the place of ${phase.name}`, {
      ...model,
      phases: model.phases.map((p, i) => (i === at ? { ...p, name: entry.name, structure } : p)),
    });
  };
  return (
    <li>
      <b style={{ color: phaseColour(at) }}>{doubt.name}</b>: {doubt.against.join(' ')}
      {better && (
        <button className="word" disabled={!!work} onClick={exchange}>
          Put {better.name} in its place
        </button>
      )}
    </li>
  );
}
