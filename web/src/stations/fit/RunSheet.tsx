/** Staged runs: which recipe, how good the fit is, what each stage gave. */
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { RECIPES, type Stage } from '@nagare/core/powder/recipes';
import { Gauge, percent, Sheet } from '../../frame/parts.tsx';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { runFit, type LogLine } from './fit-run.ts';
import { useFit, useFitStore } from './use-fit.tsx';

export function RunSheet({ free, setFree }: { free: ReadonlySet<string>; setFree(f: Set<string>): void }): ReactNode {
  const project = useProjectStore();
  const fitStore = useFitStore();
  const { model, state, pattern, patterns, figures, result, trial } = useFit(
    'figures',
    'model',
    'pattern',
    'patterns',
    'result',
    'state',
    'trial',
  );
  const { work, place, setPlace } = useProject('work', 'place', 'setPlace');
  const extraction = !!model?.phases.length && model.phases.every((p) => p.extraction);
  const [name, setName] = useState<string | undefined>();
  const recipeName = name ?? (extraction ? 'profile' : 'quantify');
  const recipe = RECIPES.find((r) => r.name === recipeName)!;
  const [log, setLog] = useState<readonly LogLine[]>([]);
  const [joint, setJoint] = useState(false);
  const many = (state?.patterns.length ?? 1) > 1;
  if (!model || !state || !pattern) return null;
  const go = async (stages?: readonly Stage[]): Promise<void> => {
    setLog([]);
    const ended = await runFit(project, fitStore.getState(), {
      recipe,
      ...(stages ? { own: { stages, free } } : {}),
      joint: joint && !many,
      place,
      log: (line) => setLog((l) => [...l, line]),
    });
    if (ended) setFree(ended);
  };
  const ticked: Stage[] = [{ title: 'What is ticked', says: '', kind: 'refine', cycles: 25 }];
  const real = model.phases.filter((p) => p.id !== trial?.id);
  return (
    <Sheet
      title="Fit"
      state={
        result
          ? `Rwp ${percent(result.rwp)}, S ${result.s.toFixed(2)}, ${result.parameters} parameters against ${result.patterns.reduce((n, p) => n + p.points, 0)} points.`
          : real.length
            ? 'Choose what you want to know; the stages free parameters in a safe order.'
            : 'Add a phase first.'
      }
    >
      {figures && real.length > 0 && (
        <>
          <Gauge
            name="Rwp"
            value={figures.rwp}
            text={percent(figures.rwp)}
            from={0}
            to={0.4}
            target={0.1}
            better="below"
          />
          <Gauge
            name="S"
            value={figures.s}
            text={figures.s.toFixed(2)}
            from={0.8}
            to={4}
            target={1.5}
            better="below"
            hint="Rwp over what counting alone would give"
          />
        </>
      )}
      <div className="d-flex gap-2 align-items-center mt-2">
        <select
          className="form-select form-select-sm"
          aria-label="Recipe"
          value={recipeName}
          onChange={(e) => setName(e.target.value)}
        >
          {RECIPES.filter((r) => r.name !== 'instrument').map((r) => (
            <option key={r.name} value={r.name}>
              {r.title}
            </option>
          ))}
        </select>
        <Button disabled={!real.length || !!work} onClick={() => void go()}>
          Run
        </Button>
      </div>
      <p className="soft mt-2 mb-1">{recipe.says}</p>
      <details>
        <summary>Its {recipe.stages.length} stages in words</summary>
        <ol className="ps-3 mb-1">
          {recipe.stages.map((s) => (
            <li key={s.title}>
              <b>{s.title}.</b> {s.says}
              {s.cycles ? ` At most ${s.cycles} cycles, or until the largest shift is below 0.05 s.u.` : ''}
            </li>
          ))}
        </ol>
      </details>
      {log.length > 0 && (
        <ul className="stages">
          {log.map((l, i) => (
            <li key={i}>
              <span>
                {l.undone ? '◇ ' : ''}
                {l.title}
                {l.text && <span className="soft d-block">{l.text}</span>}
              </span>
              <span className="mono">{percent(l.rwp)}</span>
            </li>
          ))}
        </ul>
      )}
      <div className="d-flex flex-wrap gap-2 align-items-center mt-1">
        <button className="word" disabled={!free.size || !real.length || !!work} onClick={() => void go(ticked)}>
          Refine what is ticked
        </button>
        {patterns.length > 1 && !many && (
          <label className="soft">
            <input
              type="checkbox"
              className="form-check-input"
              checked={joint}
              onChange={(e) => setJoint(e.target.checked)}
            />{' '}
            all {patterns.length} patterns together
          </label>
        )}
        <label className="soft">
          <input
            type="checkbox"
            className="form-check-input"
            checked={place === 'server'}
            onChange={(e) => setPlace(e.target.checked ? 'server' : 'page')}
          />{' '}
          on the server
        </label>
      </div>
    </Sheet>
  );
}
