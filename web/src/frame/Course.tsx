/** The history of the model as a flowing line: a dot a mark, height by R1 on a log scale, branches as side streams. */
import { useMemo, useState, type ReactNode } from 'react';
import { useSession } from '../store/session.tsx';
import { percent } from './parts.tsx';

const TITLE: Record<string, string> = { import: 'read', solve: 'solved', refine: 'refined', edit: 'edited' };

export function Course(): ReactNode {
  const { marks, head, goTo } = useSession();
  const [height, setHeight] = useState(() => Number(localStorage.getItem('course')) || 76);
  const [hover, setHover] = useState<string | undefined>();
  const step = 46, left = 70;
  const points = useMemo(() => {
    const low = Math.log(0.015), high = Math.log(0.5);
    return marks.map((m, i) => {
      const r = Math.log(Math.max(0.015, Math.min(0.5, m.r1 ?? 0.5)));
      return { m, x: left + step * i, y: 14 + (height - 30) * ((high - r) / (high - low)) };
    });
  }, [marks, height]);
  const at = new Map(points.map((p) => [p.m.id, p]));
  const onPath = new Set<string>();
  for (let m = head; m; m = m.parent ? at.get(m.parent)?.m : undefined) onPath.add(m.id);
  const shown = at.get(hover ?? '') ?? (head && at.get(head.id));
  const store = (h: number): void => { const v = Math.max(56, Math.min(innerHeight / 2, h)); setHeight(v); localStorage.setItem('course', String(v)); };
  return (
    <section className="course" style={{ height }} aria-label="Course">
      <button className="grip" aria-label="Height of the course" onKeyDown={(e) => { if (e.key === 'ArrowUp') store(height + 20); if (e.key === 'ArrowDown') store(height - 20); }} onPointerDown={(e) => { const y = e.clientY, h = height; const t = e.currentTarget; t.setPointerCapture(e.pointerId); t.onpointermove = (m) => store(h + y - m.clientY); t.onpointerup = () => { t.onpointermove = null; }; }} />
      {!marks.length && <span className="caption">Course: each step of the model will leave a mark here.</span>}
      {marks.length > 0 && (
        <div style={{ overflowX: 'auto', overflowY: 'hidden', height: '100%', marginRight: 330 }}>
          <svg width={Math.max(400, left + step * marks.length + 20)} height={height - 4} role="listbox" aria-label="Marks">
            <text x="12" y="22" fontSize="11" fill="var(--soft)">R1 high</text>
            <text x="12" y={height - 16} fontSize="11" fill="var(--soft)">low</text>
            {points.map(({ m, x, y }) => {
              const parent = m.parent ? at.get(m.parent) : undefined;
              if (!parent) return null;
              const mid = (parent.x + x) / 2;
              const on = onPath.has(m.id);
              return <path key={m.id} d={`M${parent.x} ${parent.y}C${mid} ${parent.y} ${mid} ${y} ${x} ${y}`} fill="none" stroke="var(--water)" strokeWidth={on ? 3 : 1.5} opacity={on ? 0.9 : 0.4} />;
            })}
            {points.map(({ m, x, y }) => (
              <g key={m.id} className="dot" role="option" aria-selected={m.id === head?.id} tabIndex={0} aria-label={`${m.title}, R1 ${percent(m.r1)}`} onMouseEnter={() => setHover(m.id)} onMouseLeave={() => setHover(undefined)} onFocus={() => setHover(m.id)} onBlur={() => setHover(undefined)} onClick={() => goTo(m.id)} onKeyDown={(e) => { if (e.key === 'Enter' || e.key === ' ') goTo(m.id); }}>
                <circle cx={x} cy={y} r="12" fill="transparent" />
                {m.id === head?.id && <circle cx={x} cy={y} r="9" fill="none" stroke="var(--water)" strokeWidth="1.5" />}
                {m.kind === 'edit' ? <rect x={x - 4} y={y - 4} width="8" height="8" fill="var(--sheet)" stroke="var(--indigo)" strokeWidth="2" /> : <circle cx={x} cy={y} r="5" fill={m.kind === 'refine' ? 'var(--indigo)' : 'var(--gold)'} />}
              </g>
            ))}
          </svg>
        </div>
      )}
      {shown && (
        <div style={{ position: 'absolute', right: 14, top: 8, width: 306, textAlign: 'right' }}>
          <div className="text-truncate"><b>{shown.m.title}</b></div>
          <div className="mono" style={{ fontSize: '.8rem' }}>{shown.m.r1 !== undefined ? `R1 ${percent(shown.m.r1)}  wR2 ${percent(shown.m.wr2)}` : 'not evaluated'}</div>
          <div className="soft" style={{ fontSize: '.75rem' }}>{TITLE[shown.m.kind]} {new Date(shown.m.created).toLocaleTimeString()} · {shown.m.structure.sites.length} sites</div>
        </div>
      )}
    </section>
  );
}
