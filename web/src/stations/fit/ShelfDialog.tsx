/** The shelf: reference structures by search, looked at before they are taken. It leaves the pattern in sight. */
import './shelf.scss';
import { useQuery } from '@tanstack/react-query';
import { useLiveQuery } from 'dexie-react-hooks';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { constantsWords } from '@nagare/core/crystal/cell-words';
import { findElement } from '@nagare/core/crystal/elements';
import { prettySymbol } from '@nagare/core/crystal/settings';
import { newId, siteMultiplicity } from '@nagare/core/crystal/structure';
import { bareScene } from './picture.ts';
import { newPhase } from '@nagare/core/powder/model';
import { cardOf, type ShelfCard, type ShelfEntry } from '@nagare/core/shelf/entry';
import { searchShelf, type ShelfPage } from '@nagare/core/shelf/search';
import { run } from '../../engine/engine.ts';
import { textOf } from '../../engine/read-text.ts';
import { db } from '../../store/db.ts';
import { useFit } from './use-fit.tsx';

const symbols = (text: string): string[] =>
  text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map((s) => s[0]!.toUpperCase() + s.slice(1).toLowerCase());

export async function fetchEntry(id: string): Promise<ShelfEntry> {
  const own = await db.shelf.get(id);
  if (own) return own;
  const answer = await fetch(`/api/shelf/${encodeURIComponent(id)}`);
  if (!answer.ok) throw new Error('The shelf does not answer. Is the server running?');
  return (await answer.json()) as ShelfEntry;
}

/** One field of a search with its name. */
function Asked({
  id,
  name,
  value,
  onChange,
  hint,
}: {
  id: string;
  name: string;
  value: string;
  onChange(text: string): void;
  hint?: string;
}): ReactNode {
  return (
    <>
      <label htmlFor={id}>{name}</label>
      <input
        id={id}
        className="form-control form-control-sm"
        placeholder={hint}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
    </>
  );
}

export function ShelfDialog({ onClose }: { onClose(): void }): ReactNode {
  const fit = useFit('addPhases', 'setTrial');
  const [text, setText] = useState(''),
    [present, setPresent] = useState(''),
    [absent, setAbsent] = useState(''),
    [only, setOnly] = useState(''),
    [group, setGroup] = useState(''),
    [formula, setFormula] = useState(''),
    [count, setCount] = useState(''),
    [volume, setVolume] = useState(''),
    [page, setPage] = useState(1);
  const [more, setMore] = useState(false);
  const [chosen, setChosen] = useState<ShelfEntry | undefined>();
  const [problem, setProblem] = useState<string | undefined>();
  const picker = useRef<HTMLInputElement>(null);
  const wrong = [...symbols(present), ...symbols(absent), ...symbols(only)].find((s) => !findElement(s));
  const range = /^\s*([\d.]+)\s*(?:-|–|to)\s*([\d.]+)\s*$/.exec(volume);
  const query = useMemo(
    () => ({
      ...(text.trim() ? { text: text.trim() } : {}),
      ...(present.trim() ? { present: symbols(present) } : {}),
      ...(absent.trim() ? { absent: symbols(absent) } : {}),
      ...(only.trim() ? { optional: symbols(only) } : {}),
      ...(group.trim() ? { spaceGroup: group.trim() } : {}),
      ...(formula.trim() ? { formula: formula.trim() } : {}),
      ...(Number(count) > 0 ? { count: Number(count) } : {}),
      ...(range ? { volume: [Number(range[1]), Number(range[2])] as const } : {}),
      page,
      size: 30,
    }),
    [text, present, absent, only, group, formula, count, range, page],
  );
  const stored = useLiveQuery(() => db.shelf.toArray(), []);
  const own = useMemo(() => stored ?? [], [stored]);
  const found = useQuery({
    queryKey: ['shelf', query],
    enabled: !wrong,
    placeholderData: (p: ShelfPage | undefined) => p,
    queryFn: async (): Promise<ShelfPage> => {
      const { volume: v, present: a, absent: b, optional: c, ...rest } = query;
      const p = new URLSearchParams(Object.entries(rest).map(([k, x]) => [k, String(x)]));
      for (const [k, list] of [
        ['present', a],
        ['absent', b],
        ['optional', c],
      ] as const)
        if (list) p.set(k, list.join(','));
      if (v) {
        p.set('volumeMin', String(v[0]));
        p.set('volumeMax', String(v[1]));
      }
      const answer = await fetch(`/api/shelf?${p}`);
      const body = (await answer.json()) as ShelfPage & { message?: string };
      if (!answer.ok) throw new Error(body.message ?? 'The shelf does not answer.');
      return body;
    },
  });
  const mine = useMemo(() => {
    try {
      return own.length ? searchShelf(own, { ...query, page: 1 }).entries : [];
    } catch {
      return [];
    }
  }, [own, query]);
  const look = async (id: string): Promise<void> => {
    try {
      const e = await fetchEntry(id);
      setChosen(e);
      setProblem(undefined);
      fit.setTrial(newPhase(`trial-${id}`, e.name, e.structure));
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  const take = async (): Promise<void> => {
    if (!chosen) return;
    fit.setTrial(undefined);
    await fit.addPhases([newPhase(newId(), chosen.name, chosen.structure)], `${chosen.name} taken from the shelf`);
    setChosen(undefined);
  };
  const addFile = async (files: FileList | null): Promise<void> => {
    for (const file of files ?? []) {
      try {
        for (const r of await run('recognise', { text: await textOf(file), fileName: file.name }).result)
          if (r.structure)
            await db.shelf.put(
              cardOf(`own-${newId()}`, r.experiment.kept['_chemical_name_common'] ?? r.name, r.structure, {
                ...(r.experiment.temperature ? { temperature: r.experiment.temperature } : {}),
                source: file.name,
                quality: 'own',
              }),
            );
          else setProblem(`${file.name} holds no atom sites.`);
      } catch (e) {
        setProblem((e as Error).message);
      }
    }
  };
  const first = useRef<HTMLInputElement>(null);
  useEffect(() => first.current?.focus(), []);
  const row = (c: ShelfCard): ReactNode => (
    <li key={c.id}>
      <button
        className="plain"
        aria-pressed={chosen?.id === c.id}
        onClick={() => void look(c.id)}
        onKeyDown={(e) => {
          const li = e.currentTarget.parentElement!;
          const to =
            e.key === 'ArrowDown' ? li.nextElementSibling : e.key === 'ArrowUp' ? li.previousElementSibling : undefined;
          const b = to?.querySelector('button');
          if (b) {
            e.preventDefault();
            b.focus();
            b.click();
          }
          if (e.key === 'Enter' && chosen?.id === c.id) {
            e.preventDefault();
            void take();
          }
        }}
      >
        <b>{c.name}</b> <span className="mono">{c.formula}</span>
        <span className="soft">
          {' '}
          · {prettySymbol(c.spaceGroup)} · {c.volume.toFixed(1)} Å³{c.warnings.length ? ' · ◇' : ''}
        </span>
      </button>
      {c.quality === 'own' && (
        <button
          className="word off"
          aria-label={`Take ${c.name} off your shelf`}
          onClick={() => void db.shelf.delete(c.id)}
        >
          ×
        </button>
      )}
    </li>
  );
  const page1 = found.data;
  return (
    <div
      className="shelf"
      role="dialog"
      aria-label="Shelf of reference structures"
      onKeyDown={(e) => {
        if (e.key === 'Escape') {
          e.stopPropagation();
          onClose();
        }
      }}
    >
      <header>
        <h2 className="flex-grow-1">Shelf</h2>
        <button className="word" onClick={() => picker.current?.click()}>
          Add a CIF of your own
        </button>
        <button className="word" onClick={onClose}>
          Close
        </button>
      </header>
      <input ref={picker} type="file" multiple hidden accept=".cif" onChange={(e) => void addFile(e.target.files)} />
      <div className="shelf-body">
        <div className="shelf-search">
          <div className="ask">
            <label htmlFor="shelf-present">all of</label>
            <input
              id="shelf-present"
              ref={first}
              className="form-control form-control-sm"
              placeholder="Ti O"
              value={present}
              onChange={(e) => {
                setPresent(e.target.value);
                setPage(1);
              }}
            />
            <label htmlFor="shelf-only">only among</label>
            <input
              id="shelf-only"
              className="form-control form-control-sm"
              placeholder="Ti O Sn Zn"
              value={only}
              onChange={(e) => {
                setOnly(e.target.value);
                setPage(1);
              }}
            />
            <label htmlFor="shelf-text">words</label>
            <input
              id="shelf-text"
              className="form-control form-control-sm"
              placeholder="name, formula"
              value={text}
              onChange={(e) => {
                setText(e.target.value);
                setPage(1);
              }}
            />
          </div>
          <button className="word" aria-expanded={more} onClick={() => setMore(!more)}>
            {more ? '▾' : '▸'} Narrow down
          </button>
          {more && (
            <div className="ask">
              <Asked id="shelf-absent" name="none of" value={absent} onChange={setAbsent} />
              <Asked id="shelf-formula" name="formula" value={formula} onChange={setFormula} hint="Ti O2" />
              <Asked id="shelf-group" name="space group" value={group} onChange={setGroup} hint="Fm-3m" />
              <Asked id="shelf-count" name="elements" value={count} onChange={setCount} hint="how many" />
              <Asked id="shelf-volume" name="cell, Å³" value={volume} onChange={setVolume} hint="60–70" />
            </div>
          )}
          {(wrong ?? found.error ?? problem) && (
            <p className="off mb-1" role="alert">
              {wrong ? `${wrong} is not an element.` : (problem ?? found.error?.message)}
            </p>
          )}
          {mine.length > 0 && (
            <>
              <h3>Your own</h3>
              <ul>{mine.map(row)}</ul>
            </>
          )}
          {page1 && (
            <p className="soft mb-1">
              {page1.total
                ? `${page1.total} found, the most trustworthy first${page1.total > page1.entries.length ? `, ${(page1.page - 1) * page1.size + 1}–${(page1.page - 1) * page1.size + page1.entries.length} shown` : ''}`
                : 'Nothing has all of that.'}
              {page1.total > page1.size && (
                <>
                  {' '}
                  <button className="word" disabled={page === 1} onClick={() => setPage(page - 1)}>
                    Before
                  </button>
                  <button
                    className="word"
                    disabled={page * page1.size >= page1.total}
                    onClick={() => setPage(page + 1)}
                  >
                    After
                  </button>
                </>
              )}
            </p>
          )}
          <ul>{page1?.entries.map(row)}</ul>
          {page1?.nearest?.map((n) => (
            <div key={n.change}>
              <h3>Nearest: {n.change}</h3>
              <ul>{n.entries.map(row)}</ul>
            </div>
          ))}
          {page1 && !page1.total && !page1.nearest?.length && (
            <p className="soft">Nothing near it either. Leave something out, or add a CIF of your own.</p>
          )}
        </div>
        <div className="shelf-look">
          {!chosen ? (
            <p className="soft">
              Choose an entry to see what was read, its picture, and its pattern under the measured one.
            </p>
          ) : (
            <>
              <div className="d-flex gap-3">
                <img src={bareScene(chosen.structure)} alt={`${chosen.name}, drawn`} />
                <div>
                  <b>{chosen.name}</b> <span className="soft">{chosen.alias}</span>
                  <div className="mono">{chosen.formula}</div>
                  <div>
                    {prettySymbol(chosen.spaceGroup)}, {chosen.system}
                  </div>
                  <div className="mono">{constantsWords(chosen.cell, 4)}</div>
                  <div className="soft">
                    {chosen.volume.toFixed(2)} Å³{chosen.temperature ? `, ${chosen.temperature} K` : ''}
                    {chosen.pressure ? `, ${chosen.pressure} GPa` : ''}
                  </div>
                </div>
              </div>
              <p className="my-1">
                {chosen.source}; {chosen.note}.
              </p>
              {chosen.warnings.map((w) => (
                <p key={w} className="off mb-1">
                  ◇ {w}
                </p>
              ))}
              <table>
                <thead>
                  <tr>
                    <th>site</th>
                    <th className="n">x</th>
                    <th className="n">y</th>
                    <th className="n">z</th>
                    <th className="n">occ.</th>
                    <th className="n">in cell</th>
                  </tr>
                </thead>
                <tbody>
                  {chosen.structure.sites.slice(0, 12).map((s) => (
                    <tr key={s.id}>
                      <td>{s.label}</td>
                      {s.position.map((v, i) => (
                        <td key={i} className="n">
                          {v.toFixed(4)}
                        </td>
                      ))}
                      <td className="n">{s.occupancy}</td>
                      <td className="n">{siteMultiplicity(chosen.structure, s)}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
              <Button size="sm" className="mt-2" onClick={() => void take()}>
                Take {chosen.name}
              </Button>
            </>
          )}
        </div>
      </div>
    </div>
  );
}
