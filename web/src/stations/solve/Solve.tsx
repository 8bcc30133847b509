/** Solve: seeds run side by side, candidates appear as they are found, the best is preselected. */
import { prettySymbol } from '@nagare/core/crystal/settings';
import './solve.scss';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { groupOfSetting } from '@nagare/core/crystal/settings';
import { formulaText } from '@nagare/core/crystal/formula';
import type { Structure } from '@nagare/core/crystal/structure';
import { candidateRank, type Candidate } from '@nagare/core/solve/candidates';
import type { SolveReport } from '@nagare/core/solve/solve';
import { run } from '../../engine/engine.ts';
import { inSteps } from '../../engine/steps.ts';
import { percent, Sheet } from '../../frame/parts.tsx';
import { db } from '../../store/db.ts';
import { keepRow } from '../../store/keeping.ts';
import { experiment } from '@nagare/core/crystal/experiment';
import { residualFigures } from '../../store/evaluation.ts';

import { mergeFor } from '../intake/intake-work.ts';
import { candidatePicture, contentsText, unitsOf } from './candidate-words.ts';

interface Trace {
  seed: number;
  values: number[];
  iteration: number;
  ended?: string;
}

/** Running skewness of the density of each seed: a solution stands up from the flat start. */
function SeedChart({ traces }: { traces: Trace[] }): ReactNode {
  const width = 350,
    height = 110;
  const longest = Math.max(120, ...traces.map((t) => t.values.length * 10));
  const top = Math.max(2, ...traces.flatMap((t) => t.values));
  const COLOURS = ['var(--indigo)', 'var(--water)', 'var(--gold)', 'var(--pine)'];
  return (
    <figure className="m-0">
      <svg
        viewBox={`0 0 ${width} ${height + 16}`}
        width="100%"
        role="img"
        aria-label="Skewness of the density of each seed by iteration"
      >
        <line x1="0" x2={width} y1={height} y2={height} stroke="var(--line)" />
        {traces.map((t, i) => (
          <g key={t.seed}>
            <polyline
              fill="none"
              stroke={COLOURS[i % 4]}
              strokeWidth="1.6"
              points={t.values
                .map(
                  (v, j) => `${((j * 10) / longest) * (width - 30)},${height - (Math.max(0, v) / top) * (height - 12)}`,
                )
                .join(' ')}
            />
            <text
              x={Math.min(width - 26, (((t.values.length - 1) * 10) / longest) * (width - 30) + 3)}
              y={height - (Math.max(0, t.values.at(-1) ?? 0) / top) * (height - 12) + 4}
              fontSize="10"
              fill={COLOURS[i % 4]}
            >
              {t.seed}
            </text>
          </g>
        ))}
        <text x="0" y={height + 13} fontSize="10" fill="var(--soft)">
          iterations to {longest}; height: skewness of the density, numbers are seeds
        </text>
      </svg>
    </figure>
  );
}

export function SolveDesk(): ReactNode {
  const store = useProjectStore();
  const {
    project,
    intake,
    hasData,
    solve,
    work,
    perform,
    record,
    head,
    place,
    setPlace,
    setPreview,
    setProblem,
    view,
    setView,
    viewer,
  } = useProject(
    'project',
    'intake',
    'hasData',
    'solve',
    'work',
    'perform',
    'record',
    'head',
    'place',
    'setPlace',
    'setPreview',
    'setProblem',
    'view',
    'setView',
    'viewer',
  );
  const navigate = useNavigate();
  const { experiment: known, cell, group } = project;
  const units = useMemo(() => unitsOf({ experiment: known, cell, group }), [known, cell, group]);
  const [traces, setTraces] = useState<Trace[]>([]);
  const [candidates, setCandidates] = useState<Candidate[]>(solve?.candidates ?? []);
  const [chosen, setChosen] = useState(0);
  const [fresh, setFresh] = useState<Structure>();
  const { extent } = view;
  const live = useRef<{ traces: Map<number, Trace>; scheduled: boolean }>({ traces: new Map(), scheduled: false });
  const running = work?.title === 'Solving';
  useEffect(() => {
    if (!running && solve) setCandidates(solve.candidates);
  }, [solve, running]);
  const shown = candidates[chosen]?.structure;
  useEffect(() => {
    setPreview(shown);
    return () => setPreview(undefined);
  }, [shown, setPreview]);
  // The unique part of a framework shows nothing of it: it is seen as a cell from the first, unless another extent was chosen.
  useEffect(() => {
    if (!fresh || !viewer || extent !== 'unique') return;
    let isOver = false;
    void run('first look', { structure: fresh }).result.then(
      (look) => {
        if (isOver) return;
        setFresh(undefined);
        if (look.extent === 'molecules') return;
        setView({ extent: look.extent });
        viewer.look({ rotation: look.rotation });
      },
      () => undefined,
    );
    return () => {
      isOver = true;
    };
  }, [fresh, viewer, extent, setView]);
  const missing = !hasData
    ? 'reflections'
    : !project.cell
      ? 'a cell'
      : !project.experiment.wavelength
        ? 'a wavelength'
        : !intake?.analysis
          ? 'judged data'
          : undefined;

  const start = async (): Promise<void> => {
    if (!intake?.analysis || !project.cell) return;
    const wavelength = project.experiment.wavelength!;
    const { formula } = project.experiment;
    const z = units;
    const best = intake.analysis.ranking.groups;
    // A group the person chose against the ranking is tried alone; otherwise the phases decide among the likely ones.
    const groups =
      project.group && project.group.hall !== best[0]?.hall
        ? [project.group]
        : best
            .filter((g) => g.score > best[0]!.score - 25)
            .slice(0, 8)
            .map((g) => groupOfSetting(g.setting));
    const found: Candidate[] = [...(solve?.candidates ?? [])];
    let seedNow = solve?.nextSeed ?? 1;
    live.current.traces = new Map();
    setTraces([]);
    const repaint = (): void => {
      if (live.current.scheduled) return;
      live.current.scheduled = true;
      requestAnimationFrame(() => {
        live.current.scheduled = false;
        setTraces([...live.current.traces.values()].slice(-6).map((t) => ({ ...t, values: [...t.values] })));
      });
    };
    const solving = (tell: (detail: string) => void) =>
      run(
        'solve',
        {
          raw: intake.raw,
          cell: project.cell!,
          wavelength,
          ...(formula ? { formula } : {}),
          ...(z ? { z } : {}),
          groups,
          seed: seedNow,
          seeds: 60,
          seconds: 600,
        },
        (r: SolveReport) => {
          if (r.kind === 'seed') {
            const t = live.current.traces.get(r.seed) ?? { seed: r.seed, values: [], iteration: 0 };
            t.values.push(r.skewness);
            t.iteration = r.iteration;
            live.current.traces.set(r.seed, t);
            tell(`seed ${r.seed}, iteration ${r.iteration}, R ${r.r.toFixed(3)}`);
            repaint();
          } else if (r.kind === 'stage') tell(r.text);
          else if (r.kind === 'building')
            tell(
              `seed ${r.seed}: ${prettySymbol(r.symbol)}, round ${r.round}, ${r.atoms} atoms, R1 ${percent(r.r1, 1)}`,
            );
          else if (r.kind === 'seed-ended') seedNow = r.seed + 1;
          else {
            found.push(r.candidate);
            found.sort((p, q) => candidateRank(p) - candidateRank(q));
            const listed = [...found];
            // Stored before it is listed, so that a reload in the middle loses nothing that was seen.
            void keepRow(db, db.solves, {
              projectId: project.id,
              candidates: found.slice(0, 8),
              nextSeed: seedNow + 1,
            })
              .catch((e: Error) => setProblem(e.message))
              .finally(() => setCandidates(listed));
          }
        },
        place,
      );
    await perform('Solving', (tell) =>
      inSteps(async (step) => {
        const ended = await step(solving(tell)).catch((e: Error) => e);
        const result = ended instanceof Error ? undefined : ended;
        await keepRow(db, db.solves, {
          projectId: project.id,
          candidates: found.slice(0, 8),
          nextSeed: result?.nextSeed ?? seedNow + 1,
          message:
            result?.message ??
            (found.length
              ? 'Stopped; the candidates so far are kept.'
              : 'Stopped before a model was found. Continue goes on with the next seeds.'),
        });
        if (ended instanceof Error) throw ended;
      }),
    );
    setChosen(0);
    if (!head) setFresh(found[0]?.structure);
  };

  const take = async (c: Candidate): Promise<void> => {
    const group = c.structure.spaceGroup;
    if (intake && project.cell && intake.mergedFor !== group.hall) await mergeFor(store, group, project.cell, intake);
    const row = await db.intake.get(project.id);
    const done = row?.merge
      ? await run(
          'residual',
          experiment(c.structure, row.merge.reflections, project.experiment.wavelength!),
        ).result.catch(() => undefined)
      : undefined;
    await record({
      parent: head?.fit ? head.id : null,
      kind: 'solve',
      title: `First model from seed ${c.seed}`,
      message: `${prettySymbol(group.symbol)}, ${c.structure.sites.length} atoms${c.guessed ? '; elements are a guess' : ''}`,
      content: { kind: 'structure', structure: c.structure },
      judged: done ? { r1: done.r1, wr2: done.wr2, residual: residualFigures(done.map) } : { r1: c.r1 },
      ...(done ? { result: { map: done.map } } : {}),
    });
    // What was solved from a pattern is refined against the pattern.
    void navigate(`/projects/${project.id}/${head?.fit ? 'fit' : 'refine'}`);
  };

  return (
    <>
      <Sheet
        title="Phasing"
        state={
          missing
            ? `Solving needs ${missing} first.`
            : (solve?.message ??
              `Charge flipping in P1 from many seeds; ${project.experiment.formula ? `looking for ${formulaText(project.experiment.formula)}` : 'no formula, so elements will be a guess'}. The space group is confirmed from the phases.`)
        }
      >
        {missing ? (
          <Button variant="outline-primary" onClick={() => void navigate(`/projects/${project.id}/intake`)}>
            Go to Intake
          </Button>
        ) : (
          <div className="d-flex gap-2 align-items-center">
            {running ? (
              <Button variant="outline-danger" onClick={() => work?.cancel()}>
                Stop
              </Button>
            ) : (
              <Button
                disabled={!!work}
                variant={candidates.length ? 'outline-primary' : 'primary'}
                onClick={() => void start()}
              >
                {solve ? 'Continue with more seeds' : 'Solve'}
              </Button>
            )}
            <label className="soft d-flex gap-1">
              <input
                type="checkbox"
                checked={place === 'server'}
                onChange={(e) => setPlace(e.target.checked ? 'server' : 'page')}
              />{' '}
              run on the server
            </label>
          </div>
        )}
        {traces.length > 0 && (
          <div className="mt-2">
            <SeedChart traces={traces} />
          </div>
        )}
      </Sheet>
      <Sheet
        title="Candidates"
        state={
          candidates.length
            ? 'The best is preselected; the others stay here.'
            : 'None yet. Each finished seed that makes sense appears here.'
        }
      >
        {candidates.map((c, i) => (
          <button key={`${c.seed}-${i}`} className="candidate" aria-pressed={i === chosen} onClick={() => setChosen(i)}>
            <Picture structure={c.structure} />
            <span>
              <b>{prettySymbol(c.structure.spaceGroup.symbol)}</b>, seed {c.seed}
              <br />
              <span className="mono">R1 {percent(c.r1, 1)}</span>, contents {percent(c.completeness, 0)}
              <br />
              <span className="soft">
                {contentsText(c.structure, units)}
                {c.guessed ? ', elements guessed' : ''}
              </span>
            </span>
          </button>
        ))}
        {candidates[chosen] && !running && (
          <Button autoFocus disabled={!!work} onClick={() => void take(candidates[chosen]!)}>
            {head?.fit ? 'Take it back to Fit' : head ? 'Take it on a new branch' : 'Take it to Refine'}
          </Button>
        )}
      </Sheet>
    </>
  );
}

function Picture({ structure }: { structure: Structure }): ReactNode {
  const source = useMemo(() => candidatePicture(structure), [structure]);
  return <img alt="" src={source} />;
}
