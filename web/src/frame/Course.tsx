/** The history of the model as a flowing line: a dot a mark, height by R1 on a log scale, branches as side streams. */
import './course.scss';
import { useMemo, useRef, useState, type KeyboardEvent, type ReactNode } from 'react';
import { agreementOf, nameOfMark, structureOfContent, type Mark } from '../store/marks.ts';
import { useProject } from '../store/use-project.tsx';
import { ComparisonWith } from './Comparison.tsx';
import {
  contentsOf,
  drawnParent,
  figuresOf,
  folded,
  hasAgreement,
  lengthOf,
  lineHeight,
  pathTo,
  placed,
} from './course-line.ts';
import { percent } from './parts.tsx';
import { z } from 'zod';
import { remember, remembered } from '../store/remembered.ts';

const TITLE: Record<string, string> = {
  import: 'read',
  solve: 'solved',
  refine: 'refined',
  settle: 'settled stage',
  edit: 'edited',
  fit: 'fitted',
};

/** The mark beside the one that has the focus, where an arrow key leads. */
function neighbourIn(e: KeyboardEvent<SVGGElement>): SVGGElement | undefined {
  const step = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
  if (!step) return undefined;
  e.preventDefault();
  const all = [...(e.currentTarget.parentElement?.querySelectorAll<SVGGElement>('g.dot') ?? [])];
  return all[all.indexOf(e.currentTarget) + step];
}

export function Course(): ReactNode {
  const {
    marks,
    head,
    goTo,
    compareWith,
    setCompareWith,
    lookAt,
    lookedAt: looked,
    nameMark,
    contentOf,
  } = useProject(
    'marks',
    'head',
    'goTo',
    'compareWith',
    'setCompareWith',
    'lookAt',
    'lookedAt',
    'nameMark',
    'contentOf',
  );
  const [height, setHeight] = useState(() => remembered('course', z.number().min(56).max(4000), 76));
  const [hover, setHover] = useState<string | undefined>();
  const [naming, setNaming] = useState(false);
  const clicks = useRef<{ id: string; at: number } | undefined>(undefined);
  const [opened, setOpened] = useState<ReadonlySet<string>>(new Set());
  const headId = head?.id;
  const { marks: drawn, stages } = useMemo(() => {
    const kept = [headId, compareWith, looked].filter((x) => x !== undefined);
    return folded(marks, opened, new Set(kept));
  }, [marks, opened, headId, compareWith, looked]);
  const points = useMemo(() => placed(drawn, height), [drawn, height]);
  const [reached, setReached] = useState<string | undefined>();
  const at = new Map(points.map((p) => [p.m.id, p]));
  const onPath = pathTo(marks, head?.id);
  const peeked = looked ? at.get(looked) : undefined;
  const shown = at.get(hover ?? '') ?? peeked ?? (head && at.get(head.id));
  const drawnIds = new Set(at.keys());
  // One mark is reached by Tab, the others from it by arrows.
  const first = at.has(reached ?? '') ? reached : at.has(headId ?? '') ? headId : drawn[0]?.id;
  const inside = shown && stages.get(shown.m.id);
  const flipRun = (id: string): void => {
    const next = new Set(opened);
    if (!next.delete(id)) next.add(id);
    setOpened(next);
  };
  const setTall = (h: number): void => {
    const v = Math.max(56, Math.min(innerHeight / 2, h));
    setHeight(v);
    remember('course', v);
  };
  const look = (m: Mark): void => {
    clicks.current = { id: m.id, at: clicks.current?.id === m.id ? clicks.current.at : 0 };
    if (m.id === head?.id) {
      lookAt();
      return;
    }
    void contentOf(m.id).then((content) => {
      // Another mark may have been looked at meanwhile.
      if (content && clicks.current?.id === m.id) lookAt({ id: m.id, structure: structureOfContent(content) });
    });
  };
  const go = (m: Mark): void => {
    lookAt();
    setCompareWith(undefined);
    void goTo(m.id);
  };
  const press = (m: Mark, now: number): void => {
    // Two quick clicks continue from a mark, one looks at it.
    if (clicks.current?.id === m.id && now - clicks.current.at < 450) {
      clicks.current = undefined;
      go(m);
      return;
    }
    clicks.current = { id: m.id, at: now };
    look(m);
  };
  const other = compareWith ? at.get(compareWith)?.m : undefined;
  const subject = peeked?.m ?? head?.mark;
  return (
    <section className="course" style={{ height: other ? Math.max(height, 268) : height }} aria-label="Course">
      <button
        className="grip"
        aria-label="Height of the course"
        onKeyDown={(e) => {
          if (e.key === 'ArrowUp') setTall(height + 20);
          if (e.key === 'ArrowDown') setTall(height - 20);
        }}
        onPointerDown={(e) => {
          const y = e.clientY,
            h = height;
          const t = e.currentTarget;
          t.setPointerCapture(e.pointerId);
          t.onpointermove = (m) => setTall(h + y - m.clientY);
          t.onpointerup = () => {
            t.onpointermove = null;
          };
        }}
      />
      {!marks.length && <span className="caption">Course: each step of the model will leave a mark here.</span>}
      {marks.length > 0 && (
        <div
          className="steps"
          style={{ height: lineHeight(height) - 1 }}
          ref={(el) => {
            if (el && head && el.dataset['at'] !== head.id) {
              el.dataset['at'] = head.id;
              const end = (at.get(head.id)?.x ?? 0) + 60;
              // Its width asks for a layout: in the next frame there is one anyway.
              requestAnimationFrame(() => el.scrollTo({ left: end - el.clientWidth }));
            }
          }}
        >
          <svg width={lengthOf(drawn.length)} height={lineHeight(height) - 4} role="listbox" aria-label="Marks">
            {hasAgreement(marks) && (
              <>
                <text x="12" y="22" fontSize="11" fill="var(--soft)">
                  {marks.some((m) => m.type === 'fit') ? 'Rwp' : 'R1'} high
                </text>
                <text x="12" y={lineHeight(height) - 16} fontSize="11" fill="var(--soft)">
                  low
                </text>
              </>
            )}
            {points.map(({ m, x, y }) => {
              const parent = at.get(drawnParent(marks, drawnIds, m) ?? '');
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
                tabIndex={m.id === first ? 0 : -1}
                aria-label={`${nameOfMark(m)}, ${m.type === 'fit' ? 'Rwp' : 'R1'} ${percent(agreementOf(m))}${
                  stages.has(m.id) ? `, a run of ${stages.get(m.id)!.length + 1} stages` : ''
                }`}
                onMouseEnter={() => setHover(m.id)}
                onMouseLeave={() => setHover(undefined)}
                onFocus={() => {
                  setHover(m.id);
                  setReached(m.id);
                }}
                onBlur={() => setHover(undefined)}
                onClick={(e) => press(m, e.timeStamp)}
                onKeyDown={(e) => {
                  const beside = neighbourIn(e);
                  if (beside) beside.focus();
                  else if (e.key === 'Enter') go(m);
                  else if (e.key === ' ') {
                    e.preventDefault();
                    look(m);
                  } else if (e.key === 'Escape') lookAt();
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
                {stages.has(m.id) && !opened.has(m.id) && (
                  <path
                    d={`M${x - 11} ${y - 4}v8M${x - 15} ${y - 3}v6`}
                    stroke="var(--indigo)"
                    strokeWidth="2"
                    strokeLinecap="round"
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
                <button
                  className="word"
                  onClick={() => {
                    const id = peeked.m.id;
                    lookAt();
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
            {inside && (
              <button className="word" aria-expanded={opened.has(shown.m.id)} onClick={() => flipRun(shown.m.id)}>
                {opened.has(shown.m.id) ? 'Fold' : `${inside.length + 1} stages`}
              </button>
            )}
            <button className="word" onClick={() => setNaming(true)}>
              Name
            </button>
            {naming && subject ? (
              <input
                className="form-control form-control-sm w-20ch"
                aria-label="Name of the mark"
                autoFocus
                defaultValue={subject.name ?? ''}
                placeholder={subject.title}
                onBlur={(e) => {
                  void nameMark(subject.id, e.target.value.trim());
                  setNaming(false);
                }}
                onKeyDown={(e) => {
                  if (e.key === 'Enter') e.currentTarget.blur();
                  if (e.key === 'Escape') setNaming(false);
                }}
              />
            ) : (
              <b className="text-truncate ms-2">{nameOfMark(shown.m)}</b>
            )}
          </div>
          <div className="mono fine">{figuresOf(shown.m)}</div>
          <div className="soft fine">
            {TITLE[shown.m.kind]} {new Date(shown.m.created).toLocaleTimeString()} · {contentsOf(shown.m)}
          </div>
        </div>
      )}
      {other && <ComparisonWith markId={other.id} />}
    </section>
  );
}
