/** Intake: what came in, cell and contents, symmetry, quality of the data. */
import { lazy, Suspense, useEffect, useRef, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { cellParameters, cellVolume, isPlausibleCell, type Cell } from '@nagare/core/crystal/cell';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { findSetting, groupOfSetting } from '@nagare/core/crystal/settings';
import { groupOrder } from '@nagare/core/crystal/space-group';
import { formulaText, parseFormula, proposeZ, formulaVolume } from '@nagare/core/crystal/formula';
import { Gauge, NumberField, percent, Sheet, thousands } from '../../frame/parts.tsx';
import { updateProject } from '../../store/projects.ts';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { useDrop } from '../../frame/DropEverywhere.tsx';
import { analyse, mergeFor } from './intake-work.ts';
import { judgement } from './judgement.ts';
import { CorrectionsSheet } from './Corrections.tsx';

const DataCharts = lazy(() => import('./DataCharts.tsx'));
const ReciprocalView = lazy(() => import('./ReciprocalView.tsx'));
const NAMES = ['a', 'b', 'c', 'α', 'β', 'γ'];

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
      <CorrectionsSheet key={intake?.correction?.stamp ?? 0} />
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

function CellSheet({ cell }: { cell: Cell }): ReactNode {
  const { intake, project } = useProject('intake', 'project');
  const lattice = intake?.analysis?.lattice;
  const p = cellParameters(cell);
  return (
    <Sheet
      title="Cell"
      state={
        <>
          V <span className="mono">{cellVolume(cell).toFixed(1)}</span> Å³, λ{' '}
          <span className="mono">{project.experiment.wavelength?.toFixed(5) ?? '?'}</span> Å
          {project.experiment.temperature ? <>, {project.experiment.temperature} K</> : null}
        </>
      }
    >
      <div className="six mono">
        {p.map((x, i) => (
          <span key={i}>
            <span className="soft">{NAMES[i]}</span>{' '}
            {cell.su?.[i] ? formatMeasured(x, cell.su[i]) : x.toFixed(i < 3 ? 4 : x === Math.round(x) ? 0 : 3)}
            {i < 3 ? '' : '°'}
          </span>
        ))}
      </div>
      {lattice && (
        <p className="soft mb-0 mt-2">
          The lattice has {lattice.latticeClass} symmetry within {lattice.metricDeviation.toFixed(2)}°, centring{' '}
          {lattice.centring}; the intensities agree in {lattice.laueClass}.
          {lattice.changed ? ' The given cell was not the conventional one; indices were transformed.' : ''}
        </p>
      )}
      {lattice?.changed && (
        <p className="mono mb-0 fine">new axes = old · ({lattice.p.map((x) => Number(x.toFixed(3))).join(' ')})</p>
      )}
      {lattice && (
        <details>
          <summary>How the symmetry was found</summary>
          <table>
            <thead>
              <tr>
                <th>lattice rotation (rows)</th>
                <th className="n">pairs</th>
                <th className="n">R</th>
                <th className="n">noise</th>
                <th></th>
              </tr>
            </thead>
            <tbody>
              {lattice.agreements.map((a, i) => (
                <tr key={i}>
                  <td className="mono">
                    {[0, 3, 6]
                      .map((r) =>
                        a.rotation
                          .slice(r, r + 3)
                          .map((x) => Number(x.toFixed(2)))
                          .join(' '),
                      )
                      .join(' / ')}
                  </td>
                  <td className="n">{a.pairs}</td>
                  <td className="n">{percent(a.r, 1)}</td>
                  <td className="n">{percent(a.expected, 1)}</td>
                  <td>{a.accepted ? 'kept' : 'no'}</td>
                </tr>
              ))}
              {!lattice.agreements.length && (
                <tr>
                  <td colSpan={5} className="soft">
                    The lattice has no rotation beyond the inversion.
                  </td>
                </tr>
              )}
            </tbody>
          </table>
          <p className="soft mb-0 mt-1 mono fine">
            reduced:{' '}
            {cellParameters(lattice.reducedCell)
              .map((x, i) => x.toFixed(i < 3 ? 3 : 2))
              .join(' ')}
          </p>
        </details>
      )}
    </Sheet>
  );
}

function ContentsSheet(): ReactNode {
  const { project, setProblem } = useProject('project', 'setProblem');
  const { experiment, cell, group } = project;
  const [text, setText] = useState(experiment.formula ? formulaText(experiment.formula) : '');
  const proposal =
    experiment.formula && cell
      ? proposeZ(experiment.formula, cellVolume(cell), group ? groupOrder(group) : undefined)
      : undefined;
  const z = experiment.z ?? proposal;
  const apply = (): void => {
    if (!text.trim()) {
      const { formula: _f, z: _z, ...rest } = experiment;
      void updateProject(project.id, { experiment: rest });
      return;
    }
    try {
      void updateProject(project.id, { experiment: { ...experiment, formula: parseFormula(text) } });
      setProblem(undefined);
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  return (
    <Sheet
      title="Contents"
      state={
        experiment.formula && cell && z
          ? `${z} formula units fill ${percent((formulaVolume(experiment.formula) * z) / cellVolume(cell), 0)} of the cell by average atom volumes.`
          : 'Without a formula, elements are told from electrons alone and marked as a guess.'
      }
    >
      <div className="field">
        <label htmlFor="formula">Formula</label>
        <input
          id="formula"
          className="form-control form-control-sm"
          placeholder="C14 H16 N2 O3"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onBlur={apply}
          onKeyDown={(e) => {
            if (e.key === 'Enter') apply();
            if (e.key === 'Escape') setText(experiment.formula ? formulaText(experiment.formula) : '');
          }}
        />
      </div>
      <div className="field">
        <label htmlFor="zed">Z{experiment.z === undefined && proposal ? ' (proposed)' : ''}</label>
        <NumberField
          id="zed"
          value={z}
          digits={z && z % 1 ? 1 : 0}
          step={1}
          min={0.5}
          max={192}
          onChange={(v) => void updateProject(project.id, { experiment: { ...experiment, z: v } })}
        />
      </div>
      {experiment.z !== undefined && proposal !== undefined && experiment.z !== proposal && (
        <p className="mb-0">
          By its volume the cell would hold{' '}
          <button
            className="word"
            onClick={() => void updateProject(project.id, { experiment: { ...experiment, z: proposal } })}
          >
            Z = {proposal}
          </button>
        </p>
      )}
    </Sheet>
  );
}

function SymmetrySheet(): ReactNode {
  const store = useProjectStore();
  const { project, intake, head, setProblem } = useProject('project', 'intake', 'head', 'setProblem');
  const { ranking } = intake!.analysis!;
  const [text, setText] = useState('');
  const choose = (hall: string): void => {
    const g = ranking.groups.find((x) => x.hall === hall);
    const setting = g?.setting ?? findSetting(hall);
    if (intake!.keptAxes)
      setProblem('The axes of the model that came with these data are kept. Re-set it at Symmetry; the data follow.');
    else if (setting && project.cell) void mergeFor(store, groupOfSetting(setting), project.cell, intake!);
  };
  const other = (): void => {
    const setting = findSetting(text);
    if (!setting) {
      setProblem(`"${text}" is not a known space-group symbol. Write it like P 21/c, P 1 21/n 1 or -P 2ybc.`);
      return;
    }
    setText('');
    if (project.cell) void mergeFor(store, groupOfSetting(setting), project.cell, intake!);
  };
  const e2 = ranking.statistics.meanE2Minus1;
  const local = intake?.merge?.local;
  return (
    <Sheet
      title="Space group"
      state={
        <>
          {project.group ? (
            <>
              <b className="text-body">{project.group.symbol}</b> (no. {project.group.number}) is chosen.{' '}
            </>
          ) : null}
          ⟨|E²−1|⟩ {e2.toFixed(3)}:{' '}
          {Math.abs(e2 - 0.968) < Math.abs(e2 - 0.736) ? 'nearer to centric (0.968)' : 'nearer to acentric (0.736)'}.
          {local && local.pairs > 200
            ? ` ⟨|L|⟩ ${local.meanL.toFixed(3)} (0.5 untwinned, 0.375 for a perfect twin; acentric reflections).`
            : ''}
          {intake!.keptAxes
            ? ' The ranking is told in the conventional axes; the model that came with the data keeps its own, and is re-set at Symmetry.'
            : head
              ? ' Models already on the course keep their own group.'
              : ''}
        </>
      }
    >
      <table>
        <thead>
          <tr>
            <th></th>
            <th>group</th>
            <th className="n">no.</th>
            <th className="n">score</th>
            <th className="n">forbidden</th>
            <th className="n">above 5σ</th>
            <th className="n">R_int</th>
          </tr>
        </thead>
        <tbody>
          {ranking.groups.slice(0, 8).map((g) => (
            <tr
              key={g.hall}
              className={`pick${g.hall === project.group?.hall ? ' chosen' : ''}`}
              onClick={() => choose(g.hall)}
            >
              <td>
                <input
                  type="radio"
                  name="group"
                  aria-label={g.symbol}
                  checked={g.hall === project.group?.hall}
                  onChange={() => choose(g.hall)}
                />
              </td>
              <td>{g.symbol}</td>
              <td className="n">{g.number}</td>
              <td className="n">{g.score.toFixed(1)}</td>
              <td className="n">{g.absentCount}</td>
              <td className={`n${g.violations ? ' off' : ''}`}>{g.violations}</td>
              <td className="n">{percent(g.rInt, 1)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="field mt-2">
        <label htmlFor="group-text">Another group</label>
        <input
          id="group-text"
          className="form-control form-control-sm"
          placeholder="P 21/c or a Hall symbol"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Enter') other();
          }}
        />
      </div>
      <details open>
        <summary>Absences by symmetry element</summary>
        <table>
          <thead>
            <tr>
              <th>element</th>
              <th>forbidden unless</th>
              <th className="n">refl.</th>
              <th className="n">mean I/σ</th>
              <th className="n">strongest</th>
            </tr>
          </thead>
          <tbody>
            {ranking.elements.slice(0, 24).map((e) => (
              <tr key={e.element + e.condition}>
                <td>{e.element}</td>
                <td className="mono">{e.condition}</td>
                <td className="n">{e.reflections}</td>
                <td className={`n${e.meanIOverSigma > 3 ? ' off' : ''}`}>{e.meanIOverSigma.toFixed(1)}</td>
                <td className="n">
                  {e.strongest
                    ? `${e.strongest.h} ${e.strongest.k} ${e.strongest.l}: ${e.strongest.iOverSigma.toFixed(1)}`
                    : ''}
                </td>
              </tr>
            ))}
            {!ranking.elements.length && (
              <tr>
                <td colSpan={5} className="soft">
                  No screw axis or glide plane is possible in this Laue class.
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </details>
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
