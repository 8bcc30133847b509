/** The page of the space group, drawn for people, in the structure's own setting. */
import { atomsOfSites } from '../../store/selection.ts';
import { type ReactNode } from 'react';
import { prettySymbol } from '@nagare/core/crystal/settings';
import { useProject } from '../../store/use-project.tsx';
import { storedTolerance } from './Symmetry.tsx';
import { useSymmetryReport } from './use-report.ts';
import { GroupDiagram } from './GroupDiagram.tsx';

export default function SpaceGroupPage(): ReactNode {
  const { head, select, setPane } = useProject('head', 'select', 'setPane');
  const { report, working } = useSymmetryReport(storedTolerance());
  if (!report || !head)
    return (
      <div className="empty">
        <h3>{working ? 'Working out the symmetry…' : 'No model yet'}</h3>
      </div>
    );
  const s = head.structure!;
  const choose = (sites: readonly number[]): void => {
    select(atomsOfSites(s, sites));
    if (sites.length) setPane('crystal');
  };
  return (
    <div className="group-page" role="region" aria-label="Space group" tabIndex={0}>
      <header>
        <h1>{prettySymbol(report.group.symbol)}</h1>
        <p>
          No. {report.group.number} · {report.system} · class {report.crystalClass} · Laue class {report.laueClass} ·
          Hall symbol <span className="mono">{report.group.hall}</span>
        </p>
      </header>
      <section className="wide">
        <h2>What the symbol says</h2>
        <dl className="symbol-parts">
          {report.parts.map((p, i) => (
            <div key={i}>
              <dt>{p.text}</dt>
              <dd>
                {p.direction && <span className="soft">{p.direction}: </span>}
                {p.words}
              </dd>
            </div>
          ))}
        </dl>
      </section>
      <section>
        <h2>Elements, seen along {report.system === 'monoclinic' ? 'b' : 'c'}</h2>
        <GroupDiagram elements={report.elements} cell={s.cell} along={report.system === 'monoclinic' ? 1 : 2} />
      </section>
      <section>
        <h2>Positions</h2>
        <table>
          <thead>
            <tr>
              <th className="n">per cell</th>
              <th>site symmetry</th>
              <th>coordinates</th>
              <th>sites here</th>
            </tr>
          </thead>
          <tbody>
            {report.positions.map((p) => (
              <tr
                key={p.coordinates + p.multiplicity + p.siteSymmetry}
                className={p.sites.length ? 'pick' : ''}
                tabIndex={p.sites.length ? 0 : -1}
                title={p.equivalent.slice(0, 24).join('   ')}
                onClick={() => choose(p.sites)}
                onKeyDown={(e) => {
                  if (e.key === 'Enter') choose(p.sites);
                }}
              >
                <td className="n">{p.multiplicity}</td>
                <td>{p.siteSymmetry}</td>
                <td className="mono">{p.coordinates}</td>
                <td>
                  {p.sites.length ? (
                    `${p.sites
                      .slice(0, 6)
                      .map((i) => s.sites[i]!.label)
                      .join(', ')}${p.sites.length > 6 ? ` and ${p.sites.length - 6} more` : ''}`
                  ) : (
                    <span className="soft">none</span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      <section>
        <h2>Reflection conditions</h2>
        {report.conditions.length ? (
          <table>
            <thead>
              <tr>
                <th>present only if</th>
                <th>because of</th>
              </tr>
            </thead>
            <tbody>
              {report.conditions.map((c) => (
                <tr key={c.condition + c.because}>
                  <td className="mono">{c.condition}</td>
                  <td>{c.because}</td>
                </tr>
              ))}
            </tbody>
          </table>
        ) : (
          <p className="soft">None: every reflection may be present.</p>
        )}
        <h2 className="mt-3">Subgroups on the same lattice</h2>
        <p>{report.subgroups.map((g) => `${prettySymbol(g.group.symbol)} (index ${g.index})`).join(' · ') || 'none'}</p>
        <h2 className="mt-3">Supergroups the model comes near to</h2>
        <p>
          {report.missed
            .map(
              (m) =>
                `${prettySymbol(m.group.symbol)} (${m.likely ? 'within' : 'beyond'} ${report.tolerance.toFixed(2)} Å)`,
            )
            .join(' · ') || 'none'}
        </p>
      </section>
      <section>
        <h2>Operators</h2>
        <ol className="operators mono">
          {report.operators.map((o) => (
            <li key={o}>{o}</li>
          ))}
        </ol>
      </section>
    </div>
  );
}
