/** Intake: what came in, cell and contents, symmetry, quality of the data. */
import { Suspense, useEffect, useRef, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { cellParameters, isPlausibleCell, type Cell } from '@nagare/core/crystal/cell';
import { KeptAsides } from '../../frame/AsidesList.tsx';
import { lazyPart } from '../../frame/lazy-part.ts';
import { Gauge, NumberField, percent, Sheet, thousands } from '../../frame/parts.tsx';
import { updateProject } from '../../store/projects.ts';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { useDrop } from '../../frame/DropEverywhere.tsx';
import { analyse } from './intake-work.ts';
import { judgement } from './judgement.ts';
import { FacesSheet } from './FacesSheet.tsx';
import { CorrectionsSheet } from './Corrections.tsx';
import { CellSheet } from './CellSheet.tsx';
import { ContentsSheet } from './ContentsSheet.tsx';
import { SymmetrySheet } from './SymmetrySheet.tsx';

const DataCharts = lazyPart(() => import('./DataCharts.tsx'));

const ReciprocalView = lazyPart(() => import('./ReciprocalView.tsx'));

export const NAMES = ['a', 'b', 'c', 'α', 'β', 'γ'];

export function IntakeDesk(): ReactNode {
  const store = useProjectStore();
  const { project, intake, hasData, work, head } = useProject('project', 'intake', 'hasData', 'work', 'head');
  const navigate = useNavigate();
  const { pick } = useDrop();
  const ready = !!(hasData && project.cell && project.experiment.wavelength);
  const begun = useRef('');
  useEffect(() => {
    // Judging starts by itself once everything is known, and again after an interrupted visit.
    if (ready && !intake?.merge && !work && begun.current !== project.id) {
      begun.current = project.id;
      void analyse(store, project.cell!, project.group);
    }
  }, [ready, intake, work, project, store]);
  const merge = intake?.merge;
  const ranked = intake?.analysis?.ranking.groups.find((g) => g.hall === project.group?.hall);
  return (
    <>
      <Sheet
        title="Data"
        state={
          project.source ? `${project.source.fileName}: ${project.source.sentence}` : 'Nothing has been brought in yet.'
        }
        action={
          <button className="word" onClick={pick}>
            Choose files
          </button>
        }
      >
        <KeptAsides />
        {merge && project.group && (
          <p className="mb-2">
            <b>{judgement(merge, project.group, ranked)}</b>
          </p>
        )}
        {merge && <Quality />}
        {merge && (
          <Button
            className="mt-2"
            onClick={() => void navigate(`/projects/${project.id}/${head && !head.fit ? 'refine' : 'solve'}`)}
          >
            {head && !head.fit ? 'Go on to Refine' : 'Go on to Solve'}
          </Button>
        )}
        {ready && !merge && !work && (
          <Button className="mt-2" onClick={() => void analyse(store, project.cell!, project.group)}>
            Judge the data
          </Button>
        )}
        {!hasData && (
          <p className="soft mb-0">
            Drop a CIF or a reflection list anywhere.{' '}
            {project.cell ? 'The structure is here, but without intensities it can be looked at, not refined.' : ''}
          </p>
        )}
      </Sheet>
      {hasData && (!project.cell || !project.experiment.wavelength) && <MissingForm />}
      {project.cell && <CellSheet cell={project.cell} />}
      <ContentsSheet />
      {hasData && <FacesSheet />}
      <CorrectionsSheet key={`${intake?.correction?.stamp ?? 0} ${project.experiment.faces?.length ?? 0}`} />
      {intake?.analysis && <SymmetrySheet />}
    </>
  );
}

function Quality(): ReactNode {
  const m = useProject('intake').intake!.merge!;
  const s = m.statistics;
  return (
    <>
      <Gauge
        name="R_int"
        value={s.rInt}
        text={percent(s.rInt)}
        from={0}
        to={0.2}
        target={0.1}
        better="below"
        hint="Agreement of equivalent observations"
      />
      <Gauge
        name="R_σ"
        value={s.rSigma}
        text={percent(s.rSigma)}
        from={0}
        to={0.2}
        target={0.1}
        better="below"
        hint="Mean σ over mean intensity"
      />
      <Gauge
        name="complete"
        value={s.completeness}
        text={percent(s.completeness, 1)}
        from={0.8}
        to={1}
        target={0.98}
        better="above"
      />
      <Gauge
        name="mean I/σ"
        value={s.meanIOverSigma}
        text={s.meanIOverSigma.toFixed(1)}
        from={0}
        to={40}
        target={8}
        better="above"
      />
      <p className="soft mb-0 mt-1">
        {thousands(s.unique)} unique of {thousands(s.measured)} measured, {s.redundancy.toFixed(1)} times on average, to{' '}
        {s.dMin.toFixed(2)} Å.
      </p>
      <details>
        <summary>
          {s.rejected} rejected, {s.absent} forbidden by the group
        </summary>
        <table>
          <thead>
            <tr>
              <th className="n">h</th>
              <th className="n">k</th>
              <th className="n">l</th>
              <th className="n">I</th>
              <th className="n">median</th>
              <th className="n">deviation</th>
            </tr>
          </thead>
          <tbody>
            {m.outliers.slice(0, 30).map((o, i) => (
              <tr key={i}>
                <td className="n">{o.h}</td>
                <td className="n">{o.k}</td>
                <td className="n">{o.l}</td>
                <td className="n">{o.intensity.toFixed(1)}</td>
                <td className="n">{o.mean.toFixed(1)}</td>
                <td className="n">{o.deviation.toFixed(1)} σ</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </>
  );
}

/** Asked once, for lists that carry neither cell nor wavelength. */
function MissingForm(): ReactNode {
  const { project, setProblem } = useProject('project', 'setProblem');
  const [text, setText] = useState(project.cell ? cellParameters(project.cell).join(' ') : '');
  const [wavelength, setWavelength] = useState(project.experiment.wavelength ?? 0.71073);
  const submit = (): void => {
    const n = text
      .trim()
      .split(/[\s,;]+/)
      .map((x) => Number(x.replace(/\(.*\)/, '')));
    const cell: Cell = { a: n[0]!, b: n[1]!, c: n[2]!, alpha: n[3] ?? 90, beta: n[4] ?? 90, gamma: n[5] ?? 90 };
    if (![3, 6].includes(n.length) || !isPlausibleCell(cell)) {
      setProblem(
        `"${text}" is not a cell. Write six numbers: a b c in Å, α β γ in degrees, such as 7.21 14.03 9.88 90 98.4 90.`,
      );
      return;
    }
    setProblem(undefined);
    void updateProject(project.id, { cell, experiment: { ...project.experiment, wavelength } });
  };
  return (
    <Sheet title="Cell and wavelength" state="The file holds intensities only. Give these once.">
      <form
        onSubmit={(e) => {
          e.preventDefault();
          submit();
        }}
      >
        <div className="field">
          <label htmlFor="cell-text">Cell, Å and °</label>
          <input
            id="cell-text"
            className="form-control form-control-sm n"
            placeholder="a b c α β γ"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        </div>
        <div className="field">
          <label htmlFor="wavelength">Wavelength</label>
          <NumberField
            id="wavelength"
            value={wavelength}
            digits={5}
            step={0.0001}
            min={0.1}
            max={5}
            unit="Å"
            onChange={setWavelength}
          />
        </div>
        <div className="mb-2">
          {(
            [
              ['Mo Kα', 0.71075],
              ['Cu Kα', 1.54187],
              ['Ag Kα', 0.56089],
            ] as const
          ).map(([n, w]) => (
            <button type="button" key={n} className="word" onClick={() => setWavelength(w)}>
              {n}
            </button>
          ))}
        </div>
        <Button type="submit">Judge the data</Button>
      </form>
    </Sheet>
  );
}

export function IntakeCharts(): ReactNode {
  const { intake, hasData, work } = useProject('intake', 'hasData', 'work');
  const [view, setView] = useState<'charts' | 'lattice'>('charts');
  if (!intake?.merge)
    return (
      <div className="empty">
        <h3>{work ? 'Working…' : hasData ? 'The data are not judged yet' : 'Bring in a measurement'}</h3>
        <p>
          {hasData
            ? 'As soon as cell and wavelength are known, strength, completeness and agreement by resolution appear here.'
            : 'Drop a CIF or a plain list of h k l I σ anywhere on the page.'}
        </p>
      </div>
    );
  return (
    <>
      <div className="pane-choice" role="group" aria-label="Middle of the window">
        <button className="word" aria-pressed={view === 'charts'} onClick={() => setView('charts')}>
          Charts
        </button>
        <button className="word" aria-pressed={view === 'lattice'} onClick={() => setView('lattice')}>
          Reciprocal lattice
        </button>
      </div>
      <Suspense fallback={<div className="empty">Opening…</div>}>
        {view === 'lattice' ? <ReciprocalView /> : <DataCharts merge={intake.merge} />}
      </Suspense>
    </>
  );
}
