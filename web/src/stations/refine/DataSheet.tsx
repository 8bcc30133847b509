/** What the data are allowed to say: limits, exclusions, twins, extinction, absolute structure, solvent. */
import { NO_TREATMENT } from '../../store/marks.ts';
import { useState, type ReactNode } from 'react';
import type { Treatment } from '@nagare/core/crystal/treatment';
import { parseOverlapList } from '@nagare/core/formats/overlap-list';
import { INVERSION_TWIN } from '@nagare/core/data/twin-laws';
import { invertStructure } from '@nagare/core/refine/absolute-structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import type { TwinTrial } from '@nagare/core/tasks/model-tasks';
import { run } from '../../engine/engine.ts';
import { textOf } from '../../engine/read-text.ts';
import { NumberField, percent, Sheet } from '../../frame/parts.tsx';
import { useProject, useEdit } from '../../store/use-project.tsx';
import { useExperiment } from './use-experiment.ts';

/** A treatment without one of its parts. */
export function without(t: Treatment, key: keyof Treatment): Treatment {
  const { [key]: _gone, ...rest } = t;
  return rest;
}

export function DataSheet(): ReactNode {
  const { head, work, perform, pane, setPane, setProblem } = useProject(
    'head',
    'work',
    'perform',
    'pane',
    'setPane',
    'setProblem',
  );
  const edit = useEdit();
  const t = head?.treatment ?? NO_TREATMENT;
  const input = useExperiment();
  const [trials, setTrials] = useState<{ r1: number; trials: TwinTrial[] } | undefined>();
  const [probe, setProbe] = useState(1.2);
  const [matrix, setMatrix] = useState('');
  if (!input) return null;
  const s = head!.structure!;
  const change = (next: Treatment, title: string): void => void edit(s, title, next);
  const parts = [
    t.dMin && `to ${t.dMin.toFixed(2)} Å`,
    t.excluded?.length && `${t.excluded.length} left out`,
    t.twins?.length && `twin, ${t.twins.map((x) => formatMeasured(x.fraction, x.su, 3)).join(' and ')}`,
    t.extinction && 'extinction',
    t.mask && `solvent of ${t.mask.electrons.toFixed(0)} e`,
  ].filter(Boolean);
  const hasInversion = t.twins?.some((x) => x.law.every((v, i) => v === INVERSION_TWIN[i]));
  const own = (): void => {
    const v = matrix
      .trim()
      .split(/[\s,;]+/)
      .map((x) => (x.includes('/') ? Number(x.split('/')[0]) / Number(x.split('/')[1]) : Number(x)));
    if (v.length !== 9 || v.some((x) => !Number.isFinite(x))) {
      setProblem(
        'A twin law is nine numbers, row by row, that take the indices of the first component to those of the second: 0 1 0 1 0 0 0 0 -1, say.',
      );
      return;
    }
    change(
      { ...t, twins: [...(t.twins ?? []), { law: v as never, fraction: 0.1, name: `given law` }] },
      'twin law given',
    );
  };
  return (
    <Sheet
      title="Data"
      fold
      shut={!parts.length}
      state={parts.length ? `${parts.join('; ')}.` : 'All merged data, one crystal, no solvent correction.'}
      action={
        <button
          className="word"
          aria-pressed={pane === 'data'}
          onClick={() => setPane(pane === 'data' ? 'crystal' : 'data')}
        >
          Plots
        </button>
      }
    >
      <div className="field">
        <label htmlFor="d-min">High limit</label>
        <span className="d-flex gap-1">
          <NumberField
            id="d-min"
            value={t.dMin}
            digits={2}
            step={0.02}
            min={0.3}
            max={5}
            unit="Å"
            commit
            onChange={(v) => change({ ...t, dMin: v }, `data to ${v.toFixed(2)} Å`)}
          />
          {t.dMin && (
            <button className="word" onClick={() => change(without(t, 'dMin'), 'data to the last reflection')}>
              all
            </button>
          )}
        </span>
      </div>
      <div className="field">
        <label htmlFor="d-max">Low limit</label>
        <span className="d-flex gap-1">
          <NumberField
            id="d-max"
            value={t.dMax}
            digits={1}
            step={0.5}
            min={1}
            max={60}
            unit="Å"
            commit
            onChange={(v) => change({ ...t, dMax: v }, `data from ${v.toFixed(1)} Å`)}
          />
          {t.dMax && (
            <button className="word" onClick={() => change(without(t, 'dMax'), 'data from the first reflection')}>
              all
            </button>
          )}
        </span>
      </div>
      {t.excluded?.length ? (
        <details>
          <summary>{t.excluded.length} reflections left out</summary>
          <table>
            <tbody>
              {t.excluded.map((x) => (
                <tr key={`${x.h} ${x.k} ${x.l}`}>
                  <td className="mono">
                    {x.h} {x.k} {x.l}
                  </td>
                  <td>{x.reason}</td>
                  <td>
                    <button
                      className="word"
                      onClick={() =>
                        change({ ...t, excluded: t.excluded!.filter((y) => y !== x) }, `${x.h} ${x.k} ${x.l} put back`)
                      }
                    >
                      put back
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      ) : null}
      <label className="d-flex gap-2 mt-1">
        <input
          type="checkbox"
          checked={!!t.extinction}
          onChange={(e) =>
            change(
              e.target.checked ? { ...t, extinction: true } : without(t, 'extinction'),
              e.target.checked ? 'extinction refined' : 'no extinction',
            )
          }
        />{' '}
        refine extinction
        {head!.readings?.extinction ? (
          <span className="mono">{formatMeasured(head!.readings.extinction.value, head!.readings.extinction.su)}</span>
        ) : null}
      </label>
      {(t.twins ?? []).map((x, i) => (
        <p key={i} className="mb-1">
          Component {i + 2}: {x.name}, <span className="mono">{formatMeasured(x.fraction, x.su, 3)}</span>{' '}
          <button
            className="word off"
            onClick={() =>
              change(
                t.twins!.length > 1 ? { ...t, twins: t.twins!.filter((_, k) => k !== i) } : without(t, 'twins'),
                'twin component removed',
              )
            }
          >
            remove
          </button>
        </p>
      ))}
      <details>
        <summary>Twin laws</summary>
        <button
          className="word"
          disabled={!!work}
          onClick={() =>
            void perform('Testing twin laws', (tell) => run('twins', input, tell)).then((r) => r && setTrials(r))
          }
        >
          Test those the metric allows
        </button>
        {trials &&
          (trials.trials.length ? (
            <table>
              <thead>
                <tr>
                  <th>law</th>
                  <th className="n">fraction</th>
                  <th className="n">R1</th>
                  <td></td>
                </tr>
              </thead>
              <tbody>
                {trials.trials.map((x) => (
                  <tr key={x.law.name + x.law.law.join()}>
                    <td>{x.law.name}</td>
                    <td className="n">{formatMeasured(x.fraction, x.su, 3)}</td>
                    <td className="n">
                      {percent(trials.r1)} → {percent(x.r1)}
                    </td>
                    <td>
                      <button
                        className="word"
                        onClick={() =>
                          change(
                            {
                              ...t,
                              twins: [
                                {
                                  law: x.law.law,
                                  fraction: Math.max(0.02, Math.min(0.98, x.fraction)),
                                  name: x.law.name,
                                },
                              ],
                            },
                            `twin: ${x.law.name}`,
                          )
                        }
                      >
                        {x.fraction > 3 * x.su && x.r1 < 0.97 * trials.r1 ? 'use (fits better)' : 'use'}
                      </button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          ) : (
            <p className="soft mb-1">The metric allows none beyond the crystal’s own symmetry.</p>
          ))}
        <div className="d-flex gap-1 mt-1">
          <input
            className="form-control form-control-sm"
            aria-label="Twin law, nine numbers by rows"
            placeholder="0 1 0  1 0 0  0 0 -1"
            value={matrix}
            onChange={(e) => setMatrix(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === 'Enter') own();
            }}
          />
          <button className="word" onClick={own}>
            Add
          </button>
        </div>
        <label className="word pointer" title="Lines of h k l in the first component and h k l in the second">
          Read a list of overlaps
          <input
            type="file"
            hidden
            data-testid="overlap-file"
            onChange={(e) => {
              const f = e.target.files?.[0];
              if (f)
                void textOf(f).then((text) => {
                  try {
                    change(
                      {
                        ...t,
                        twins: [
                          ...(t.twins ?? []),
                          {
                            law: [1, 0, 0, 0, 1, 0, 0, 0, 1],
                            overlaps: parseOverlapList(text),
                            fraction: 0.2,
                            name: `overlaps of ${f.name}`,
                          },
                        ],
                      },
                      `overlaps of ${f.name}`,
                    );
                  } catch (x) {
                    setProblem(`${f.name}: ${(x as Error).message}`);
                  }
                });
              e.target.value = '';
            }}
          />
        </label>
        <p className="soft mb-0">
          Where a law gives indices that are not whole, those reflections do not overlap and hold the first component
          alone.
        </p>
      </details>
      {!s.spaceGroup.centric && (
        <details open={!!head!.absolute}>
          <summary>Absolute structure</summary>
          {head!.absolute ? (
            <p className="mb-1">
              By quotients of {head!.absolute.pairs} pairs: x ={' '}
              <span className="mono">{formatMeasured(head!.absolute.x, head!.absolute.su, 3)}</span>.{' '}
              <b>{head!.absolute.verdict}</b>
            </p>
          ) : (
            <p className="soft mb-1">Refine once; the quotients of Friedel pairs then say which hand it is.</p>
          )}
          {hasInversion && (
            <p className="mb-1">
              By refinement: x ={' '}
              <span className="mono">
                {formatMeasured(
                  t.twins!.find((x) => x.name === 'inversion')!.fraction,
                  t.twins!.find((x) => x.name === 'inversion')!.su,
                  3,
                )}
              </span>
            </p>
          )}
          {!hasInversion && (
            <button
              className="word"
              onClick={() =>
                change(
                  { ...t, twins: [...(t.twins ?? []), { law: INVERSION_TWIN, fraction: 0.05, name: 'inversion' }] },
                  'absolute structure refined as a twin by inversion',
                )
              }
            >
              Refine x too
            </button>
          )}
          <button className="word" onClick={() => void edit(invertStructure(s), 'structure inverted')}>
            Invert the structure
          </button>
        </details>
      )}
      <details open={!!t.mask}>
        <summary>Solvent that cannot be modelled</summary>
        {t.mask && (
          <>
            <p className="mb-1">
              {t.mask.voids.length} {t.mask.voids.length === 1 ? 'void' : 'voids'}, {t.mask.volume.toFixed(0)} Å³ and{' '}
              {t.mask.electrons.toFixed(0)} electrons per cell.
            </p>
            <table>
              <tbody>
                {t.mask.voids.map((v, i) => (
                  <tr key={i}>
                    <td className="mono">{v.centre.map((x) => x.toFixed(2)).join(' ')}</td>
                    <td className="n">{v.volume.toFixed(0)} Å³</td>
                    <td className="n">{v.electrons.toFixed(0)} e</td>
                  </tr>
                ))}
              </tbody>
            </table>
            <button className="word off" onClick={() => change(without(t, 'mask'), 'solvent correction removed')}>
              Remove the correction
            </button>
          </>
        )}
        <div className="d-flex gap-2 align-items-center">
          <label htmlFor="probe" className="soft">
            probe
          </label>
          <NumberField id="probe" value={probe} digits={1} step={0.1} min={0.6} max={3} unit="Å" onChange={setProbe} />
          <button
            className="word"
            disabled={!!work}
            onClick={() =>
              void perform('Looking for solvent', (tell) => run('mask', { ...input, probe }, tell)).then((r) => {
                if (r)
                  change(
                    { ...t, mask: r.mask },
                    `solvent of ${r.mask.electrons.toFixed(0)} electrons in ${r.mask.volume.toFixed(0)} Å³ corrected for`,
                  );
              })
            }
          >
            Find voids and correct
          </button>
        </div>
      </details>
    </Sheet>
  );
}
