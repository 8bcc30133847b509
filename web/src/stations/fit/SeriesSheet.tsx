/** Patterns fitted one after another, and what changes along them. */
import { useMemo, useRef, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import type { SeriesReport, SeriesStep } from '@nagare/core/powder/series';
import { run } from '../../engine/engine.ts';
import { percent, Sheet } from '../../frame/parts.tsx';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { phaseColour } from './colours.ts';
import { QUANTITIES, quantityOf, seriesCsv, type Measured, type Quantity } from './series-quantities.ts';
import { useFit } from './use-fit.tsx';

export function SeriesSheet(): ReactNode {
  const { patterns, model, state, row, updateRow, show, own, setAt } = useFit(
    'patterns',
    'model',
    'state',
    'row',
    'updateRow',
    'show',
    'own',
    'setAt',
  );
  const { perform, place, record } = useProject('perform', 'place', 'record');
  const [quantity, setQuantity] = useState<Quantity>('weight');
  const kept = useRef<SeriesStep[]>([]);
  const steps = row?.series ?? [];
  const order = useMemo(
    () => [...patterns].sort((p, q) => (p.file.pattern.at ?? p.order) - (q.file.pattern.at ?? q.order)),
    [patterns],
  );
  if (patterns.length < 3 || !model || !state || !own) return null;
  const go = async (): Promise<void> => {
    kept.current = [];
    await updateRow({ series: [] });
    await perform('Fitting the series', (tell) =>
      run(
        'series',
        {
          model: { phases: model.phases, patterns: [own] },
          patterns: order.map((p) => p.file.pattern),
          recipe: 'quantify',
        },
        (r: SeriesReport) => {
          tell(`${r.number} of ${r.of}: ${r.title}${r.rwp ? `, Rwp ${percent(r.rwp)}` : ''}`);
          if (r.step) {
            kept.current = [...kept.current, r.step];
            void updateRow({ series: kept.current });
          }
        },
        place,
      ),
    );
    show(undefined);
  };
  const open = async (x: number): Promise<void> => {
    const s = steps.find((k) => k.at === x),
      i = patterns.findIndex((p) => p.file.pattern.name === s?.pattern);
    if (!s || i < 0) return;
    await record({
      kind: 'fit',
      title: `${s.pattern} of the series`,
      rwp: s.result.rwp,
      message: s.message,
      content: { kind: 'fit', fit: { model: s.model, patterns: [patterns[i]!.id], result: s.result } },
    });
    setAt(i);
  };
  const phases = steps[0]?.result.phases ?? [];
  const value = (s: SeriesStep, i: number) => quantityOf(s, i, quantity);
  return (
    <Sheet
      title="Series"
      fold
      state={`${patterns.length} patterns, fitted one after another, each from the one before.`}
      action={
        steps.length ? (
          <button className="word" onClick={() => saveFile(seriesCsv(steps), 'series.csv', 'text/csv')}>
            CSV
          </button>
        ) : undefined
      }
    >
      <Button size="sm" variant="outline-primary" disabled={!model.phases.length} onClick={() => void go()}>
        Fit the series
      </Button>
      {!model.phases.length && <span className="soft ms-2">Add the phases first.</span>}
      {steps.length > 0 && (
        <>
          <div className="d-flex align-items-center gap-2 mt-2">
            <label className="soft" htmlFor="series-quantity">
              along the series
            </label>
            <select
              id="series-quantity"
              className="form-select form-select-sm"
              value={quantity}
              onChange={(e) => setQuantity(e.target.value as Quantity)}
            >
              {QUANTITIES.map((q) => (
                <option key={q.id} value={q.id}>
                  {q.name}
                </option>
              ))}
            </select>
          </div>
          <SeriesChart
            steps={steps}
            names={quantity === 'rwp' ? ['Rwp'] : phases.map((f) => f.name)}
            value={value}
            open={(x) => void open(x)}
          />
          <p className="soft mb-0">Click a point to open its pattern with its fit.</p>
        </>
      )}
    </Sheet>
  );
}

function SeriesChart({
  steps,
  names,
  value,
  open,
}: {
  open(at: number): void;
  steps: readonly SeriesStep[];
  names: string[];
  value(s: SeriesStep, i: number): Measured | undefined;
}): ReactNode {
  const width = 370,
    height = 190,
    left = 52,
    bottom = 22;
  const points = names.map((_, i) =>
    steps.flatMap((s) => {
      const p = value(s, i);
      return p && Number.isFinite(p.v) ? [{ x: s.at, ...p }] : [];
    }),
  );
  const all = points.flat();
  if (!all.length) return <p className="soft">Nothing to draw.</p>;
  const x0 = Math.min(...all.map((p) => p.x)),
    x1 = Math.max(...all.map((p) => p.x)),
    lo = Math.min(...all.map((p) => p.v - p.su)),
    hi = Math.max(...all.map((p) => p.v + p.su));
  const X = (x: number): number => left + ((x - x0) / (x1 - x0 || 1)) * (width - left - 10),
    Y = (v: number): number => 8 + ((hi - v) / (hi - lo || 1)) * (height - bottom - 14);
  const digits = Math.max(0, Math.min(5, 2 - Math.floor(Math.log10(hi - lo || 1))));
  return (
    <figure className="m-0 mt-2">
      <svg viewBox={`0 0 ${width} ${height}`} width="100%" role="img" aria-label="Chart along the series">
        {[lo, (lo + hi) / 2, hi].map((v) => (
          <g key={v}>
            <line x1={left} x2={width - 10} y1={Y(v)} y2={Y(v)} stroke="var(--line)" />
            <text x={left - 5} y={Y(v) + 4} fontSize="10" textAnchor="end" fill="var(--soft)">
              {v.toFixed(digits).replace(/^-(0(?:\.0*)?)$/, '$1')}
            </text>
          </g>
        ))}
        {[x0, (x0 + x1) / 2, x1].map((v) => (
          <text key={v} x={X(v)} y={height - 6} fontSize="10" textAnchor="middle" fill="var(--soft)">
            {Number(v.toFixed(1))}
          </text>
        ))}
        {points.map((list, i) => (
          <g key={names[i]} stroke={phaseColour(i)} fill={phaseColour(i)}>
            <polyline points={list.map((p) => `${X(p.x)},${Y(p.v)}`).join(' ')} fill="none" strokeWidth="1.5" />
            {list.map((p) => (
              <g key={p.x}>
                <line x1={X(p.x)} x2={X(p.x)} y1={Y(p.v - p.su)} y2={Y(p.v + p.su)} />
                <circle
                  cx={X(p.x)}
                  cy={Y(p.v)}
                  r="3"
                  role="button"
                  tabIndex={0}
                  className="pointer"
                  onClick={() => open(p.x)}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter') open(p.x);
                  }}
                >
                  <title>{`${names[i]} at ${p.x}: ${formatMeasured(p.v, p.su || undefined)}`}</title>
                </circle>
              </g>
            ))}
          </g>
        ))}
      </svg>
      <figcaption className="soft">
        {names.map((n, i) => (
          <span key={n} className="me-3">
            <span className="swatch" style={{ background: phaseColour(i) }} /> {n}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}
