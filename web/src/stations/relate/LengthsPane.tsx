/** All bond lengths or angles: filtered by words or by the selection, gathered by kind, copied and saved. */
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState, type ReactNode } from 'react';
import { withBonding } from '@nagare/core/crystal/bonding';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import {
  countedRows,
  type CountedRow,
  kindSummaries,
  type KindSummary,
  type LengthRow,
} from '@nagare/core/geometry/length-table';
import { tableCsv, tableHtml, tableText, type Table } from '@nagare/core/publish/tables';
import { run } from '../../engine/engine.ts';
import { PickRow } from '../../frame/parts.tsx';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { copyTable } from '../publish/copy-table.ts';
import { filteredRows } from './length-filter.ts';

type What = 'bonds' | 'angles';
const UNIT: Readonly<Record<What, string>> = { bonds: 'Å', angles: '°' };
const DIGITS: Readonly<Record<What, number>> = { bonds: 3, angles: 1 };
const MOST_ROWS = 1500;

function useLengths(what: What): { rows: readonly LengthRow[]; waiting: boolean } {
  const { head, result, looks } = useProject('head', 'result', 'looks');
  const query = useQuery({
    queryKey: ['lengths', head?.id, what, looks.bonding, !!result?.covariance],
    enabled: !!head?.structure?.sites.length,
    staleTime: Infinity,
    queryFn: () =>
      run('lengths', {
        structure: withBonding(head!.structure!, looks.bonding),
        what,
        ...(result?.covariance ? { covariance: result.covariance } : {}),
      }).result,
  });
  return { rows: query.data ?? [], waiting: query.isFetching };
}

function tableOf(what: What, rows: readonly CountedRow[]): Table {
  const several = rows.some((r) => r.times > 1);
  return {
    kind: what,
    title: what === 'bonds' ? 'Bond lengths (Å)' : 'Angles (°)',
    columns: [what === 'bonds' ? 'bond' : 'angle', UNIT[what], ...(several ? ['times'] : [])],
    rows: rows.map((r) => [
      r.name,
      formatMeasured(r.value, r.su, DIGITS[what]),
      ...(several ? [r.times > 1 ? String(r.times) : ''] : []),
    ]),
    notes: [],
  };
}

export default function LengthsPane(): ReactNode {
  const { head, selection, project } = useProject('head', 'selection', 'project');
  const [what, setWhat] = useState<What>('bonds');
  const [words, setWords] = useState('');
  const [only, setOnly] = useState(false);
  const [copied, setCopied] = useState('');
  const { rows, waiting } = useLengths(what);
  const s = head?.structure;
  const shown = useMemo(
    () => (s ? filteredRows(s, rows, words, only ? selection : []) : []),
    [s, rows, words, only, selection],
  );
  const kinds = useMemo(() => kindSummaries(shown), [shown]);
  if (!s?.sites.length)
    return (
      <div className="empty">
        <h3>No model yet</h3>
      </div>
    );
  const counted = countedRows(shown);
  const table = tableOf(what, counted);
  const file = `${project.name.replace(/\s+/g, '-').toLowerCase()}-${what}`;
  const copy = async (as: 'text' | 'word'): Promise<void> => {
    setCopied(await copyTable(as === 'word' ? tableHtml(table) : undefined, tableText(table)));
    setTimeout(() => setCopied(''), 2500);
  };
  return (
    <div className="tables-pane lengths">
      <header>
        <div role="tablist" aria-label="What is listed">
          {(['bonds', 'angles'] as const).map((w) => (
            <button key={w} role="tab" aria-selected={w === what} className="word" onClick={() => setWhat(w)}>
              {w === 'bonds' ? 'Bonds' : 'Angles'}
            </button>
          ))}
        </div>
        <div className="d-flex flex-wrap gap-3 align-items-center">
          <input
            className="form-control form-control-sm w-auto"
            aria-label="Only those that"
            placeholder="Ti–O, C7, bonded to O1 …"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
          <label>
            <input type="checkbox" checked={only} onChange={() => setOnly(!only)} /> of the selection
          </label>
          <button className="word" onClick={() => void copy('text')}>
            Copy
          </button>
          <button className="word" onClick={() => void copy('word')}>
            Copy for a word processor
          </button>
          <button className="word" onClick={() => saveFile(tableCsv(table), `${file}.csv`, 'text/csv')}>
            CSV
          </button>
          <span className="soft" aria-live="polite">
            {copied || (waiting ? 'Measuring…' : `${shown.length} of ${rows.length}`)}
          </span>
        </div>
      </header>
      <KindTable kinds={kinds} what={what} onPick={setWords} />
      <RowTable rows={counted} what={what} />
    </div>
  );
}

function KindTable({
  kinds,
  what,
  onPick,
}: {
  kinds: readonly KindSummary[];
  what: What;
  onPick(kind: string): void;
}): ReactNode {
  const number = (x: number): string => x.toFixed(DIGITS[what] + (what === 'bonds' ? 0 : 1));
  return (
    <table aria-label="Kinds">
      <thead>
        <tr>
          <th>kind</th>
          <th className="n">how many</th>
          <th className="n">mean, {UNIT[what]}</th>
          <th className="n">spread</th>
          <th className="n">from</th>
          <th className="n">to</th>
          <th>apart from the others</th>
        </tr>
      </thead>
      <tbody>
        {kinds.map((k) => (
          <PickRow key={k.kind} chosen={false} opens onPick={() => onPick(k.kind)}>
            <td>{k.kind}</td>
            <td className="n">{k.count}</td>
            <td className="n">{number(k.mean)}</td>
            <td className="n">{k.count > 1 ? number(k.spread) : ''}</td>
            <td className="n">{number(k.least)}</td>
            <td className="n">{number(k.most)}</td>
            <td>
              {k.outliers.slice(0, 4).join(', ')}
              {k.outliers.length > 4 ? ` and ${k.outliers.length - 4} more` : ''}
            </td>
          </PickRow>
        ))}
      </tbody>
    </table>
  );
}

function RowTable({ rows, what }: { rows: readonly CountedRow[]; what: What }): ReactNode {
  const { select } = useProject('select');
  const several = rows.some((r) => r.times > 1);
  return (
    <>
      <table aria-label={what === 'bonds' ? 'Bond lengths' : 'Angles'}>
        <thead>
          <tr>
            <th>{what === 'bonds' ? 'bond' : 'angle'}</th>
            <th>kind</th>
            <th className="n">{UNIT[what]}</th>
            {several && <th className="n">times</th>}
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, MOST_ROWS).map((r, i) => (
            <PickRow key={i} chosen={false} onPick={() => select(r.atoms)}>
              <td>{r.name}</td>
              <td>{r.kind}</td>
              <td className="n">{formatMeasured(r.value, r.su, DIGITS[what])}</td>
              {several && <td className="n">{r.times > 1 ? `× ${r.times}` : ''}</td>}
            </PickRow>
          ))}
        </tbody>
      </table>
      {rows.length > MOST_ROWS && (
        <p className="soft">The first {MOST_ROWS} are shown; copies and files hold all of them.</p>
      )}
    </>
  );
}
