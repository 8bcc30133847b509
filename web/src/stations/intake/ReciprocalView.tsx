/** Reflections where they lie: the whole reciprocal lattice turned by hand, or one layer of it, coloured by strength or by what the space group forbids. */
import './intake.scss';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { useQuery } from '@tanstack/react-query';
import { reciprocalAxes } from '@nagare/core/data/lattice-points';
import { run } from '../../engine/engine.ts';
import { useTheme } from '../../frame/theme.ts';
import { useProject } from '../../store/use-project.tsx';
import {
  indexOf,
  isChosen,
  layersOf,
  paintReciprocal,
  pointAt,
  reachOf,
  turned,
  type Choice,
  type Hand,
  type Layer,
  type Placed,
} from './paint-reciprocal.ts';

const LAYERS: [Layer, string][] = [
  ['all', '3D'],
  ['hk', 'h k ·'],
  ['hl', 'h · l'],
  ['kl', '· k l'],
];

export default function ReciprocalView(): ReactNode {
  const { project, intake } = useProject('project', 'intake');
  const canvas = useRef<HTMLCanvasElement>(null);
  const host = useRef<HTMLDivElement>(null);
  const [layer, setLayer] = useState<Layer>('hk');
  const [level, setLevel] = useState(0);
  const [colour, setColour] = useState<Choice['colour']>('strength');
  const [weakest, setWeakest] = useState(0);
  const [hover, setHover] = useState<Placed | undefined>();
  const view = useRef<Hand>({ zoom: 1, px: 0, py: 0, m: [1, 0, 0, 0, 1, 0, 0, 0, 1] });
  const [, redraw] = useState(0);
  const drawn = useRef<readonly Placed[]>([]);
  const { cell, group } = project,
    raw = intake?.raw;
  const star = useMemo(() => (cell ? reciprocalAxes(cell) : undefined), [cell]);
  const { data: points, error } = useQuery({
    queryKey: ['lattice', project.id, group?.hall, raw?.count ?? 0, intake?.correction?.stamp ?? 0],
    enabled: !!raw && !!cell && !!group,
    staleTime: Infinity,
    gcTime: 60_000,
    queryFn: () => run('lattice', { raw: raw!, cell: cell!, group: group! }).result,
  });
  const reach = useMemo(() => (points ? reachOf(points) : 1), [points]);
  const levels = useMemo(() => (points ? layersOf(points, layer) : [0, 0]), [points, layer]);

  // Painted again at every change, that of the theme among them.
  useTheme();
  useEffect(() => {
    const c = canvas.current,
      box = host.current;
    if (!c || !box || !star || !points) return;
    const paint = (): void => {
      const { clientWidth: width, clientHeight: height } = box;
      c.width = width * devicePixelRatio;
      c.height = height * devicePixelRatio;
      const g = c.getContext('2d')!;
      g.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0);
      g.clearRect(0, 0, width, height);
      const css = getComputedStyle(document.documentElement);
      drawn.current = paintReciprocal(g, {
        points,
        star,
        reach,
        choice: { layer, level, colour, weakest },
        hand: view.current,
        width,
        height,
        ink: (token) => css.getPropertyValue(token).trim(),
      });
    };
    paint();
    const watch = new ResizeObserver(paint);
    watch.observe(box);
    return () => watch.disconnect();
  });

  const turnBy = (dx: number, dy: number): void => {
    view.current.m = turned(view.current.m, dx, dy);
  };
  const count = useMemo(() => {
    let n = 0;
    if (points) for (let i = 0; i < points.count; i++) if (isChosen(points, i, { layer, level, weakest })) n++;
    return n;
  }, [points, weakest, layer, level]);
  const drag = useRef<{ x: number; y: number } | undefined>(undefined);
  const step = (by: number): void => setLevel((v) => Math.max(levels[0]!, Math.min(levels[1]!, v + by)));
  const name =
    layer === 'all' ? '' : layer === 'hk' ? `h k ${level}` : layer === 'hl' ? `h ${level} l` : `${level} k l`;
  return (
    <div className="reciprocal">
      <header>
        <div role="group" aria-label="Layer">
          {LAYERS.map(([k, text]) => (
            <button
              key={k}
              className="word"
              aria-pressed={layer === k}
              onClick={() => {
                setLayer(k);
                setLevel(0);
                view.current.px = view.current.py = 0;
                view.current.zoom = 1;
              }}
            >
              {text}
            </button>
          ))}
        </div>
        {layer !== 'all' && (
          <div>
            <button className="word" aria-label="Layer below" onClick={() => step(-1)}>
              −
            </button>
            <span className="mono" data-testid="layer">
              {name}
            </span>
            <button className="word" aria-label="Layer above" onClick={() => step(1)}>
              +
            </button>
          </div>
        )}
        <label>
          colour{' '}
          <select className="inline" value={colour} onChange={(e) => setColour(e.target.value as typeof colour)}>
            <option value="strength">by I/σ</option>
            <option value="forbidden">by what {project.group?.symbol ?? 'the group'} forbids</option>
          </select>
        </label>
        <label>
          from I/σ{' '}
          <input
            type="range"
            min="0"
            max="20"
            step="1"
            value={weakest}
            onChange={(e) => setWeakest(Number(e.target.value))}
          />{' '}
          <span className="mono">{weakest}</span>
        </label>
        <span className="flex-grow-1" />
        <span className="soft">
          {error ? (
            error.message
          ) : !points ? (
            'Indexing the data…'
          ) : hover ? (
            <span className="mono">
              {indexOf(points, hover.point).join(' ')} · I {points.intensity[hover.point]!.toFixed(1)} · I/σ{' '}
              {points.strength[hover.point]!.toFixed(1)}
              {points.absent[hover.point] ? ' · forbidden' : ''}
            </span>
          ) : (
            `${count} reflections, Friedel mates counted`
          )}
        </span>
      </header>
      <div
        ref={host}
        tabIndex={0}
        role="application"
        aria-label="Reciprocal lattice. Arrow keys turn or move, plus and minus zoom, page up and down step through layers."
        onKeyDown={(e) => {
          const acts: Record<string, () => void> = {
            '+': () => {
              view.current.zoom *= 1.2;
            },
            '=': () => {
              view.current.zoom *= 1.2;
            },
            '-': () => {
              view.current.zoom /= 1.2;
            },
            PageUp: () => step(1),
            PageDown: () => step(-1),
            ArrowLeft: () => (layer === 'all' ? turnBy(-14, 0) : void (view.current.px += 30)),
            ArrowRight: () => (layer === 'all' ? turnBy(14, 0) : void (view.current.px -= 30)),
            ArrowUp: () => (layer === 'all' ? turnBy(0, -14) : void (view.current.py += 30)),
            ArrowDown: () => (layer === 'all' ? turnBy(0, 14) : void (view.current.py -= 30)),
          };
          const act = acts[e.key];
          if (act) {
            e.preventDefault();
            act();
            redraw((n) => n + 1);
          }
        }}
        onPointerDown={(e) => {
          drag.current = { x: e.clientX, y: e.clientY };
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerUp={() => {
          drag.current = undefined;
        }}
        onPointerMove={(e) => {
          if (drag.current) {
            const dx = e.clientX - drag.current.x,
              dy = e.clientY - drag.current.y;
            drag.current = { x: e.clientX, y: e.clientY };
            if (layer === 'all' && !e.shiftKey) turnBy(dx, dy);
            else {
              view.current.px += dx;
              view.current.py += dy;
            }
            redraw((n) => n + 1);
            return;
          }
          const r = e.currentTarget.getBoundingClientRect();
          const near = pointAt(drawn.current, e.clientX - r.left, e.clientY - r.top);
          setHover(near);
        }}
        onWheel={(e) => {
          view.current.zoom = Math.max(0.5, Math.min(20, view.current.zoom * Math.exp(-e.deltaY * 0.001)));
          redraw((n) => n + 1);
        }}
      >
        <canvas ref={canvas} />
      </div>
    </div>
  );
}
