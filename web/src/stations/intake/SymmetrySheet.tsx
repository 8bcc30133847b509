/** The space groups that the data allow, ranked. */
import { prettySymbol } from '@nagare/core/crystal/settings';
import { useState, type ReactNode } from 'react';
import { findSetting, groupOfSetting } from '@nagare/core/crystal/settings';
import { percent, Sheet } from '../../frame/parts.tsx';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { mergeFor } from './intake-work.ts';

export function SymmetrySheet(): ReactNode {
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
      setProblem(`"${text}" is not a known space-group symbol. Write it like P 21/c, P 21/n or -P 2ybc.`);
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
              <b className="text-body">{prettySymbol(project.group.symbol)}</b> (no. {project.group.number}) is
              chosen.{' '}
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
            <td></td>
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
                  aria-label={prettySymbol(g.symbol)}
                  checked={g.hall === project.group?.hall}
                  onChange={() => choose(g.hall)}
                />
              </td>
              <td>{prettySymbol(g.symbol)}</td>
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
