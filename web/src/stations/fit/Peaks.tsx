/** Peaks of the pattern, the phases that explain them, and cells for what is unknown. */
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { findElement } from '@nagare/core/crystal/elements';
import { newId } from '@nagare/core/crystal/structure';
import { prettySymbol, spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { cellParameters, type Cell } from '@nagare/core/crystal/cell';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import type { Match } from '@nagare/core/powder/identify';
import type { IndexedCell } from '@nagare/core/powder/index-cells';
import { newPhase, symmetricCell } from '@nagare/core/powder/model';
import type { ShelfEntry } from '@nagare/core/shelf/entry';
import type { ShelfPage } from '@nagare/core/shelf/search';
import { run } from '../../engine/engine.ts';
import { queryClient } from '../../engine/server.ts';
import { Sheet } from '../../frame/parts.tsx';
import { db } from '../../store/db.ts';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { fetchEntry } from './ShelfDialog.tsx';
import { useFit } from './use-fit.tsx';

const symbols = (text: string): string[] =>
  text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map((s) => s[0]!.toUpperCase() + s.slice(1).toLowerCase());

/** Every entry that the filter lets through, with its structure; asked for once a filter. */
async function shelfEntries(elements: readonly string[]): Promise<ShelfEntry[]> {
  const shipped = await queryClient.fetchQuery({
    queryKey: ['shelf structures', ...elements],
    staleTime: Infinity,
    queryFn: async (): Promise<ShelfEntry[]> => {
      const all: ShelfEntry[] = [];
      for (let page = 1; ; page++) {
        const answer = await fetch(
          `/api/shelf?structures=yes&size=200&page=${page}${elements.length ? `&optional=${elements.join(',')}` : ''}`,
        );
        if (!answer.ok) throw new Error('The shelf does not answer. Is the server running?');
        const body = (await answer.json()) as ShelfPage<ShelfEntry>;
        all.push(...body.entries);
        if (all.length >= body.total || !body.entries.length) return all;
      }
    },
  });
  return [...(await db.shelf.toArray()), ...shipped];
}

const grown = (c: Cell, by: number): Cell => ({
  a: c.a * by,
  b: c.b * by,
  c: c.c * by,
  alpha: c.alpha,
  beta: c.beta,
  gamma: c.gamma,
});

export function PeaksSheet(): ReactNode {
  const fit = useFit(
    'addPhases',
    'at',
    'model',
    'own',
    'pattern',
    'patterns',
    'row',
    'setWindow',
    'ticks',
    'updateRow',
  );
  const { pattern, own, row, patterns, at, updateRow, model } = fit;
  const { perform, setProblem } = useProject('perform', 'setProblem');
  const id = patterns[at]?.id ?? '';
  const peaks = row?.peaks?.[id];
  const [significance, setSignificance] = useState(4);
  const [ranked, setRanked] = useState<Match[]>();
  const [left, setLeft] = useState<number>();
  const text = (row?.elements ?? []).join(' ');
  const [elements, setElements] = useState<string | undefined>();
  const typed = symbols(elements ?? text),
    wrong = typed.find((e) => !findElement(e));
  if (!pattern || !own || !row) return null;
  const search = async (): Promise<void> => {
    const found = await perform('Searching for peaks', () =>
      run('peaks', { pattern, instrument: own.instrument, search: { significance } }),
    );
    if (found) await updateRow({ peaks: { ...row.peaks, [id]: found }, matches: [] });
  };
  const identify = async (accepted?: Match[]): Promise<void> => {
    try {
      const list =
        peaks ?? (await run('peaks', { pattern, instrument: own.instrument, search: { significance } }).result);
      const entries = await shelfEntries(typed);
      if (!entries.length) {
        setProblem(`The shelf has nothing made of ${typed.join(', ')} only. Name more elements.`);
        return;
      }
      const found = await perform('Comparing with the shelf', () =>
        run('identify', {
          peaks: list,
          entries,
          options: { instrument: own.instrument, elements: typed, stretch: 0.01 },
          ...(accepted ? { accepted } : {}),
        }),
      );
      if (!found) return;
      await updateRow({ peaks: { ...row.peaks, [id]: list }, matches: found.phases, elements: typed });
      setRanked(found.ranked);
      setLeft(found.left);
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  const take = async (list: readonly Match[]): Promise<void> => {
    const entries = await Promise.all(list.map((m) => fetchEntry(m.id)));
    // The stretch that fitted best is where the fit begins.
    const phases = entries.map((e, i) =>
      newPhase(newId(), e.name, { ...e.structure, cell: grown(e.structure.cell, 1 + list[i]!.stretch) }),
    );
    await fit.addPhases(phases, `${phases.map((p) => p.name).join(', ')} identified`);
  };
  const matches = row.matches ?? [];
  const explained =
    peaks && model?.phases.length
      ? peaks.filter((p) =>
          fit.ticks.some((l) => l.some((t) => Math.abs(t.x - p.position) < Math.max(0.08, 0.5 * p.width))),
        ).length
      : undefined;
  return (
    <Sheet
      title="Peaks and phases"
      fold
      state={
        peaks
          ? `${peaks.length} peaks${explained !== undefined ? `, ${explained} of them explained by the phases of the fit` : ''}.`
          : 'Find the peaks, then ask the shelf which phases explain them.'
      }
    >
      <div className="d-flex gap-2 align-items-center flex-wrap mb-2">
        <Button size="sm" variant="outline-primary" onClick={() => void search()}>
          Find peaks
        </Button>
        <label className="soft" htmlFor="significance">
          above
        </label>
        <input
          id="significance"
          className="form-control form-control-sm n w-6ch"
          value={significance}
          inputMode="decimal"
          onChange={(e) => {
            const v = Number(e.target.value);
            if (v > 0) setSignificance(v);
          }}
        />
        <span className="soft">s.u.</span>
        {peaks && (
          <button
            className="word"
            onClick={() =>
              saveFile(
                `2theta,su,d,height,width,area,su\n${peaks.map((p) => [p.position, p.positionSu, p.d, p.height, p.width, p.area, p.areaSu].map((v) => v.toPrecision(7)).join(',')).join('\n')}\n`,
                'peaks.csv',
                'text/csv',
              )
            }
          >
            CSV
          </button>
        )}
      </div>
      {peaks && peaks.length > 0 && (
        <details>
          <summary>Table of peaks</summary>
          <div className="short-list">
            <table>
              <thead>
                <tr>
                  <th className="n">2θ, °</th>
                  <th className="n">d, Å</th>
                  <th className="n">counts</th>
                  <th className="n">width, °</th>
                  <th className="n">area, counts °</th>
                  <td />
                </tr>
              </thead>
              <tbody>
                {peaks.map((p, i) => (
                  <tr key={i} className="pick" onClick={() => fit.setWindow([p.position - 2, p.position + 2])}>
                    <td className="n">{formatMeasured(p.position, p.positionSu)}</td>
                    <td className="n">{p.d.toFixed(4)}</td>
                    <td className="n">{p.height.toFixed(0)}</td>
                    <td className="n">{p.width.toFixed(3)}</td>
                    <td className="n">{formatMeasured(p.area, p.areaSu)}</td>
                    <td>
                      <button
                        className="word off"
                        aria-label={`Remove the peak at ${p.position.toFixed(2)}`}
                        onClick={(e) => {
                          e.stopPropagation();
                          void updateRow({ peaks: { ...row.peaks, [id]: peaks.filter((_, k) => k !== i) } });
                        }}
                      >
                        ×
                      </button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </details>
      )}
      <div className="d-flex gap-2 align-items-center mt-2">
        <label htmlFor="elements" className="soft text-nowrap">
          only of
        </label>
        <input
          id="elements"
          className="form-control form-control-sm"
          placeholder="any elements, or Sn Ti O Al"
          value={elements ?? text}
          onChange={(e) => setElements(e.target.value)}
        />
        <Button size="sm" disabled={!!wrong} onClick={() => void identify()}>
          Identify
        </Button>
      </div>
      {wrong && <p className="off mb-0">{wrong} is not an element.</p>}
      {matches.length > 0 && (
        <>
          <table className="mt-2">
            <thead>
              <tr>
                <th>one after another</th>
                <th className="n" title="100 · found · agree · √share of what was left">
                  merit
                </th>
                <th className="n">found</th>
                <th className="n">cell</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {matches.map((m) => (
                <tr key={m.id}>
                  <td>
                    {m.name}
                    <div className="soft">
                      {m.formula}
                      {m.warnings.length ? ` · ◇ ${m.warnings[0]}` : ''}
                    </div>
                  </td>
                  <td className="n">{m.merit.toFixed(0)}</td>
                  <td className="n">{(100 * m.found).toFixed(0)} %</td>
                  <td className="n">
                    {m.stretch ? `${m.stretch > 0 ? '+' : ''}${(100 * m.stretch).toFixed(2)} %` : 'as is'}
                  </td>
                  <td>
                    <button
                      className="word off"
                      aria-label={`Not ${m.name}`}
                      onClick={() => void identify(matches.filter((x) => x.id !== m.id))}
                    >
                      ×
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {left !== undefined && (
            <p className="soft mb-1 mt-1">{(100 * left).toFixed(1)} % of the intensity is left.</p>
          )}
          <Button size="sm" className="mt-1" onClick={() => void take(matches)}>
            Take {matches.length === 1 ? 'it' : `these ${matches.length}`} into the fit
          </Button>
        </>
      )}
      {ranked && (
        <details>
          <summary>Others on what is left ({ranked.length})</summary>
          <table>
            <tbody>
              {ranked.slice(0, 12).map((m) => (
                <tr key={m.id}>
                  <td>
                    {m.name} <span className="soft">{m.formula}</span>
                  </td>
                  <td className="n">{m.merit.toFixed(0)}</td>
                  <td className="n">{(100 * m.share).toFixed(0)} % of the rest</td>
                  <td>
                    <button className="word" onClick={() => void identify([...matches, m])}>
                      Accept
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      )}
    </Sheet>
  );
}

/** Indexing of an unknown: cells with merits, shown as ticks, taken as a phase without structure. */
export function IndexSheet(): ReactNode {
  const fit = useFit('addPhases', 'at', 'model', 'own', 'patterns', 'row', 'setTrial', 'ticks', 'trial', 'updateRow');
  const { row, patterns, at, own, updateRow, setTrial } = fit;
  const { perform } = useProject('perform');
  const [tolerance, setTolerance] = useState(0.03),
    [impurities, setImpurities] = useState(0);
  const [seen, setSeen] = useState<number | undefined>();
  const peaks = row?.peaks?.[patterns[at]?.id ?? ''];
  if (!own || !row) return null;
  // Peaks that no phase of the fit explains; all of them before there is a phase.
  const open = (peaks ?? []).filter(
    (p) =>
      !fit.model?.phases.some(
        (ph, i) =>
          ph.id !== fit.trial?.id &&
          fit.ticks[i]?.some((t) => Math.abs(t.x - p.position) < Math.max(0.06, 0.4 * p.width)),
      ),
  );
  const index = async (): Promise<void> => {
    const found = await perform('Indexing', (tell) =>
      run(
        'index',
        {
          twoTheta: open.map((p) => p.position - own.instrument.zero),
          options: { wavelength: own.instrument.lines[0]!.wavelength, tolerance, impurities },
        },
        (p: { system: string; volume: number; found: number; best: number }) =>
          tell(
            `${p.system} cells to ${p.volume.toFixed(0)} Å³, ${p.found} found${p.best ? `, best M ${p.best.toFixed(0)}` : ''}`,
          ),
      ),
    );
    if (found) await updateRow({ cells: found });
  };
  const phaseOf = (c: IndexedCell, symbol: string) => {
    const spaceGroup = spaceGroupFromSymbol(symbol);
    return newPhase(`trial-cell`, `Unknown, ${c.system}`, {
      cell: symmetricCell(c.cell, spaceGroup),
      spaceGroup,
      sites: [],
    });
  };
  return (
    <Sheet
      title="An unknown cell"
      fold
      state={
        peaks
          ? `${open.length} peaks are not explained by any phase; the first twenty decide.`
          : 'Find the peaks first.'
      }
    >
      <div className="d-flex gap-2 align-items-center flex-wrap">
        <Button size="sm" variant="outline-primary" disabled={open.length < 8} onClick={() => void index()}>
          Index them
        </Button>
        <label className="soft" htmlFor="index-error">
          errors to
        </label>
        <input
          id="index-error"
          className="form-control form-control-sm n w-7ch"
          defaultValue={tolerance}
          onBlur={(e) => {
            const v = Number(e.target.value);
            if (v > 0) setTolerance(v);
          }}
        />
        <span className="soft">°,</span>
        <input
          aria-label="Lines that may be foreign"
          className="form-control form-control-sm n w-5ch"
          defaultValue={impurities}
          onBlur={(e) => setImpurities(Math.max(0, Math.round(Number(e.target.value)) || 0))}
        />
        <span className="soft">foreign</span>
      </div>
      {peaks && open.length < 8 && <p className="soft mb-0 mt-1">At least eight are needed.</p>}
      {row.cells &&
        (row.cells.length ? (
          <table className="mt-2">
            <thead>
              <tr>
                <th>cell</th>
                <th className="n">V / Å³</th>
                <th className="n">M20</th>
                <th className="n">F20</th>
              </tr>
            </thead>
            <tbody>
              {row.cells.slice(0, 8).map((c, i) => (
                <tr
                  key={i}
                  className={`pick${seen === i ? ' chosen' : ''}`}
                  onClick={() => {
                    setSeen(i);
                    setTrial(phaseOf(c, c.groups[0]?.symbol ?? 'P 1'));
                  }}
                >
                  <td>
                    <button className="plain">
                      {c.system} {c.centring}
                    </button>
                    <div className="mono">
                      {cellParameters(c.cell)
                        .map((v, k) => v.toFixed(k < 3 ? 3 : 2))
                        .filter(
                          (_, k) => k < 3 || ![90, 120].includes(Math.round(cellParameters(c.cell)[k]! * 100) / 100),
                        )
                        .join(' ')}
                    </div>
                    {seen === i && (
                      <div>
                        {c.groups.slice(0, 5).map((g) => (
                          <button
                            key={g.symbol}
                            className="word"
                            title={`${g.possible} reflections possible to the last line`}
                            onClick={(e) => {
                              e.stopPropagation();
                              setTrial(undefined);
                              const p = phaseOf(c, g.symbol);
                              void fit.addPhases(
                                [{ ...p, id: newId(), name: 'Unknown' }],
                                `Unknown cell taken as ${prettySymbol(g.symbol)}`,
                              );
                              setSeen(undefined);
                            }}
                          >
                            Take as {prettySymbol(g.symbol)}
                          </button>
                        ))}
                      </div>
                    )}
                  </td>
                  <td className="n">{c.volume.toFixed(1)}</td>
                  <td className="n">{c.m20.toFixed(1)}</td>
                  <td className="n">{c.f20.toFixed(0)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        ) : (
          <p className="soft mb-0 mt-2">
            No cell was found. Remove doubtful peaks, allow larger errors, or let one line be foreign.
          </p>
        ))}
      {seen !== undefined && (
        <button
          className="word"
          onClick={() => {
            setSeen(undefined);
            setTrial(undefined);
          }}
        >
          Take the ticks away
        </button>
      )}
    </Sheet>
  );
}
