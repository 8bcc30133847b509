/** The tables of a paper: choose, order, leave rows out, copy or save. */
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState, type ReactNode } from 'react';
import {
  TABLE_DEFAULTS,
  TABLE_KINDS,
  tableCsv,
  tableHtml,
  tableText,
  type Table,
  type TableKind,
  type TableOptions,
} from '@nagare/core/publish/tables';
import { run } from '../../engine/engine.ts';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { useCifInput } from './cif-input.ts';
import { copyTable } from './copy-table.ts';
import { tableOptionsSchema } from '@nagare/core/tasks/report-schemas';
import { remember, remembered } from '../../store/remembered.ts';

const NAMES: Record<TableKind, string> = {
  'crystal data': 'Crystal data',
  sites: 'Sites',
  bonds: 'Bonds',
  angles: 'Angles',
  torsions: 'Torsions',
  'hydrogen bonds': 'Hydrogen bonds',
  displacements: 'Displacements',
};
const storedOptions = (): TableOptions => ({
  ...TABLE_DEFAULTS,
  ...remembered('tables', tableOptionsSchema.partial(), {}),
});

export default function TablesPane(): ReactNode {
  const { project, head } = useProject('project', 'head');
  const input = useCifInput();
  const [kind, setKind] = useState<TableKind>('crystal data');
  const [options, setOptions] = useState(storedOptions);
  const [out, setOut] = useState<ReadonlySet<string>>(new Set());
  const [columnsOut, setColumnsOut] = useState<ReadonlySet<number>>(new Set());
  const [copied, setCopied] = useState('');
  const { data: table, error } = useQuery({
    queryKey: ['table', head?.id, kind, options, JSON.stringify(project.experiment)],
    enabled: !!input,
    staleTime: Infinity,
    gcTime: 60_000,
    queryFn: () => run('table', { input: input!, kind, options }).result,
  });
  const change = (c: Partial<TableOptions>): void => {
    const next = { ...options, ...c };
    remember('tables', next);
    setOptions(next);
  };
  const chosen = useMemo(
    (): Table | undefined =>
      table && {
        ...table,
        columns: table.columns.filter((_, i) => !columnsOut.has(i)),
        rows: table.rows
          .filter((r) => !out.has(`${table.kind}|${r[0]}`))
          .map((r) => r.filter((_, i) => !columnsOut.has(i))),
      },
    [table, out, columnsOut],
  );
  if (!input)
    return (
      <div className="empty">
        <h3>No model yet</h3>
      </div>
    );
  const name = `${project.name.replace(/\s+/g, '-').toLowerCase()}-${kind.replace(/\s+/g, '-')}`;
  const copy = async (what: 'text' | 'word'): Promise<void> => {
    if (!chosen) return;
    setCopied(await copyTable(what === 'word' ? tableHtml(chosen) : undefined, tableText(chosen)));
    setTimeout(() => setCopied(''), 2500);
  };
  return (
    <div className="tables-pane">
      <header>
        <div role="tablist" aria-label="Table">
          {TABLE_KINDS.map((k) => (
            <button
              key={k}
              role="tab"
              aria-selected={k === kind}
              className="word"
              onClick={() => {
                setKind(k);
                setColumnsOut(new Set());
              }}
            >
              {NAMES[k]}
            </button>
          ))}
        </div>
        <div className="d-flex flex-wrap gap-3 align-items-center">
          {kind !== 'crystal data' && (
            <>
              <label>
                <input
                  type="checkbox"
                  checked={options.hydrogens}
                  onChange={(e) => change({ hydrogens: e.target.checked })}
                />{' '}
                hydrogens
              </label>
              {(kind === 'sites' || kind === 'displacements') && (
                <label>
                  <input
                    type="checkbox"
                    checked={options.scaled}
                    onChange={(e) => change({ scaled: e.target.checked })}
                  />{' '}
                  × 10⁴ and × 10³
                </label>
              )}
              {(kind === 'bonds' || kind === 'hydrogen bonds') && (
                <label>
                  lengths in{' '}
                  <select
                    className="inline"
                    value={options.picometres ? 'pm' : 'Å'}
                    onChange={(e) => change({ picometres: e.target.value === 'pm' })}
                  >
                    <option>Å</option>
                    <option>pm</option>
                  </select>
                </label>
              )}
              <label>
                order{' '}
                <select
                  className="inline"
                  value={options.order}
                  onChange={(e) => change({ order: e.target.value as TableOptions['order'] })}
                >
                  {['as in the model', 'by label', 'by value'].map((o) => (
                    <option key={o}>{o}</option>
                  ))}
                </select>
              </label>
            </>
          )}
          <span className="flex-grow-1" />
          <span className="soft" role="status">
            {copied}
          </span>
          <button className="word" onClick={() => void copy('word')}>
            Copy for a word processor
          </button>
          <button className="word" onClick={() => void copy('text')}>
            Copy text
          </button>
          <button
            className="word"
            disabled={!chosen}
            onClick={() => saveFile(tableCsv(chosen!), `${name}.csv`, 'text/csv')}
          >
            CSV
          </button>
          <button
            className="word"
            disabled={!chosen}
            onClick={() =>
              saveFile(`<!doctype html><meta charset="utf-8">${tableHtml(chosen!)}`, `${name}.html`, 'text/html')
            }
          >
            HTML
          </button>
        </div>
      </header>
      {error && <p className="off">{error.message}</p>}
      {table && (
        <article>
          <h2>{table.title}</h2>
          {!table.rows.length && <p className="soft">There is nothing of this kind in the model.</p>}
          <table>
            {table.columns.some(Boolean) && (
              <thead>
                <tr>
                  <td className="keep" />
                  {table.columns.map((c, i) => (
                    <th key={i} className={columnsOut.has(i) ? 'out' : ''}>
                      {i ? (
                        <button
                          className="plain"
                          title={columnsOut.has(i) ? 'Take this column in' : 'Leave this column out'}
                          onClick={() => {
                            const next = new Set(columnsOut);
                            if (next.has(i)) next.delete(i);
                            else next.add(i);
                            setColumnsOut(next);
                          }}
                        >
                          {c || '·'}
                        </button>
                      ) : (
                        c
                      )}
                    </th>
                  ))}
                </tr>
              </thead>
            )}
            <tbody>
              {table.rows.slice(0, 600).map((r) => {
                const key = `${table.kind}|${r[0]}`;
                const gone = out.has(key);
                return (
                  <tr key={r.join('|')} className={gone ? 'out' : ''}>
                    <td className="keep">
                      <input
                        type="checkbox"
                        aria-label={`Row ${r[0]}`}
                        checked={!gone}
                        onChange={() => {
                          const next = new Set(out);
                          if (gone) next.delete(key);
                          else next.add(key);
                          setOut(next);
                        }}
                      />
                    </td>
                    {r.map((x, i) => (
                      <td key={i} className={`${i ? 'mono' : ''}${columnsOut.has(i) ? ' out' : ''}`}>
                        {x}
                      </td>
                    ))}
                  </tr>
                );
              })}
            </tbody>
          </table>
          {table.rows.length > 600 && <p className="soft">{table.rows.length - 600} further rows are in the files.</p>}
          {table.notes.map((n) => (
            <p key={n} className="soft">
              {n}
            </p>
          ))}
        </article>
      )}
    </div>
  );
}
