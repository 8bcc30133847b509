/** Symmetry: what the group is, in which setting, what was missed, what is too much. */
import './symmetry.scss';
import { atomsOfSites } from '../../store/selection.ts';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { withSphericalAtoms } from '@nagare/core/model/kept-factors';
import { cellParameters } from '@nagare/core/crystal/cell';
import { prettySymbol } from '@nagare/core/crystal/settings';
import {
  changeExtinction,
  changeStructure,
  changeTreatment,
  changeWeights,
  changeWords,
  consequenceOf,
  describeIn,
  parseChange,
  type AxesChange,
} from '@nagare/core/symmetry/change-setting';
import { obeyControls } from '@nagare/core/refine/holds';
import { lowerSymmetry, subgroupWords, type Subgroup } from '@nagare/core/symmetry/subgroups';
import type { MissedWithOpinion, SymmetryReport } from '@nagare/core/symmetry/report';
import { fractionWords } from '@nagare/core/symmetry/elements';
import type { SettingChoice } from '@nagare/core/symmetry/settings-of';
import { run } from '../../engine/engine.ts';
import { NumberField, percent, Sheet } from '../../frame/parts.tsx';

import { ElementsSheet } from './Elements.tsx';
import { moveModel } from './move.ts';
import { useSymmetryReport } from './use-report.ts';
import { z } from 'zod';
import { remember, remembered } from '../../store/remembered.ts';

export const TOLERANCE_KEY = 'symmetry tolerance';
export const storedTolerance = (): number => remembered(TOLERANCE_KEY, z.number().positive().max(2), 0.25);

export function SymmetryDesk(): ReactNode {
  const { head, project, pane, setPane } = useProject('head', 'project', 'pane', 'setPane');
  const navigate = useNavigate();
  const [tolerance, setTolerance] = useState(storedTolerance);
  const { report, working, error } = useSymmetryReport(tolerance);
  if (!head?.structure)
    return (
      <Sheet
        title="No model yet"
        state="Symmetry is told from a model; before there is one, Intake ranks the space groups by the data."
      >
        <Button onClick={() => void navigate(`/projects/${project.id}/intake`)}>Go to Intake</Button>
      </Sheet>
    );
  const g = head.structure.spaceGroup;
  return (
    <>
      <Sheet
        title="Space group"
        state={
          report
            ? `No. ${g.number}, ${report.system}, class ${report.crystalClass}, Laue class ${report.laueClass}.`
            : working
              ? 'Working it out…'
              : (error ?? '')
        }
      >
        <p className="big-symbol">{prettySymbol(g.symbol)}</p>
        <div className="segments" role="group" aria-label="Middle of the window">
          <button className="word" aria-pressed={pane !== 'page'} onClick={() => setPane('crystal')}>
            Crystal
          </button>
          <button className="word" aria-pressed={pane === 'page'} onClick={() => setPane('page')}>
            Page of the space group
          </button>
        </div>
      </Sheet>
      {report && (
        <MissedSheet
          report={report}
          tolerance={tolerance}
          working={working}
          onTolerance={(v) => {
            remember(TOLERANCE_KEY, v);
            setTolerance(v);
          }}
        />
      )}
      {report && <SettingsSheet report={report} />}
      {report && <ElementsSheet key={report.group.hall} report={report} />}
      {report && <TooMuchSheet report={report} />}
      {error && <Sheet title="Not worked out" state={error} />}
    </>
  );
}

function MissedSheet({
  report,
  tolerance,
  working,
  onTolerance,
}: {
  report: SymmetryReport;
  tolerance: number;
  working: boolean;
  onTolerance(v: number): void;
}): ReactNode {
  const store = useProjectStore();
  const { head, work, perform, select, goTo, setCompareWith, setProblem } = useProject(
    'head',
    'work',
    'perform',
    'select',
    'goTo',
    'setCompareWith',
    'setProblem',
  );
  const s = head!.structure!;
  const likely = report.missed.filter((m) => m.likely),
    nearly = report.missed.filter((m) => !m.likely);
  const raise = async (m: MissedWithOpinion): Promise<void> => {
    const from = head!;
    const raised = await perform(`Moving to ${prettySymbol(m.group.symbol)}`, () =>
      run('raise', { structure: s, to: m }),
    );
    if (!raised) return;
    const structure = obeyControls(raised.structure);
    const moved = await moveModel(store, {
      structure,
      treatment: { ...withSphericalAtoms(changeTreatment(head!.treatment ?? {}, m.change)), twins: [] },
      p: m.change.p,
      optimizeWeights: true,
      weights: { a: 0.05, b: 0 },
      title: `moved to ${prettySymbol(m.group.symbol)}: ${raised.merged.length} sites merged${raised.disordered.length ? `, ${raised.disordered.length} kept as disordered` : ''}`,
    });
    if (moved) {
      goTo(moved.id);
      setCompareWith(from.id);
    }
    if (raised.disordered.length)
      setProblem(
        `These sites have no partner under the new symmetry and are kept with part of their occupancy: ${raised.disordered.slice(0, 12).join(', ')}${raised.disordered.length > 12 ? ` and ${raised.disordered.length - 12} more` : ''}.`,
      );
  };
  const sentence = likely.length
    ? `Missed: the model has the symmetry of ${prettySymbol(likely[0]!.group.symbol)} within ${likely[0]!.maxDeviation.toFixed(2)} Å.`
    : nearly.length
      ? `Nothing missed; it comes near to ${prettySymbol(nearly[0]!.group.symbol)}.`
      : `Nothing missed within ${tolerance.toFixed(2)} Å.`;
  return (
    <Sheet title="Symmetry missed?" state={sentence}>
      <div className="field">
        <label htmlFor="tolerance">Tolerance</label>
        <NumberField
          id="tolerance"
          value={tolerance}
          digits={2}
          step={0.05}
          min={0.05}
          max={1}
          unit={working ? 'Å, working…' : 'Å'}
          commit
          onChange={onTolerance}
        />
      </div>
      {[...likely, ...nearly].slice(0, 5).map((m) => (
        <div
          key={`${m.group.hall}${m.index}${m.change.origin.join()}`}
          className={`verdict${m.likely ? ' likely' : ''}`}
        >
          <header>
            <b>{prettySymbol(m.group.symbol)}</b>
            <span className="soft">
              {m.likely
                ? 'geometry and data agree'
                : m.opinion?.verdict === 'against'
                  ? 'the data speak against it'
                  : 'not every atom fits'}
            </span>
          </header>
          <p className="mb-1">{m.words}</p>
          <p className="mono soft mb-1 fine">{changeWords(m.change)}</p>
          {m.misfits.length > 0 && (
            <p className="mb-1">
              Do not fit:{' '}
              {m.misfits.slice(0, 10).map((x) => (
                <button key={x.site} className="word" onClick={() => select(atomsOfSites(s, [x.site]))}>
                  {s.sites[x.site]?.label} {Number.isFinite(x.distance) ? `${x.distance.toFixed(2)} Å` : 'no partner'}
                </button>
              ))}
            </p>
          )}
          <Button
            size="sm"
            variant={m.likely ? 'primary' : 'outline-primary'}
            disabled={!!work}
            onClick={() => void raise(m)}
          >
            Move to {prettySymbol(m.group.symbol)} and refine
          </Button>
        </div>
      ))}
      {report.pseudoTranslations.slice(0, 2).map((f, i) => (
        <p key={i} className="mb-1">
          <b>Pseudo-translation</b> ({f.operator.t.map((x) => (x - Math.floor(x + 1e-6)).toFixed(3)).join(', ')}):{' '}
          {percent(f.fit, 0)} of the electrons repeat within {f.maxDeviation.toFixed(2)} Å.
        </p>
      ))}
      {report.superstructure[0] && (
        <p className="mb-1">
          <b>Superstructure</b>: {report.superstructure[0].words}.
          {report.superstructure.length > 1 ? (
            <span className="soft">
              {' '}
              Weaker signs of{' '}
              {report.superstructure
                .slice(1, 4)
                .map((x) => `(${x.translation.map(fractionWords).join(', ')})`)
                .join(', ')}
              .
            </span>
          ) : null}
        </p>
      )}
      {!report.superstructure.length && <p className="soft mb-0">No class of reflections is systematically weak.</p>}
    </Sheet>
  );
}

const cellText = (c: SettingChoice['cell']): string[] =>
  cellParameters(c).map((x, i) => (i < 3 ? x.toFixed(3) : x.toFixed(2)));

function SettingsSheet({ report }: { report: SymmetryReport }): ReactNode {
  const store = useProjectStore();
  const { head, work, goTo, setCompareWith } = useProject('head', 'work', 'goTo', 'setCompareWith');
  const s = head!.structure!;
  const [all, setAll] = useState(false);
  const [text, setText] = useState('');
  const typed = useMemo((): { change: AxesChange; words: string; possible: boolean } | string | undefined => {
    if (!text.trim()) return undefined;
    try {
      const change = parseChange(text);
      const c = consequenceOf(s.cell, s.spaceGroup, change);
      return c.possible
        ? {
            change,
            possible: true,
            words: `${prettySymbol(c.group.symbol)}${c.group.code === '*' ? ' in a setting without a symbol of its own' : ''}. ${c.words} ${cellText(c.cell).join(' ')}`,
          }
        : c.reason;
    } catch (e) {
      return (e as Error).message;
    }
  }, [text, s]);
  const apply = async (change: AxesChange, named?: SettingChoice): Promise<void> => {
    const from = head!;
    // A choice from the table brings its own name; any other axes are worked out.
    const structure = named ? describeIn(s, change, named.group) : changeStructure(s, change);
    const moved = await moveModel(store, {
      structure,
      treatment: changeTreatment(head!.treatment ?? {}, change),
      p: change.p,
      weights: changeWeights(head!.readings?.weights ?? { a: 0.1, b: 0 }, change),
      extinction: changeExtinction(head!.readings?.extinction?.value ?? 0, change),
      optimizeWeights: !head!.readings,
      compareR1: true,
      title: `re-set in ${prettySymbol(structure.spaceGroup.symbol)}: ${changeWords(change)}`,
    });
    if (!moved) return;
    goTo(moved.id);
    setCompareWith(from.id);
    setText('');
  };
  const shown = all ? report.settings : report.settings.slice(0, 4);
  const standard = report.settings.find((c) => c.standard && !c.present);
  const present = report.settings.find((c) => c.present);
  return (
    <Sheet
      title="Setting"
      state={
        present?.standard
          ? `The model is in the standard setting.${standard ? ' A shorter cell has the same symbol.' : ''}`
          : `The model is in ${prettySymbol(present?.group.symbol ?? s.spaceGroup.symbol)}; the standard setting is ${prettySymbol(standard?.group.symbol ?? '?')}.`
      }
      action={
        standard && !present?.standard ? (
          <Button size="sm" disabled={!!work} onClick={() => void apply(standard.change, standard)}>
            Re-set to {prettySymbol(standard.group.symbol)}
          </Button>
        ) : undefined
      }
    >
      {head!.message?.includes(' re-set in ') && (
        <p className="agreement" role="status">
          {head!.message}
        </p>
      )}
      <table className="settings">
        <thead>
          <tr>
            <th>setting</th>
            <th className="n">a, b, c, Å</th>
            <th className="n">α, β, γ, °</th>
            <td></td>
          </tr>
        </thead>
        <tbody>
          {shown.map((c) => {
            const v = cellText(c.cell);
            return (
              <tr key={c.setting.hall + c.present} title={changeWords(c.change)}>
                <td>
                  <b>{prettySymbol(c.group.symbol)}</b>
                  <br />
                  <span className="soft">{c.reasons.join('; ')}</span>
                  {!c.present && <div className="mono soft fine">{changeWords(c.change)}</div>}
                </td>
                <td className="n">
                  {v.slice(0, 3).map((x, i) => (
                    <span key={i}>
                      {x}
                      <br />
                    </span>
                  ))}
                </td>
                <td className="n">
                  {v.slice(3).map((x, i) => (
                    <span key={i}>
                      {x}
                      <br />
                    </span>
                  ))}
                </td>
                <td>
                  {c.present ? (
                    <span className="soft">now</span>
                  ) : (
                    <button className="word text-nowrap" disabled={!!work} onClick={() => void apply(c.change, c)}>
                      re-set
                    </button>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {report.settings.length > 4 && (
        <button className="word" onClick={() => setAll(!all)}>
          {all ? 'Fewer settings' : `${report.settings.length - 4} more settings`}
        </button>
      )}
      <p className="soft mt-1 mb-2 mono fine">
        reduced cell ({report.reduced.words}): {cellText(report.reduced.cell).join(' ')}
      </p>
      <div className="field">
        <label htmlFor="axes">Other axes</label>
        <input
          id="axes"
          className="form-control form-control-sm mono"
          placeholder="-a-c, b, a; 0, 1/4, 0"
          value={text}
          aria-describedby="axes-says"
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Escape') setText('');
            if (e.key === 'Enter' && typeof typed === 'object' && !work) void apply(typed.change);
          }}
        />
      </div>
      <p id="axes-says" className={typeof typed === 'string' ? 'off mb-1' : 'mb-1'}>
        {typeof typed === 'string' ? (
          typed
        ) : typed ? (
          typed.words
        ) : (
          <span className="soft">
            New axes in terms of a, b, c, then the new origin. What it means is said while you type.
          </span>
        )}
      </p>
      {typeof typed === 'object' && (
        <Button size="sm" variant="outline-primary" disabled={!!work} onClick={() => void apply(typed.change)}>
          Re-set to these axes
        </Button>
      )}
    </Sheet>
  );
}

function TooMuchSheet({ report }: { report: SymmetryReport }): ReactNode {
  const store = useProjectStore();
  const { head, work, goTo, setCompareWith } = useProject('head', 'work', 'goTo', 'setCompareWith');
  const [twinned, setTwinned] = useState(true);
  const lower = async (g: Subgroup): Promise<void> => {
    const from = head!;
    const structure = lowerSymmetry(head!.structure!, g);
    const { twins: _t, ...rest } = withSphericalAtoms(head!.treatment ?? {});
    const moved = await moveModel(store, {
      structure,
      treatment: { ...rest, ...(twinned && g.twins.length ? { twins: g.twins.map((t) => ({ ...t })) } : {}) },
      p: [1, 0, 0, 0, 1, 0, 0, 0, 1],
      optimizeWeights: true,
      weights: { a: 0.05, b: 0 },
      title: `lowered to ${prettySymbol(g.group.symbol)}${twinned && g.twins.length ? `, twinned by ${g.twins.map((t) => t.name).join(' and ')}` : ''}`,
    });
    if (moved) {
      goTo(moved.id);
      setCompareWith(from.id);
    }
  };
  const badly = head!.readings && head!.readings.r1 > 0.08;
  return (
    <Sheet
      title="Too much symmetry?"
      fold
      state={
        badly
          ? `R1 of ${percent(head!.r1)} may come from symmetry the crystal does not have. Each subgroup implies a twin law.`
          : 'Subgroups on the same lattice, each with the twin law it implies. Worth a trial where a refinement stays bad.'
      }
    >
      <label className="mb-2">
        <input type="checkbox" checked={twinned} onChange={(e) => setTwinned(e.target.checked)} /> refine the twin
        fraction too
      </label>
      {report.subgroups.map((g) => (
        <div key={g.group.hall + g.lost.map((l) => l.words).join()} className="verdict">
          <p className="mb-1">
            {subgroupWords(g)}.
            {g.twins.length ? (
              <span className="soft"> Twin by {g.twins.map((t) => t.name).join(', ')}.</span>
            ) : (
              <span className="soft"> No twin law.</span>
            )}
          </p>
          <button className="word" disabled={!!work} onClick={() => void lower(g)}>
            Go down to {prettySymbol(g.group.symbol)} and refine
          </button>
        </div>
      ))}
      {!report.subgroups.length && <p className="soft mb-0">There is nothing below P 1.</p>}
    </Sheet>
  );
}
