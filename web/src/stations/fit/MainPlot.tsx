/** The pattern with its curves, ticks and points, and what hands do on it. */
import { useEffect, useRef, useState, type PointerEvent as Press, type ReactNode, useEffectEvent } from 'react';
import { CONSTANT_SIGNS, withConstant } from '@nagare/core/powder/model';
import { peakAt } from '@nagare/core/powder/peaks';
import { drawPattern, type Curves, type Marks } from './draw-pattern.ts';
import { frameOf, toPixel, toTwoTheta, type Look } from './pattern-frame.ts';
import { constantFor, sensitivities, type Tick } from './reflections.ts';
import { useFit, useFitStore, type Fit } from './use-fit.tsx';
import type { Tool } from './FitPane.tsx';
import { useCanvas } from './use-canvas.ts';

interface PlotProps {
  curves: Curves;
  window: readonly [number, number];
  look: Look;
  marks: Marks;
}

/** The nearest tick to a place, when the pointer is in the ticks or close to a reflection. */
function tickNear(
  px: number,
  py: number,
  canvas: HTMLCanvasElement,
  { window, look, marks }: PlotProps,
): { tick: Tick; grab: boolean } | undefined {
  const f = frameOf(canvas.clientWidth, canvas.clientHeight, marks.ticks.length, false);
  const base = f.top + f.main,
    row = Math.floor((py - base - 4) / 13);
  const grab = row >= 0 && row < marks.ticks.length;
  let best: Tick | undefined,
    near = grab ? 7 : 4;
  for (const [k, list] of marks.ticks.entries()) {
    if (grab && k !== row) continue;
    for (const t of list) {
      const delta = Math.abs(toPixel(t.x, f, window, look) - px);
      // Where reflections coincide the stronger is meant.
      if (delta < near - 0.5 || (delta < near + 0.5 && best && t.intensity > best.intensity)) {
        near = Math.min(near, delta);
        best = t;
      }
    }
  }
  return best && { tick: best, grab };
}

export function MainPlot(
  props: PlotProps & { full: readonly [number, number]; tool: Tool; zoomBy(factor: number, about?: number): void },
): ReactNode {
  const { curves, window, full, look, marks, tool, zoomBy } = props;
  const fit = useFit(
    'at',
    'changePattern',
    'hover',
    'hovered',
    'own',
    'pattern',
    'patterns',
    'row',
    'setWindow',
    'updateRow',
  );
  const store = useFitStore();
  const [select, setSelect] = useState<[number, number] | undefined>();
  const drag = useRef<{ kind: 'zoom' | 'tick'; from: number; tick?: Tick } | undefined>(undefined);
  const ref = useCanvas((c) => {
    drawPattern(c, curves, window, look, { ...marks, ...(select ? { select } : {}) });
    drawPoints(c, fit.own?.background.points ?? [], window, look, curves, marks.ticks.length);
  });
  const here = (e: {
    clientX: number;
    clientY: number;
  }): { px: number; py: number; t: number; c: HTMLCanvasElement } => {
    const c = ref.current!,
      r = c.getBoundingClientRect();
    const px = e.clientX - r.left;
    return {
      px,
      py: e.clientY - r.top,
      c,
      t: toTwoTheta(px, frameOf(c.clientWidth, c.clientHeight, marks.ticks.length, false), window, look),
    };
  };
  const peaksKey = fit.patterns[fit.at]?.id ?? '';
  const click = (t: number, py: number, c: HTMLCanvasElement): void => {
    const near = (window[1] - window[0]) * 0.006;
    if (tool === 'exclude' && fit.own) {
      const hit = fit.own.excluded.findIndex(([a, b]) => t >= a && t <= b);
      if (hit >= 0)
        fit.changePattern('A region is fitted again', (p) => ({
          ...p,
          excluded: p.excluded.filter((_, i) => i !== hit),
        }));
    } else if (tool === 'background' && fit.own) {
      const f = frameOf(c.clientWidth, c.clientHeight, marks.ticks.length, false);
      const hit = fit.own.background.points.findIndex(([x]) => Math.abs(x - t) < near);
      const value = valueAt(py, f, curves, window, look) - chebyshevAt(store.getState(), t);
      fit.changePattern('Background set by hand', (p) => ({
        ...p,
        background: {
          ...p.background,
          points: (hit >= 0
            ? p.background.points.filter((_, i) => i !== hit)
            : [...p.background.points, [t, value] as const]
          )
            .slice()
            .sort((u, v) => u[0] - v[0]),
        },
      }));
    } else if (tool === 'peaks' && fit.pattern && fit.own) {
      const list = fit.row?.peaks?.[peaksKey] ?? [];
      const hit = list.findIndex((p) => Math.abs(p.position - t) < near);
      if (hit >= 0) void fit.updateRow({ peaks: { ...fit.row?.peaks, [peaksKey]: list.filter((_, i) => i !== hit) } });
      else {
        const found = peakAt(fit.pattern, fit.own.instrument, t);
        if (found)
          void fit.updateRow({
            peaks: { ...fit.row?.peaks, [peaksKey]: [...list, found].sort((p, q) => p.position - q.position) },
          });
      }
    }
  };
  const down = (e: Press): void => {
    if (e.button !== 0) return;
    const { px, py, t, c } = here(e);
    (c.parentElement as HTMLElement).focus({ preventScroll: true });
    const near = tool === 'zoom' ? tickNear(px, py, c, props) : undefined;
    drag.current = near?.grab ? { kind: 'tick', from: t, tick: near.tick } : { kind: 'zoom', from: t };
    c.setPointerCapture(e.pointerId);
  };
  const move = (e: Press): void => {
    const { px, py, t, c } = here(e);
    const d = drag.current;
    if (!d) {
      const near = tickNear(px, py, c, props);
      c.style.cursor = near?.grab ? 'ew-resize' : 'crosshair';
      if (near ? near.tick !== fit.hovered : fit.hovered && py < c.clientHeight) fit.hover(near?.tick);
      return;
    }
    if (d.kind === 'zoom') {
      if (Math.abs(t - d.from) > 0.002 * (window[1] - window[0]))
        setSelect([Math.max(full[0], Math.min(d.from, t)), Math.min(full[1], Math.max(d.from, t))]);
      return;
    }
    moveTick(store.getState(), d.tick!, t, look.wavelength);
  };
  const up = (e: Press): void => {
    const { t, py, c } = here(e);
    const d = drag.current;
    drag.current = undefined;
    if (d?.kind === 'zoom') {
      if (select && select[1] - select[0] > 0.05) {
        if (tool === 'exclude')
          fit.changePattern('A region is left out', (p) => ({ ...p, excluded: [...p.excluded, select] }));
        else fit.setWindow(select);
      } else click(t, py, c);
    }
    setSelect(undefined);
  };
  // React listens to the wheel passively, which cannot keep the page still.
  const wheel = useEffectEvent((e: WheelEvent) => {
    e.preventDefault();
    zoomBy(e.deltaY > 0 ? 1.18 : 1 / 1.18, here(e).t);
  });
  useEffect(() => {
    const c = ref.current;
    const on = (e: WheelEvent): void => wheel(e);
    c?.addEventListener('wheel', on, { passive: false });
    return () => c?.removeEventListener('wheel', on);
  }, [ref]);
  return (
    <canvas
      ref={ref}
      data-testid="pattern"
      data-window={`${window[0].toFixed(3)} ${window[1].toFixed(3)}`}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={() => {
        drag.current = undefined;
        setSelect(undefined);
      }}
      onPointerLeave={() => {
        if (!drag.current) fit.hover(undefined);
      }}
      onDoubleClick={() => fit.setWindow(undefined)}
    />
  );
}

/** Counts at a height of the plot. */
function valueAt(
  py: number,
  f: ReturnType<typeof frameOf>,
  curves: Curves,
  window: readonly [number, number],
  look: Look,
): number {
  let top = 1,
    low = Infinity;
  for (let i = 0; i < curves.x.length; i++)
    if (curves.x[i]! >= window[0] && curves.x[i]! <= window[1]) {
      top = Math.max(top, curves.y[i]!, curves.calculated?.[i] ?? 0);
      low = Math.min(low, curves.y[i]!);
    }
  low = Math.max(0, low * 0.6);
  const s = (v: number): number => (look.root ? Math.sqrt(v) : v),
    u = s(low) + ((f.top + f.main - py) / f.main) * (s(top) - s(low)) * 1.06;
  return look.root ? u * u : u;
}

/** The smooth part of the background, to which points set by hand are added. */
function chebyshevAt(fit: Fit, t: number): number {
  const c = fit.curves;
  if (!c || !fit.own) return 0;
  const { x } = c;
  let i = 0;
  while (i < x.length - 1 && x[i]! < t) i++;
  const points = fit.own.background.points;
  if (!points.length) return c.background[i]!;
  const after = points.findIndex((p) => p[0] >= t);
  const [p, q] =
    after < 0
      ? [points.at(-1)!, points.at(-1)!]
      : after === 0
        ? [points[0]!, points[0]!]
        : [points[after - 1]!, points[after]!];
  const share = q[0] > p[0] ? (t - p[0]) / (q[0] - p[0]) : 0;
  return c.background[i]! - (p[1] + share * (q[1] - p[1]));
}

function drawPoints(
  c: HTMLCanvasElement,
  points: readonly (readonly [number, number])[],
  window: readonly [number, number],
  look: Look,
  curves: Curves,
  phases: number,
): void {
  if (!points.length || !curves.background) return;
  const f = frameOf(c.clientWidth, c.clientHeight, phases, false),
    g = c.getContext('2d')!;
  g.fillStyle = getComputedStyle(c).getPropertyValue('--gold');
  for (const [t] of points) {
    if (t < window[0] || t > window[1]) continue;
    g.fillRect(toPixel(t, f, window, look) - 3, f.top + f.main - 6, 6, 6);
  }
}

/** Changes the chosen (or most sensitive) constant so that a reflection lies at a place. */
function moveTick(fit: Fit, tick: Tick, target: number, wavelength: number): void {
  const phase = fit.model?.phases.find((p) => p.id === tick.phaseId);
  const current = phase && fit.ticks[tick.phase]?.find((t) => t.h === tick.h && t.k === tick.k && t.l === tick.l);
  if (!phase || !current) return;
  const all = sensitivities(phase, tick, wavelength);
  const wanted = fit.dragBy[phase.id];
  const by = all.find((s) => s.constant === wanted && Math.abs(s.slope) > 1e-6) ?? all[0];
  if (!by || Math.abs(by.slope) < 1e-6) return;
  const value = constantFor(phase, current, by.constant, target, wavelength);
  fit.hover(current);
  fit.changePhase(`${CONSTANT_SIGNS[by.constant]} of ${phase.name} by hand`, phase.id, (p) => ({
    ...p,
    structure: { ...p.structure, cell: withConstant(p.structure.cell, p.structure.spaceGroup, by.constant, value) },
  }));
}
