/** A crystal from a space group, the constants that are free and a table of sites, seen while it is typed. */
import { prettySymbol } from '@nagare/core/crystal/settings';
import './build.scss';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState, type ReactNode } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { freeConstants, settingsMeant } from '@nagare/core/build/from-symmetry';
import { groupOfSetting, SETTINGS } from '@nagare/core/crystal/settings';
import type { FromSymmetry as Found } from '@nagare/core/tasks/from-symmetry-task';
import { run } from '../../engine/engine.ts';
import { createBuilt } from '../../frame/take-in.ts';
import { ModelView } from '../../scene/ModelView.tsx';
import { numbersOf, poreMarks, poreWords } from './build-wishes.ts';
import { GroupList } from './GroupList.tsx';
import { Figures, Origins } from './SymmetryFigures.tsx';
import { usePores, type PoresFound } from './use-pores.ts';

/** ms that typing rests before the crystal is built: shorter than the eye, longer than a burst of keys. */
const PAUSE = 25;
const EXAMPLE = 'Mg1  0    0    0\nAl1  5/8  5/8  5/8\nO1   0.3875  0.3875  0.3875';
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
  const typed = useSettled({ symbol, constants, table }, PAUSE);
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
  const [showPores, setShowPores] = useState(true);
  const pores = usePores(structure, [typed, accepted, judged?.origin]);
  const marks = useMemo(() => poreMarks(pores), [pores]);
  const take = async (): Promise<void> => {
    if (!judged || !structure) return;
    const id = await createBuilt(
      judged.holdings.formula,
      structure,
      `Built in ${prettySymbol(structure.spaceGroup.symbol ?? 'its group')}`,
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
          <GroupList chosen={symbol} onChoose={setSymbol} />
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
          <div className="built-portrait">
            {structure ? (
              <ModelView structure={structure} name={[typed, accepted, judged.origin]} pores={showPores ? marks : []} />
            ) : (
              <p className="soft mb-0">The crystal appears here as soon as group, constants and a site are there.</p>
            )}
          </div>
          {query.error && (
            <p className="off" role="alert">
              {query.error.message}
            </p>
          )}
          {judged && <Figures judged={judged} snapped={snapped} onSnap={setSnapped} />}
          {found && <PoreLine pores={pores} shown={showPores} onShow={setShowPores} />}
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

interface PoreLineProps {
  readonly pores: PoresFound;
  readonly shown: boolean;
  onShow(shown: boolean): void;
}

/** Empty space in a sentence, and whether it is drawn. */
function PoreLine({ pores, shown, onShow }: PoreLineProps): ReactNode {
  if (pores === undefined) return <p className="soft mb-1">Looking for empty space…</p>;
  return (
    <p className="mb-1">
      {poreWords(pores)}{' '}
      {pores && (
        <label className="word">
          <input type="checkbox" checked={shown} onChange={() => onShow(!shown)} /> show
        </label>
      )}
    </p>
  );
}
