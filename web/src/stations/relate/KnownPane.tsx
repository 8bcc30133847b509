/** Everything known of the structure, in groups; searched, chosen, put in order, beside other structures, copied and saved. */
import { useQueries } from '@tanstack/react-query';
import { Fragment, useMemo, useState, type ReactNode } from 'react';
import {
  chosenRows,
  comparedRows,
  knownTable,
  searchedRows,
  type ComparedRow,
  type RowChoice,
} from '@nagare/core/publish/known';
import { run } from '../../engine/engine.ts';
import { KeptAsides } from '../../frame/AsidesList.tsx';
import { knownOfChoice, type KnownInput } from '../../store/known-of.ts';
import { useOtherStructures } from '../../store/other-structures.ts';
import { useProject } from '../../store/use-project.tsx';
import { useCifInput } from '../publish/cif-input.ts';
import { useRowChoice } from './row-choice.ts';
import { TableActions } from './TableActions.tsx';

/** Columns beside the structure on screen. */
const MOST_BESIDE = 5;

export default function KnownPane(): ReactNode {
  const { head, project } = useProject('head', 'project');
  const others = useOtherStructures();
  const [beside, setBeside] = useState<readonly string[]>([]);
  const [words, setWords] = useState('');
  const [onlyDiffering, setOnlyDiffering] = useState(false);
  const [choosing, setChoosing] = useState(false);
  const [choice, setChoice] = useRowChoice();
  const { columns, problem } = useColumns(beside);
  const rows = useMemo(() => comparedRows(columns), [columns]);
  const names = [...others.marks, ...others.projects];
  const titles = [project.name, ...beside.map((id) => names.find(([k]) => k === id)?.[1] ?? '')];
  if (!head?.structure)
    return (
      <div className="empty">
        <h3>No model yet</h3>
      </div>
    );
  const found = searchedRows(rows, words);
  const kept = chosenRows(found, choosing || words.trim() ? { ...choice, hidden: [] } : choice);
  const shown = onlyDiffering && beside.length ? kept.filter((r) => r.differs) : kept;
  return (
    <div className="tables-pane known">
      <header>
        <div className="d-flex flex-wrap gap-3 align-items-center">
          <input
            className="form-control form-control-sm w-auto"
            type="search"
            aria-label="Search in everything known"
            placeholder="colour, density, _cell …"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
          {names.length > 0 && beside.length < MOST_BESIDE && (
            <select
              className="form-select form-select-sm w-auto"
              aria-label="Put another structure beside it"
              value=""
              onChange={(e) => e.target.value && setBeside([...beside, e.target.value])}
            >
              <option value="">beside it: …</option>
              {names
                .filter(([id]) => !beside.includes(id))
                .map(([id, text]) => (
                  <option key={id} value={id}>
                    {text}
                  </option>
                ))}
            </select>
          )}
          {beside.length > 0 && (
            <label>
              <input type="checkbox" checked={onlyDiffering} onChange={() => setOnlyDiffering(!onlyDiffering)} /> only
              what differs
            </label>
          )}
          <button className="word" aria-pressed={choosing} onClick={() => setChoosing(!choosing)}>
            {choosing ? 'Done choosing' : 'Choose what is shown'}
          </button>
          {choosing && (choice.hidden.length > 0 || choice.order.length > 0) && (
            <button className="word" onClick={() => setChoice({ hidden: [], order: [] })}>
              Everything, as it was
            </button>
          )}
          <TableActions table={() => knownTable(shown, titles)} fileName={`${project.name}-known.csv`} />
          <span className="soft" aria-live="polite">
            {problem ?? (rows.length ? `${shown.length} of ${rows.length}` : 'Gathering…')}
          </span>
        </div>
      </header>
      <KeptAsides />
      <KnownTable
        rows={shown}
        titles={titles}
        choosing={choosing}
        choice={choice}
        onChoice={setChoice}
        onDrop={(i) => setBeside(beside.filter((_, k) => k !== i))}
      />
    </div>
  );
}

/** Rows of the structure on screen and of each beside it. */
function useColumns(beside: readonly string[]) {
  const { head, project } = useProject('head', 'project');
  const input = useCifInput();
  const items = project.source?.items;
  const own = useMemo((): KnownInput | undefined => {
    if (!input) return undefined;
    // Its reflections are no item.
    const { reflections: _, ...rest } = input;
    return { input: rest, items: items ?? {} };
  }, [input, items]);
  const answers = useQueries({
    queries: [
      {
        queryKey: ['known', head?.id, project.updated],
        enabled: !!own,
        staleTime: Infinity,
        queryFn: () => rowsOf(own!),
      },
      ...beside.map((id) => ({
        queryKey: ['known', id],
        staleTime: 0,
        retry: false,
        queryFn: async () => {
          const known = await knownOfChoice(id);
          if (!known) throw new Error('A structure beside it is gone.');
          return rowsOf(known);
        },
      })),
    ],
    combine: (all) => ({
      columns: all.map((a) => a.data ?? []),
      problem: all.find((a) => a.error)?.error?.message,
    }),
  });
  return answers;
}

const rowsOf = ({ input, items }: KnownInput) => run('known', { input, items: { ...items } }).result;

interface KnownTableProps {
  readonly rows: readonly ComparedRow[];
  readonly titles: readonly string[];
  readonly choosing: boolean;
  readonly choice: RowChoice;
  onChoice(choice: RowChoice): void;
  /** Takes a column beside the first away. */
  onDrop(index: number): void;
}

function KnownTable({ rows, titles, choosing, choice, onChoice, onDrop }: KnownTableProps): ReactNode {
  const hidden = new Set(choice.hidden);
  const toggle = (key: string): void =>
    onChoice({ ...choice, hidden: hidden.has(key) ? choice.hidden.filter((k) => k !== key) : [...choice.hidden, key] });
  const move = (i: number, by: number): void => {
    const other = rows[i + by];
    if (!other || other.group !== rows[i]!.group) return;
    const order = rows.map((r) => r.key);
    [order[i], order[i + by]] = [order[i + by]!, order[i]!];
    // What is not on screen keeps its place behind.
    onChoice({ ...choice, order: [...order, ...choice.order.filter((k) => !order.includes(k))] });
  };
  return (
    <table aria-label="Everything known">
      {titles.length > 1 && (
        <thead>
          <tr>
            {choosing && <td></td>}
            <td></td>
            {titles.map((t, i) => (
              <th key={i}>
                {t}{' '}
                {i > 0 && (
                  <button className="word off" aria-label={`Take ${t} away`} onClick={() => onDrop(i - 1)}>
                    ×
                  </button>
                )}
              </th>
            ))}
          </tr>
        </thead>
      )}
      <tbody>
        {rows.map((r, i) => (
          <Fragment key={r.key}>
            {r.group !== rows[i - 1]?.group && (
              <tr className="group">
                <th colSpan={titles.length + (choosing ? 2 : 1)} scope="rowgroup">
                  {r.group}
                </th>
              </tr>
            )}
            <tr className={r.differs ? 'differs' : ''}>
              {choosing && (
                <td className="choose">
                  <input
                    type="checkbox"
                    aria-label={`Show ${r.name}`}
                    checked={!hidden.has(r.key)}
                    onChange={() => toggle(r.key)}
                  />
                  <button className="word" aria-label={`${r.name} further up`} onClick={() => move(i, -1)}>
                    ↑
                  </button>
                  <button className="word" aria-label={`${r.name} further down`} onClick={() => move(i, 1)}>
                    ↓
                  </button>
                </td>
              )}
              <th scope="row" title={[r.meaning, r.key.startsWith('_') ? r.key : ''].filter(Boolean).join(' ')}>
                {r.name}
              </th>
              {r.values.map((v, k) => (
                <Value key={k} value={v} unit={r.unit} recorded={r.recorded[k]} />
              ))}
            </tr>
          </Fragment>
        ))}
      </tbody>
    </table>
  );
}

interface ValueProps {
  readonly value: string | undefined;
  readonly unit: string | undefined;
  readonly recorded: string | undefined;
}

/** As it is printed: with a minus of its own, and the unit after it. */
function Value({ value, unit, recorded }: ValueProps): ReactNode {
  if (value === undefined) return <td className="soft">–</td>;
  return (
    <td>
      {value.replace(/^-(?=\d)/, '−')}
      {unit && <span className="soft"> {unit}</span>}
      {recorded && <div className="soft fine">the file says {recorded}</div>}
    </td>
  );
}
