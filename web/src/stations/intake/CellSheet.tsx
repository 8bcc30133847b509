/** The cell and what the metric says of it. */
import { constantsWords } from '@nagare/core/crystal/cell-words';
import { type ReactNode } from 'react';
import { cellParameters, cellVolume, type Cell } from '@nagare/core/crystal/cell';
import { beyondText } from '@nagare/core/crystal/reach';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { percent, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { NAMES } from './Intake.tsx';

/** A class as it is printed, with true minus signs. */
const printed = (symbol: string): string => symbol.replaceAll('-', '−');

export function CellSheet({ cell }: { cell: Cell }): ReactNode {
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
