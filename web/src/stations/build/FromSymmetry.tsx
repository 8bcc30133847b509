/** A crystal from a space group, the constants that are free and a table of sites, seen while it is typed. */
import './build.scss';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState, type ReactNode } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { freeConstants, settingsMeant } from '@nagare/core/build/from-symmetry';
import { groupOfSetting, SETTINGS } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import type { FromSymmetry as Found, JudgedCrystal } from '@nagare/core/tasks/from-symmetry-task';
import { run } from '../../engine/engine.ts';
import { createBuilt } from '../../frame/take-in.ts';
import { numbersOf } from './build-wishes.ts';

const EXAMPLE = 'Mg1  0    0    0\nAl1  5/8  5/8  5/8\nO1   0.3875  0.3875  0.3875';
/** A score above which a setting is worth to be called sensible. */
const SENSIBLE = 0.25;
/** Rows of the table of positions. */
const MOST_ROWS = 12;
/** Every symbol, offered while one is typed; the same element always, so that keystrokes do not make it anew. */
const GROUPS = (
  <datalist id="built-groups">
    {[...new Set(SETTINGS.map((s) => s.symbol))].map((x) => (
      <option key={x} value={x} />
    ))}
  </datalist>
);

/** The value as it stood a moment ago: half a word is no table. */
function useSettled<T>(value: T, pause: number): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), pause);
    return () => clearTimeout(timer);
  }, [value, pause]);
  return settled;
}

/** Which constants are asked for, or why the symbol says nothing. */
function askedFor(symbol: string): string {
  if (!symbol.trim()) return 'Write a symbol such as F d -3 m, or its first letters.';
  try {
    const names = settingsMeant(symbol).map((s) => freeConstants(groupOfSetting(s)).join(', '));
    return `Free: ${[...new Set(names)].join(', or ')}.`;
  } catch (e) {
    return (e as Error).message;
  }
}

export function FromSymmetry({ onEnd }: { onEnd(): void }): ReactNode {
  const [symbol, setSymbol] = useState('');
  const [constants, setConstants] = useState('');
  const [table, setTable] = useState('');
  const [chosen, setChosen] = useState<string | undefined>();
  const [snapped, setSnapped] = useState<ReadonlySet<string>>(new Set());
  const navigate = useNavigate();
  const typed = useSettled({ symbol, constants, table }, 80);
  const accepted = [...snapped].sort();
  const numbers = numbersOf(typed.constants);
  const query = useQuery({
    queryKey: ['from symmetry', typed, accepted],
    enabled: !!typed.symbol.trim() && !!numbers && !!typed.table.trim(),
    placeholderData: keepPreviousData,
    retry: false,
    gcTime: 10_000,
    structuralSharing: false,
    queryFn: () =>
      run('from symmetry', {
        symbol: typed.symbol,
        constants: numbers!,
        table: typed.table,
        snapped: accepted,
      }).result,
  });
  const found = query.error ? undefined : query.data;
  const judged = found?.judged.find((j) => j.origin === chosen) ?? found?.judged[0];
  const structure = judged?.structure;
  const take = async (): Promise<void> => {
    if (!judged || !structure) return;
    const id = await createBuilt(
      judged.holdings.formula,
      structure,
      `Built in ${structure.spaceGroup.symbol ?? 'its group'}`,
    );
    onEnd();
    await navigate(`/projects/${id}/relate`);
  };
  return (
    <Modal show onHide={onEnd} size="xl" className="from-symmetry" aria-labelledby="from-symmetry-title">
      <Modal.Header closeButton>
        <Modal.Title id="from-symmetry-title" as="h2" className="fs-5">
          A crystal from its symmetry
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <div className="typed">
          <label htmlFor="built-group">Space group</label>
          <input
            id="built-group"
            className="form-control"
            list="built-groups"
            autoFocus
            value={symbol}
            onChange={(e) => setSymbol(e.target.value)}
          />
          {GROUPS}
          <label htmlFor="built-constants">Constants of the cell, Å and degrees</label>
          <input
            id="built-constants"
            className="form-control mono"
            aria-describedby="built-asked"
            value={constants}
            onChange={(e) => setConstants(e.target.value)}
          />
          <p id="built-asked" className="soft fine">
            {askedFor(symbol)}
          </p>
          <label htmlFor="built-table">
            Sites: names, then x y z, then occupancy and U if known; any order under headings
          </label>
          <textarea
            id="built-table"
            className="form-control mono"
            rows={9}
            spellCheck={false}
            placeholder={EXAMPLE}
            value={table}
            onChange={(e) => setTable(e.target.value)}
          />
          {found && <Understood found={found} />}
        </div>
        <div className="seen">
          <Portrait structure={structure} />
          {query.error && (
            <p className="off" role="alert">
              {query.error.message}
            </p>
          )}
          {judged && <Figures judged={judged} snapped={snapped} onSnap={setSnapped} />}
          {found && found.judged.length > 1 && (
            <Origins list={found.judged} chosen={judged?.origin} onChoose={setChosen} />
          )}
        </div>
      </Modal.Body>
      <Modal.Footer>
        <button className="word" onClick={onEnd}>
          Leave it
        </button>
        <Button disabled={!structure} onClick={() => void take()}>
          Take it as a project
        </Button>
      </Modal.Footer>
    </Modal>
  );
}

function Understood({ found }: { found: Found }): ReactNode {
  return (
    <>
      {found.understood && <p className="soft fine mb-1">Read as {found.understood}.</p>}
      {found.problems.map((p) => (
        <p key={p.line} className="off fine mb-0">
          Line {p.line}, “{p.text.slice(0, 40)}”: {p.reason}.
        </p>
      ))}
    </>
  );
}

function Portrait({ structure }: { structure: Structure | undefined }): ReactNode {
  const query = useQuery({
    queryKey: [
      'built portrait',
      structure?.sites.map((x) => [x.label, x.position]),
      structure?.cell,
      structure?.spaceGroup.hall,
    ],
    enabled: !!structure,
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    queryFn: () => run('portrait', { structure: structure! }).result,
  });
  return (
    <div className="built-portrait">
      {structure && query.data ? (
        <img alt="The crystal as it is typed" src={`data:image/svg+xml,${encodeURIComponent(query.data)}`} />
      ) : (
        <p className="soft mb-0">The crystal appears here as soon as group, constants and a site are there.</p>
      )}
    </div>
  );
}

interface FiguresProps {
  readonly judged: JudgedCrystal;
  readonly snapped: ReadonlySet<string>;
  onSnap(labels: ReadonlySet<string>): void;
}

function Figures({ judged, snapped, onSnap }: FiguresProps): ReactNode {
  const { holdings: h, contacts, special } = judged;
  return (
    <>
      <p className="mb-1">
        <strong>{h.formula}</strong>, Z = {h.z}: {h.atoms} atoms, {h.density.toFixed(3)} g/cm³
        {h.charge === undefined
          ? ''
          : h.charge === 0
            ? ', charges balance'
            : `, charges leave ${h.charge > 0 ? '+' : '−'}${Math.abs(h.charge)}`}
        .
      </p>
      <p className="mono fine mb-1">
        {contacts.slice(0, 6).map((c) => (
          <span key={c.pair.join('–')} className={c.absurd ? 'contact off' : 'contact'}>
            {c.pair.join('–')} {c.distance.toFixed(3)} Å{c.absurd ? ', too near' : ''}
          </span>
        ))}
      </p>
      <Rows rows={judged.rows} />
      {special.map((n) => (
        <label key={n.label} className="word d-block">
          <input
            type="checkbox"
            checked={snapped.has(n.label)}
            onChange={() => {
              const next = new Set(snapped);
              if (!next.delete(n.label)) next.add(n.label);
              onSnap(next);
            }}
          />{' '}
          {n.label} stands {n.away.toFixed(2)} Å from a special position: there it is {n.then} atoms of the cell, now{' '}
          {n.now}.
        </label>
      ))}
    </>
  );
}

/** Where each site stands. */
function Rows({ rows }: { rows: JudgedCrystal['rows'] }): ReactNode {
  return (
    <table className="relate mb-2">
      <thead>
        <tr>
          <th>site</th>
          <th className="n">in the cell</th>
          <th>position</th>
          <th>symmetry</th>
          <th className="n">nearest, Å</th>
        </tr>
      </thead>
      <tbody>
        {rows.slice(0, MOST_ROWS).map((r) => (
          <tr key={r.label}>
            <td className="name">{r.label}</td>
            <td className="n">{r.multiplicity}</td>
            <td>{r.letter ? `${r.multiplicity}${r.letter}` : ''}</td>
            <td>{r.siteSymmetry}</td>
            <td className="n">{r.nearest ? `${r.nearest.label} ${r.nearest.distance.toFixed(3)}` : ''}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface OriginsProps {
  readonly list: readonly JudgedCrystal[];
  readonly chosen: string | undefined;
  onChoose(origin: string): void;
}

/** Every origin or setting the symbol may mean, with its evidence. */
function Origins({ list, chosen, onChoose }: OriginsProps): ReactNode {
  return (
    <fieldset className="origins">
      <legend className="fs-6">The symbol may mean {list.length} settings</legend>
      {list.map((j, i) => (
        <label key={j.origin}>
          <input type="radio" name="origin" checked={j.origin === chosen} onChange={() => onChoose(j.origin)} />{' '}
          <strong>
            {/^\d$/.test(j.origin) ? `Origin ${j.origin}` : `Setting ${j.origin}`}
            {i === 0 && j.score > SENSIBLE ? ', the sensible one' : ''}
          </strong>{' '}
          <span className="soft">
            {j.reason} {j.coordination && `Neighbours: ${j.coordination}.`}
          </span>
        </label>
      ))}
    </fieldset>
  );
}
