/** The history of the model as a flowing line: a dot a mark, height by R1 on a log scale, branches as side streams. */
import { useMemo, useRef, useState, type ReactNode } from 'react';
import { compareModels, modelPrecision, sameAxes } from '@nagare/core/model/compare';
import { db, type Mark } from '../store/db.ts';
import { useSession } from '../store/session.tsx';
import { percent } from './parts.tsx';

const TITLE: Record<string, string> = {
  import: 'read',
  solve: 'solved',
  refine: 'refined',
  settle: 'settled stage',
  edit: 'edited',
  fit: 'fitted',
};
const nameOf = (m: Mark): string => m.name ?? m.title;

export function Course(): ReactNode {
  const { marks, head, goTo, compareWith, setCompareWith, setPreview, preview } = useSession();
  const [height, setHeight] = useState(() => Number(localStorage.getItem('course')) || 76);
  const [hover, setHover] = useState<string | undefined>();
  const [looked, setLooked] = useState<string | undefined>();
  const [naming, setNaming] = useState(false);
  const clicks = useRef<{ id: string; at: number } | undefined>(undefined);
  const step = 46,
    left = 70;
  const points = useMemo(() => {
    const low = Math.log(0.012),
      high = Math.log(0.5);
    return marks.map((m, i) => {
      const r = Math.log(Math.max(0.012, Math.min(0.5, m.r1 ?? 0.5)));
      return { m, x: left + step * i, y: 14 + (Math.min(height, 170) - 30) * ((high - r) / (high - low)) };
    });
  }, [marks, height]);
  const at = new Map(points.map((p) => [p.m.id, p]));
  const onPath = new Set<string>();
  for (let m = head; m; m = m.parent ? at.get(m.parent)?.m : undefined) onPath.add(m.id);
  const peeked = looked && preview ? at.get(looked) : undefined;
  const shown = at.get(hover ?? '') ?? peeked ?? (head && at.get(head.id));
  const store = (h: number): void => {
    const v = Math.max(56, Math.min(innerHeight / 2, h));
    setHeight(v);
    localStorage.setItem('course', String(v));
  };
  const look = (m: Mark): void => {
    if (m.id === head?.id) {
      setLooked(undefined);
      setPreview(undefined);
      return;
    }
    setLooked(m.id);
    setPreview(m.structure);
  };
  const go = (m: Mark): void => {
    setLooked(undefined);
    setPreview(undefined);
    setCompareWith(undefined);
    goTo(m.id);
  };
  const press = (m: Mark): void => {
    // Two quick clicks continue from a mark, one looks at it.
    const now = Date.now();
    if (clicks.current?.id === m.id && now - clicks.current.at < 450) {
      clicks.current = undefined;
      go(m);
      return;
    }
    clicks.current = { id: m.id, at: now };
    look(m);
  };
  const other = compareWith ? at.get(compareWith)?.m : undefined;
  const subject = peeked?.m ?? head;
  return (
    <section className="course" style={{ height: other ? Math.max(height, 268) : height }} aria-label="Course">
      <button
        className="grip"
        aria-label="Height of the course"
        onKeyDown={(e) => {
          if (e.key === 'ArrowUp') store(height + 20);
          if (e.key === 'ArrowDown') store(height - 20);
        }}
        onPointerDown={(e) => {
          const y = e.clientY,
            h = height;
          const t = e.currentTarget;
          t.setPointerCapture(e.pointerId);
          t.onpointermove = (m) => store(h + y - m.clientY);
          t.onpointerup = () => {
            t.onpointermove = null;
          };
        }}
      />
      {!marks.length && <span className="caption">Course: each step of the model will leave a mark here.</span>}
      {marks.length > 0 && (
        <div
          style={{ overflowX: 'auto', overflowY: 'hidden', height: Math.min(height, 170), marginRight: 396 }}
          ref={(el) => {
            if (el && head && el.dataset['at'] !== head.id) {
              el.dataset['at'] = head.id;
              el.scrollLeft = (at.get(head.id)?.x ?? 0) - el.clientWidth + 60;
            }
          }}
        >
          <svg
            width={Math.max(400, left + step * marks.length + 20)}
            height={Math.min(height, 170) - 4}
            role="listbox"
            aria-label="Marks"
          >
            <text x="12" y="22" fontSize="11" fill="var(--soft)">
              {marks.some((m) => m.fit) ? 'Rwp' : 'R1'} high
            </text>
            <text x="12" y={Math.min(height, 170) - 16} fontSize="11" fill="var(--soft)">
              low
            </text>
            {points.map(({ m, x, y }) => {
              const parent = m.parent ? at.get(m.parent) : undefined;
              if (!parent) return null;
              const mid = (parent.x + x) / 2;
              const on = onPath.has(m.id);
              return (
                <path
                  key={m.id}
                  d={`M${parent.x} ${parent.y}C${mid} ${parent.y} ${mid} ${y} ${x} ${y}`}
                  fill="none"
                  stroke="var(--water)"
                  strokeWidth={on ? 3 : 1.5}
                  opacity={on ? 0.9 : 0.4}
                />
              );
            })}
            {points.map(({ m, x, y }) => (
              <g
                key={m.id}
                className="dot"
                role="option"
                aria-selected={m.id === head?.id}
                tabIndex={0}
                aria-label={`${nameOf(m)}, ${m.fit ? 'Rwp' : 'R1'} ${percent(m.r1)}`}
                onMouseEnter={() => setHover(m.id)}
                onMouseLeave={() => setHover(undefined)}
                onFocus={() => setHover(m.id)}
                onBlur={() => setHover(undefined)}
                onClick={() => press(m)}
                onKeyDown={(e) => {
                  if (e.key === 'Enter') go(m);
                  else if (e.key === ' ') {
                    e.preventDefault();
                    look(m);
                  } else if (e.key === 'Escape') {
                    setLooked(undefined);
                    setPreview(undefined);
                  }
                }}
              >
                <circle cx={x} cy={y} r="12" fill="transparent" />
                {m.id === head?.id && (
                  <circle cx={x} cy={y} r="9" fill="none" stroke="var(--water)" strokeWidth="1.5" />
                )}
                {m.id === compareWith && (
                  <circle
                    cx={x}
                    cy={y}
                    r="9"
                    fill="none"
                    stroke="var(--gold)"
                    strokeWidth="1.5"
                    strokeDasharray="3 2"
                  />
                )}
                {m.kind === 'edit' ? (
                  <rect
                    x={x - 4}
                    y={y - 4}
                    width="8"
                    height="8"
                    fill="var(--sheet)"
                    stroke="var(--indigo)"
                    strokeWidth="2"
                  />
                ) : (
                  <circle
                    cx={x}
                    cy={y}
                    r="5"
                    fill={
                      m.kind === 'refine' || m.kind === 'settle' || m.kind === 'fit' ? 'var(--indigo)' : 'var(--gold)'
                    }
                  />
                )}
                {m.name && (
                  <text x={x} y={y - 9} fontSize="10" textAnchor="middle" fill="var(--ink)">
                    {m.name}
                  </text>
                )}
              </g>
            ))}
          </svg>
        </div>
      )}
      {shown && (
        <div className="mark-info">
          <div className="d-flex align-items-center justify-content-end">
            {peeked ? (
              <>
                <button className="word" onClick={() => go(peeked.m)}>
                  Continue from here
                </button>
                <button
                  className="word"
                  onClick={() => {
                    const id = peeked.m.id;
                    setPreview(undefined);
                    setLooked(undefined);
                    setCompareWith(id);
                  }}
                >
                  Compare
                </button>
              </>
            ) : (
              head?.parent &&
              !other && (
                <button
                  className="word"
                  title="Compare with the mark before"
                  onClick={() => setCompareWith(head.parent)}
                >
                  Compare
                </button>
              )
            )}
            <button className="word" onClick={() => setNaming(true)}>
              Name
            </button>
            {naming && subject ? (
              <input
                className="form-control form-control-sm"
                style={{ width: 170 }}
                aria-label="Name of the mark"
                autoFocus
                defaultValue={subject.name ?? ''}
                placeholder={subject.title}
                onBlur={(e) => {
                  void db.marks.update(subject.id, { name: e.target.value.trim() });
                  setNaming(false);
                }}
                onKeyDown={(e) => {
                  if (e.key === 'Enter') e.currentTarget.blur();
                  if (e.key === 'Escape') setNaming(false);
                }}
              />
            ) : (
              <b className="text-truncate ms-2">{nameOf(shown.m)}</b>
            )}
          </div>
          <div className="mono" style={{ fontSize: '.78rem' }}>
            {shown.m.fit
              ? shown.m.r1 !== undefined
                ? `Rwp ${percent(shown.m.r1)}${shown.m.fit.result ? `  S ${shown.m.fit.result.s.toFixed(2)}` : ''}`
                : 'not evaluated'
              : shown.m.r1 !== undefined
                ? `R1 ${percent(shown.m.r1)}  wR2 ${percent(shown.m.wr2)}${shown.m.readings ? `  S ${shown.m.readings.s.toFixed(2)}` : ''}${shown.m.residual ? `  ${shown.m.residual.peak.toFixed(2)}/${shown.m.residual.hole.toFixed(2)} e/Å³` : ''}`
                : 'not evaluated'}
          </div>
          <div className="soft" style={{ fontSize: '.74rem' }}>
            {TITLE[shown.m.kind]} {new Date(shown.m.created).toLocaleTimeString()} ·{' '}
            {shown.m.fit
              ? `${shown.m.fit.model.phases.length} ${shown.m.fit.model.phases.length === 1 ? 'phase' : 'phases'}${shown.m.fit.result ? ` · ${shown.m.fit.result.parameters} parameters` : ''}`
              : `${shown.m.structure.sites.length} sites`}
            {shown.m.readings ? ` · ${shown.m.readings.parameters} parameters` : ''}
          </div>
        </div>
      )}
      {other && head && <Comparison before={other} now={head} onClose={() => setCompareWith(undefined)} />}
    </section>
  );
}

/** Two fits side by side: agreement, amounts and cells. */
function FitComparison({ before, now, onClose }: { before: Mark; now: Mark; onClose(): void }): ReactNode {
  const phases = now.fit!.model.phases;
  const of = (m: Mark, id: string): { cell: string; weight: string } => {
    const i = m.fit!.model.phases.findIndex((p) => p.id === id),
      p = m.fit!.model.phases[i],
      w = m.fit!.result?.patterns[0]?.weightFractions[i];
    return {
      cell: p
        ? [p.structure.cell.a, p.structure.cell.b, p.structure.cell.c].map((v) => v.toFixed(4)).join(' ')
        : 'not there',
      weight: w ? percent(w.value, 1) : '–',
    };
  };
  return (
    <div className="comparison">
      <table>
        <thead>
          <tr>
            <th></th>
            <th className="n gold">{nameOf(before)}</th>
            <th className="n">{nameOf(now)}</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td className="soft">Rwp</td>
            <td className="n">{percent(before.r1)}</td>
            <td className="n">{percent(now.r1)}</td>
          </tr>
          <tr>
            <td className="soft">S</td>
            <td className="n">{before.fit!.result?.s.toFixed(3) ?? '–'}</td>
            <td className="n">{now.fit!.result?.s.toFixed(3) ?? '–'}</td>
          </tr>
          <tr>
            <td className="soft">parameters</td>
            <td className="n">{before.fit!.result?.parameters ?? '–'}</td>
            <td className="n">{now.fit!.result?.parameters ?? '–'}</td>
          </tr>
        </tbody>
      </table>
      <div>
        <table>
          <thead>
            <tr>
              <th>phase</th>
              <th className="n gold">a b c / Å</th>
              <th className="n">a b c / Å</th>
              <th className="n gold">weight</th>
              <th className="n">weight</th>
            </tr>
          </thead>
          <tbody>
            {phases.map((p) => {
              const a = of(before, p.id),
                b = of(now, p.id);
              return (
                <tr key={p.id}>
                  <td>{p.name}</td>
                  <td className="n mono">{a.cell}</td>
                  <td className="n mono">{b.cell}</td>
                  <td className="n">{a.weight}</td>
                  <td className="n">{b.weight}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
        <button className="word" onClick={onClose}>
          End the comparison
        </button>
      </div>
    </div>
  );
}

/** Two marks side by side: figures, moved atoms, added and lost ones; the other is drawn in gold in the scene. */
function Comparison({ before, now, onClose }: { before: Mark; now: Mark; onClose(): void }): ReactNode {
  const c = useMemo(() => compareModels(before.structure, now.structure), [before, now]);
  const precision = useMemo(
    () => new Map([before, now].map((m) => [m.id, modelPrecision(m.structure)])),
    [before, now],
  );
  const same = sameAxes(before.structure, now.structure);
  if (before.fit && now.fit) return <FitComparison before={before} now={now} onClose={onClose} />;
  const row = (name: string, f: (m: Mark) => string | undefined): ReactNode => (
    <tr>
      <td className="soft">{name}</td>
      <td className="n">{f(before) ?? '–'}</td>
      <td className="n">{f(now) ?? '–'}</td>
    </tr>
  );
  return (
    <div className="comparison">
      <table>
        <thead>
          <tr>
            <th></th>
            <th className="n gold">{nameOf(before)}</th>
            <th className="n">{nameOf(now)}</th>
          </tr>
        </thead>
        <tbody>
          {row('R1', (m) => (m.r1 !== undefined ? percent(m.r1) : undefined))}
          {row('wR2', (m) => (m.wr2 !== undefined ? percent(m.wr2) : undefined))}
          {row('S', (m) => m.readings?.s.toFixed(3))}
          {row('parameters', (m) => m.readings && String(m.readings.parameters))}
          {row('s.u. of x, Å', (m) => precision.get(m.id)?.positionSu?.toFixed(4))}
          {row(
            'correlation',
            (m) =>
              m.readings?.correlations &&
              (m.readings.correlations[0] ? m.readings.correlations[0].value.toFixed(2) : 'below 0.5'),
          )}
          {row('ellipsoids', (m) => {
            const p = precision.get(m.id);
            return (
              p &&
              (p.impossible
                ? `${p.impossible} impossible`
                : p.elongation && `${p.elongation.ratio.toFixed(1)} ${p.elongation.label}`)
            );
          })}
          {row('peak, hole', (m) => m.residual && `${m.residual.peak.toFixed(2)}, ${m.residual.hole.toFixed(2)}`)}
        </tbody>
      </table>
      <div>
        <p className="mb-1">
          {!same ? (
            `${before.structure.spaceGroup.symbol} against ${now.structure.spaceGroup.symbol}, ${before.structure.sites.length} sites against ${now.structure.sites.length}: in other axes atoms are not compared place by place.`
          ) : c.moved.length ? (
            <>
              Moved:{' '}
              {c.moved
                .slice(0, 6)
                .map((x) => `${x.label} ${x.distance.toFixed(3)} Å`)
                .join(', ')}
              {c.moved.length > 6 ? ` and ${c.moved.length - 6} more` : ''}; r.m.s. {c.rms.toFixed(3)} Å.
            </>
          ) : (
            'No atom moved by more than 0.001 Å.'
          )}
        </p>
        {same && c.added.length > 0 && (
          <p className="mb-1">
            Added: {c.added.slice(0, 12).join(', ')}
            {c.added.length > 12 ? ` and ${c.added.length - 12} more` : ''}.
          </p>
        )}
        {same && c.lost.length > 0 && (
          <p className="mb-1">
            Gone: {c.lost.slice(0, 12).join(', ')}
            {c.lost.length > 12 ? ` and ${c.lost.length - 12} more` : ''}.
          </p>
        )}
        {c.retyped.length > 0 && <p className="mb-1">Other element: {c.retyped.slice(0, 8).join(', ')}.</p>}
        <button className="word" onClick={onClose}>
          End the comparison
        </button>
      </div>
    </div>
  );
}
