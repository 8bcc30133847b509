/** Reflections where they lie: the whole reciprocal lattice turned by hand, or one layer of it, coloured by strength or by what the space group forbids. */
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { axisVectors, cellVolume } from '@nagare/core/crystal/cell';
import { reflectionSymmetry } from '@nagare/core/crystal/space-group';
import { cross, type Vec3 } from '@nagare/core/math/matrix3';
import { useProject } from '../../store/use-project.tsx';

type Layer = 'all' | 'hk' | 'hl' | 'kl';
const LAYERS: [Layer, string][] = [
  ['all', '3D'],
  ['hk', 'h k ·'],
  ['hl', 'h · l'],
  ['kl', '· k l'],
];
const FIXED: Record<Exclude<Layer, 'all'>, 0 | 1 | 2> = { hk: 2, hl: 1, kl: 0 };

interface Spot {
  h: number;
  k: number;
  l: number;
  x: Vec3;
  snr: number;
  intensity: number;
  absent: boolean;
}

export default function ReciprocalView(): ReactNode {
  const { project, intake } = useProject('project', 'intake');
  const canvas = useRef<HTMLCanvasElement>(null);
  const host = useRef<HTMLDivElement>(null);
  const [layer, setLayer] = useState<Layer>('hk');
  const [level, setLevel] = useState(0);
  const [colour, setColour] = useState<'strength' | 'forbidden'>('strength');
  const [weakest, setWeakest] = useState(0);
  const [hover, setHover] = useState<{ spot: Spot; x: number; y: number } | undefined>();
  const view = useRef({ zoom: 1, px: 0, py: 0, m: [1, 0, 0, 0, 1, 0, 0, 0, 1] as number[] });
  const [, redraw] = useState(0);
  const drawn = useRef<{ spot: Spot; x: number; y: number }[]>([]);
  const { cell, group } = project,
    raw = intake?.raw;
  const star = useMemo(() => {
    if (!cell) return undefined;
    const [a, b, c] = axisVectors(cell),
      v = cellVolume(cell);
    return [cross(b, c), cross(c, a), cross(a, b)].map((u) => u.map((x) => x / v) as unknown as Vec3);
  }, [cell]);
  // Each index once, at the mean of its observations.
  const spots = useMemo((): Spot[] => {
    if (!raw || !star || !group) return [];
    const at = new Map<number, { h: number; k: number; l: number; w: number; wi: number }>();
    for (let i = 0; i < raw.count; i++) {
      const h = raw.h[i]!,
        k = raw.k[i]!,
        l = raw.l[i]!,
        key = ((l + 512) * 1024 + k + 512) * 1024 + h + 512,
        w = 1 / raw.sigma[i]! ** 2;
      const e = at.get(key);
      if (e) {
        e.w += w;
        e.wi += w * raw.intensity[i]!;
      } else at.set(key, { h, k, l, w, wi: w * raw.intensity[i]! });
    }
    const out: Spot[] = [];
    for (const e of at.values()) {
      const intensity = e.wi / e.w,
        snr = intensity * Math.sqrt(e.w),
        absent = reflectionSymmetry(group, e.h, e.k, e.l).absent;
      // Friedel mates fill the other half, as the eye expects of a lattice.
      for (const s of [1, -1]) {
        const [h, k, l] = [s * e.h, s * e.k, s * e.l];
        if (s < 0 && at.has(((l + 512) * 1024 + k + 512) * 1024 + h + 512)) continue;
        out.push({
          h,
          k,
          l,
          snr,
          intensity,
          absent,
          x: [0, 1, 2].map((i) => h * star[0]![i]! + k * star[1]![i]! + l * star[2]![i]!) as unknown as Vec3,
        });
      }
    }
    return out;
  }, [raw, star, group]);
  const reach = useMemo(() => spots.reduce((m, s) => Math.max(m, Math.hypot(...s.x)), 0.1), [spots]);
  const levels = useMemo(
    () =>
      layer === 'all'
        ? [0, 0]
        : spots.reduce(
            ([a, b], s) => {
              const v = [s.h, s.k, s.l][FIXED[layer]]!;
              return [Math.min(a!, v), Math.max(b!, v)];
            },
            [0, 0],
          ),
    [spots, layer],
  );

  useEffect(() => {
    const c = canvas.current,
      box = host.current;
    if (!c || !box || !star) return;
    const paint = (): void => {
      const w = box.clientWidth,
        h = box.clientHeight,
        ratio = devicePixelRatio;
      c.width = w * ratio;
      c.height = h * ratio;
      const ctx = c.getContext('2d')!;
      ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
      ctx.clearRect(0, 0, w, h);
      const css = getComputedStyle(document.documentElement);
      const token = (n: string): string => css.getPropertyValue(n).trim();
      const v = view.current,
        scale = (Math.min(w, h) / 2 / reach) * 0.92 * v.zoom;
      const cx = w / 2 + v.px,
        cy = h / 2 + v.py;
      // In a layer the two running axes span the picture; in space the view is turned by hand.
      let project2: (x: Vec3) => [number, number, number];
      if (layer === 'all')
        project2 = (x) =>
          [0, 1, 2].map((i) => v.m[3 * i]! * x[0] + v.m[3 * i + 1]! * x[1] + v.m[3 * i + 2]! * x[2]) as [
            number,
            number,
            number,
          ];
      else {
        const [p, q] =
          layer === 'hk' ? [star[0]!, star[1]!] : layer === 'hl' ? [star[0]!, star[2]!] : [star[1]!, star[2]!];
        const lp = Math.hypot(...p),
          u = p.map((t) => t / lp),
          dot = u.reduce((s, t, i) => s + t * q[i]!, 0);
        const r = q.map((t, i) => t - dot * u[i]!),
          lr = Math.hypot(...r),
          n = r.map((t) => t / lr);
        project2 = (x) => [u.reduce((s, t, i) => s + t * x[i]!, 0), n.reduce((s, t, i) => s + t * x[i]!, 0), 0];
      }
      for (const d of [3, 2, 1.5, 1.2, 1, 0.84]) {
        if (1 / d > reach) continue;
        ctx.strokeStyle = token('--line');
        ctx.beginPath();
        ctx.arc(cx, cy, scale / d, 0, 7);
        ctx.stroke();
        ctx.fillStyle = token('--soft');
        ctx.font = '11px "IBM Plex Sans"';
        ctx.fillText(`${d} Å`, cx + scale / d / Math.SQRT2 + 3, cy - scale / d / Math.SQRT2);
      }
      const chosen = spots.filter(
        (s) =>
          s.snr >= weakest &&
          (layer === 'all' || [s.h, s.k, s.l][FIXED[layer]] === level) &&
          (colour === 'strength' || layer !== 'all' || s.absent),
      );
      const placed = chosen
        .map((spot) => {
          const p = project2(spot.x);
          return { spot, x: cx + scale * p[0], y: cy - scale * p[1], z: p[2] };
        })
        .sort((p, q) => p.z - q.z);
      drawn.current = placed;
      const strong = token('--indigo'),
        middle = token('--water'),
        weak = token('--line'),
        off = token('--vermilion');
      for (const { spot, x, y } of placed) {
        if (x < -5 || y < -5 || x > w + 5 || y > h + 5) continue;
        const size =
          layer === 'all'
            ? 1 + Math.min(2.4, Math.log10(1 + Math.max(0, spot.snr)))
            : 1.2 + 2.6 * Math.min(1, Math.log10(1 + Math.max(0, spot.snr)) / 2);
        const forbidden = colour === 'forbidden' && spot.absent;
        ctx.fillStyle = forbidden
          ? spot.snr > 5
            ? off
            : token('--gold')
          : colour === 'forbidden'
            ? weak
            : spot.snr > 15
              ? strong
              : spot.snr > 3
                ? middle
                : weak;
        ctx.beginPath();
        if (forbidden) ctx.rect(x - size - 1, y - size - 1, 2 * size + 2, 2 * size + 2);
        else ctx.arc(x, y, size * Math.max(1, Math.sqrt(v.zoom) * 0.8), 0, 7);
        ctx.fill();
      }
      ctx.fillStyle = token('--ink');
      ctx.font = 'italic 13px "IBM Plex Sans"';
      star.forEach((s, i) => {
        if (layer !== 'all' && i === FIXED[layer]) return;
        const p = project2(s.map((t) => (t / Math.hypot(...s)) * reach * 1.02) as unknown as Vec3);
        ctx.strokeStyle = [token('--vermilion'), token('--pine'), token('--indigo')][i]!;
        ctx.beginPath();
        ctx.moveTo(cx, cy);
        ctx.lineTo(cx + scale * p[0], cy - scale * p[1]);
        ctx.stroke();
        ctx.fillText(['a*', 'b*', 'c*'][i]!, cx + scale * p[0] * 1.03 + 2, cy - scale * p[1] * 1.03);
      });
    };
    paint();
    const watch = new ResizeObserver(paint);
    watch.observe(box);
    return () => watch.disconnect();
  });

  const turnBy = (dx: number, dy: number): void => {
    const [a, b] = [dx * 0.008, dy * 0.008],
      m = view.current.m;
    const ry = [Math.cos(a), 0, Math.sin(a), 0, 1, 0, -Math.sin(a), 0, Math.cos(a)],
      rx = [1, 0, 0, 0, Math.cos(b), -Math.sin(b), 0, Math.sin(b), Math.cos(b)];
    const times = (p: number[], q: number[]): number[] =>
      [0, 1, 2].flatMap((i) =>
        [0, 1, 2].map((j) => p[3 * i]! * q[j]! + p[3 * i + 1]! * q[3 + j]! + p[3 * i + 2]! * q[6 + j]!),
      );
    view.current.m = times(times(ry, rx), m);
  };
  const count = useMemo(
    () => spots.filter((s) => s.snr >= weakest && (layer === 'all' || [s.h, s.k, s.l][FIXED[layer]] === level)).length,
    [spots, weakest, layer, level],
  );
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
          {hover ? (
            <span className="mono">
              {hover.spot.h} {hover.spot.k} {hover.spot.l} · I {hover.spot.intensity.toFixed(1)} · I/σ{' '}
              {hover.spot.snr.toFixed(1)}
              {hover.spot.absent ? ' · forbidden' : ''}
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
          const r = e.currentTarget.getBoundingClientRect(),
            x = e.clientX - r.left,
            y = e.clientY - r.top;
          const near = drawn.current.reduce<{ spot: Spot; x: number; y: number } | undefined>(
            (best, s) =>
              Math.hypot(s.x - x, s.y - y) < Math.min(8, best ? Math.hypot(best.x - x, best.y - y) : 8) ? s : best,
            undefined,
          );
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
