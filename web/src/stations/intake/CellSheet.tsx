/** The cell and what the metric says of it. */
import { constantsWords } from '@nagare/core/crystal/cell-words';
import { type ReactNode } from 'react';
import { cellParameters, cellVolume, type Cell } from '@nagare/core/crystal/cell';
import { beyondText } from '@nagare/core/crystal/reach';
import { cellInGroup } from '@nagare/core/crystal/group-cell';
import { groupOfSetting, prettySymbol } from '@nagare/core/crystal/settings';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { percent, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { NAMES } from './Intake.tsx';

/** A class as it is printed, with true minus signs. */
const printed = (symbol: string): string => symbol.replaceAll('-', '−');

/** A cell as models have it, where that can be seen in the numbers. */
function visiblyOther(measured: Cell, asModels: Cell): Cell | undefined {
  const [p, q] = [cellParameters(measured), cellParameters(asModels)];
  return p.some((x, i) => Math.abs(x - q[i]!) > (i < 3 ? 0.0005 : 0.005)) ? asModels : undefined;
}

export function CellSheet({ cell }: { cell: Cell }): ReactNode {
  const { intake, project } = useProject('intake', 'project');
  const lattice = intake?.analysis?.lattice;
  const p = cellParameters(cell);
  const best = intake?.analysis?.ranking.groups[0];
  const group = best && groupOfSetting(best.setting);
  const constrained = lattice && group && visiblyOther(lattice.cell, cellInGroup(lattice.cell, group));
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
            {i < 3 ? ' Å' : '°'}
          </span>
        ))}
      </div>
      {lattice && (
        <p className="soft mb-0 mt-2">
          The lattice has {printed(lattice.latticeClass)} symmetry within {lattice.metricDeviation.toFixed(2)}°,
          centring {lattice.centring}; the intensities agree in {printed(lattice.laueClass)}.
          {lattice.changed ? ' The given cell was not the conventional one; indices were transformed.' : ''}
        </p>
      )}
      {constrained && (
        <p className="soft mb-0 mt-1">
          It was measured without constraints: models in {prettySymbol(group!.symbol)} take{' '}
          <span className="mono">{constantsWords(constrained)}</span>.
        </p>
      )}
      {intake?.analysis?.beyond && <p className="off mb-0 mt-2">{beyondText(intake.analysis.beyond)}</p>}
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
                <td></td>
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
          <p className="soft mb-0 mt-1 mono fine">reduced: {constantsWords(lattice.reducedCell)}</p>
        </details>
      )}
    </Sheet>
  );
}
