/** The pattern, large: zoom by drag, wheel and keys; regions pinned beside each other; ticks that can be pointed at and dragged. */
import {
  useCallback,
  useEffect,
  useMemo,
  useRef,
  useState,
  type PointerEvent as Press,
  type ReactNode,
  useEffectEvent,
} from 'react';
import { CONSTANT_SIGNS, freeConstants, withConstant } from '@nagare/core/powder/model';
import { peakAt } from '@nagare/core/powder/peaks';
import { useProject } from '../../store/use-project.tsx';
import { percent } from '../../frame/parts.tsx';
import { phaseColour } from './colours.ts';
import { drawOverview, drawPattern, type Curves, type Marks } from './draw-pattern.ts';
import { frameOf, scaled, toPixel, toTwoTheta, type Look, type Scale } from './pattern-frame.ts';
import { constantFor, dependsAlone, sensitivities, type Tick } from './reflections.ts';
import { useFit, useFitStore, type Fit } from './use-fit.tsx';

type Tool = 'zoom' | 'exclude' | 'background' | 'peaks';
const TOOLS: readonly { id: Tool; name: string; hint: string }[] = [
  { id: 'zoom', name: 'Zoom', hint: 'Drag to zoom, wheel to zoom at the pointer, double-click for everything' },
  {
    id: 'exclude',
    name: 'Leave out',
    hint: 'Drag over a region that is not to be fitted; click a region to bring it back',
  },
  {
    id: 'background',
    name: 'Background points',
    hint: 'Click to set a point of the background, click a point to remove it',
  },
  { id: 'peaks', name: 'Peaks', hint: 'Click on a maximum to add a peak, on a peak to remove it' },
];

export default function FitPane(): ReactNode {
  const fit = useFit(
    'at',
    'constant',
    'curves',
    'drop',
    'hover',
    'hovered',
    'model',
    'own',
    'pattern',
    'patterns',
    'pins',
    'row',
    'setPins',
    'setWindow',
    'ticks',
    'window',
  );
  const { pattern, curves: live, own, model, ticks, hovered, hover, window: chosen, setWindow, pins, setPins } = fit;
  const { project } = useProject('project');
  const [root, setRoot] = useState(() => localStorage.getItem('pattern root') === 'yes');
  const [scale, setScale] = useState<Scale>('2θ');
  const [shares, setShares] = useState(true);
  const [tool, setTool] = useState<Tool>('zoom');
  const wavelength = own?.instrument.lines[0]?.wavelength ?? 1.54059;
  const look: Look = useMemo(() => ({ scale, root, shares, wavelength }), [scale, root, shares, wavelength]);
  const phaseCount = model?.phases.length ?? 0;
  const full = useMemo<[number, number]>(
    () => (pattern ? [pattern.twoTheta[0]!, pattern.twoTheta[pattern.twoTheta.length - 1]!] : [0, 1]),
    [pattern],
  );
  const window = chosen ?? full;
  const curves = useMemo<Curves | undefined>(
    () =>
      pattern && {
        x: live?.x ?? pattern.twoTheta,
        y: live?.y ?? pattern.intensity,
        ...(live ? { background: live.background } : {}),
        ...(live && phaseCount ? { calculated: live.calculated, phases: live.phases } : {}),
      },
    [pattern, live, phaseCount],
  );
  const peaks = fit.row?.peaks?.[fit.patterns[fit.at]?.id ?? ''];
  const { constant } = fit;
  const lit = useMemo(() => {
    if (!constant || !model) return undefined;
    const phase = model.phases.find((p) => p.id === constant.phase);
    return phase && ((t: Tick) => t.phaseId === phase.id && dependsAlone(phase, t, constant.constant, wavelength));
  }, [constant, model, wavelength]);
  const unexplained = useMemo(() => {
    if (!peaks || !model?.phases.length) return undefined;
    return new Set(
      peaks.flatMap((p, i) =>
        ticks.some((list) => list.some((t) => Math.abs(t.x - p.position) < Math.max(0.08, 0.5 * p.width))) ? [] : [i],
      ),
    );
  }, [peaks, ticks, model?.phases.length]);
  const marks: Marks = {
    ticks,
    colours: model?.phases.map((_, i) => phaseColour(i)) ?? [],
    ...(hovered ? { hovered } : {}),
    ...(lit ? { lit } : {}),
    ...(peaks ? { peaks } : {}),
    ...(unexplained ? { unexplained } : {}),
    excluded: own?.excluded ?? [],
  };
  const zoomBy = useCallback(
    (factor: number, about?: number): void => {
      const [a, b] = window,
        c = about ?? (a + b) / 2;
      const from = Math.max(full[0], c - (c - a) * factor),
        to = Math.min(full[1], c + (b - c) * factor);
      setWindow(to - from >= full[1] - full[0] - 1e-6 ? undefined : to - from > 0.1 ? [from, to] : window);
    },
    [window, full, setWindow],
  );
  const panBy = useCallback(
    (share: number): void => {
      const [a, b] = window,
        w = b - a,
        from = Math.max(full[0], Math.min(full[1] - w, a + share * w));
      setWindow([from, from + w]);
    },
    [window, full, setWindow],
  );
  const step = useCallback(
    (by: 1 | -1): void => {
      const all = ticks.flat().sort((p, q) => p.x - q.x);
      if (!all.length) return;
      const middle = (window[0] + window[1]) / 2;
      const i = hovered
        ? all.findIndex((t) => t.phase === hovered.phase && t.h === hovered.h && t.k === hovered.k && t.l === hovered.l)
        : all.findIndex((t) => t.x >= middle) - (by > 0 ? 1 : 0);
      const next = all[Math.max(0, Math.min(all.length - 1, i + by))]!;
      hover(next);
      if (next.x < window[0] || next.x > window[1]) {
        const w = window[1] - window[0];
        setWindow([Math.max(full[0], next.x - w / 2), Math.min(full[1], next.x + w / 2)]);
      }
    },
    [ticks, hovered, window, full, hover, setWindow],
  );
  const pin = (): void => {
    const at = hovered?.x;
    const region: [number, number] = at !== undefined ? [at - 0.8, at + 0.8] : [window[0], window[1]];
    setPins([...pins.slice(-3), region]);
  };
  const onKey = (e: React.KeyboardEvent): void => {
    const act: Record<string, () => void> = {
      ArrowLeft: () => panBy(-0.15),
      ArrowRight: () => panBy(0.15),
      '+': () => zoomBy(0.7),
      '=': () => zoomBy(0.7),
      '-': () => zoomBy(1.4),
      f: () => setWindow(undefined),
      Home: () => setWindow(undefined),
      r: () => flipRoot(),
      p: pin,
      n: () => step(1),
      b: () => step(-1),
      Escape: () => {
        hover(undefined);
        fit.drop();
      },
    };
    const go = act[e.key];
    if (go && !e.ctrlKey && !e.metaKey) {
      e.preventDefault();
      go();
    }
  };
  const flipRoot = (): void =>
    setRoot((r) => {
      localStorage.setItem('pattern root', r ? 'no' : 'yes');
      return !r;
    });
  if (!pattern || !curves)
    return (
      <div className="empty">
        <h3>No pattern yet</h3>
        <p>
          Drop a powder pattern anywhere (2θ and counts in two columns, or a powder CIF).{' '}
          {project.source ? 'This project holds single-crystal data.' : ''}
        </p>
      </div>
    );
  return (
    <div className="fit-pane">
      <ReadoutLine />
      {pins.length > 0 && (
        <div className="pins">
          {pins.map((p, i) => (
            <Pinned
              key={`${p[0]}${i}`}
              region={p}
              curves={curves}
              look={look}
              marks={marks}
              onClose={() => setPins(pins.filter((_, k) => k !== i))}
              onShow={() => setWindow([Math.max(full[0], p[0] - 1), Math.min(full[1], p[1] + 1)])}
            />
          ))}
        </div>
      )}
      <div
        className="pattern-host"
        tabIndex={0}
        role="application"
        aria-label="Powder pattern. Arrows move, plus and minus zoom, f shows everything, n and b go from reflection to reflection, p pins, r takes the square root."
        onKeyDown={onKey}
      >
        <MainPlot curves={curves} window={window} full={full} look={look} marks={marks} tool={tool} zoomBy={zoomBy} />
      </div>
      <Overview curves={curves} window={window} full={full} />
      <div className="plot-tools">
        <span className="segments" role="group" aria-label="What the pointer does">
          {TOOLS.map((t) => (
            <button
              key={t.id}
              className="word"
              aria-pressed={tool === t.id}
              title={t.hint}
              onClick={() => setTool(t.id)}
            >
              {t.name}
            </button>
          ))}
        </span>
        <span className="segments" role="group" aria-label="Abscissa">
          {(['2θ', 'd', 'Q'] as const).map((s) => (
            <button key={s} className="word" aria-pressed={scale === s} onClick={() => setScale(s)}>
              {s}
            </button>
          ))}
        </span>
        <button className="word" aria-pressed={root} title="r" onClick={flipRoot}>
          √ intensity
        </button>
        <button className="word" aria-pressed={shares} onClick={() => setShares(!shares)}>
          Shares
        </button>
        <button className="word" title="p: pins what is pointed at, or what is seen" onClick={pin}>
          Pin this region
        </button>
        <button className="word" disabled={!chosen} onClick={() => setWindow(undefined)}>
          Everything
        </button>
      </div>
    </div>
  );
}

/** What is pointed at, or the figures of the fit. */
function ReadoutLine(): ReactNode {
  const { hovered, model, own, figures, drafting, drop, dragBy, setDragBy, trial } = useFit(
    'hovered',
    'model',
    'own',
    'figures',
    'drafting',
    'drop',
    'dragBy',
    'setDragBy',
    'trial',
  );
  const phase = hovered && model?.phases.find((p) => p.id === hovered.phaseId);
  const wavelength = own?.instrument.lines[0]?.wavelength ?? 1.54059;
  if (hovered && phase) {
    const all = sensitivities(phase, hovered, wavelength),
      moved = all.filter((s) => Math.abs(s.slope) > 1e-6);
    return (
      <div className="selection-line" data-testid="readout">
        <span>
          <b>{hovered.name}</b>{' '}
          <span className="mono">
            {hovered.h} {hovered.k} {hovered.l}
          </span>
        </span>
        <span>
          <span className="soft">d</span> <span className="value">{hovered.d.toFixed(5)} Å</span>
        </span>
        <span>
          <span className="soft">2θ</span> <span className="value">{hovered.x.toFixed(4)}°</span>
        </span>
        <span>
          <span className="soft">area</span> <span className="value">{hovered.intensity.toFixed(1)}</span>
        </span>
        <span>
          <span className="soft">{moved.length === 1 ? 'depends on ' : 'moves '}</span>
          {moved.map((s) => (
            <span key={s.constant} className="me-2">
              <b>{CONSTANT_SIGNS[s.constant]}</b>
              {moved.length === 1 ? ' alone: ' : ' '}
              <span className="mono">{s.slope.toFixed(2)}</span>
              <span className="soft">°/{s.constant.length === 1 ? 'Å' : '°'}</span>
            </span>
          ))}
        </span>
        {freeConstants(phase.structure.spaceGroup).length > 1 && (
          <label className="soft" title="What dragging a tick changes">
            drag:{' '}
            <select
              className="inline"
              aria-label="Constant that dragging changes"
              value={dragBy[phase.id] ?? ''}
              onChange={(e) => setDragBy(phase.id, (e.target.value || undefined) as never)}
            >
              <option value="">the most sensitive</option>
              {all.map((s) => (
                <option key={s.constant} value={s.constant}>
                  {CONSTANT_SIGNS[s.constant]}
                </option>
              ))}
            </select>
          </label>
        )}
      </div>
    );
  }
  return (
    <div className="selection-line">
      {figures && model?.phases.length ? (
        <>
          <span>
            <span className="soft">Rwp</span>{' '}
            <span className="value" data-testid="live-rwp">
              {percent(figures.rwp)}
            </span>
          </span>
          <span>
            <span className="soft">Rp</span> <span className="value">{percent(figures.rp)}</span>
          </span>
          <span>
            <span className="soft">S</span> <span className="value">{figures.s.toFixed(2)}</span>
          </span>
        </>
      ) : (
        <span className="soft">Point at a reflection to read it; drag its tick to move it.</span>
      )}
      {trial && <span className="soft">{trial.name} is shown on trial</span>}
      {drafting && (
        <>
          <span className="soft">changed by hand</span>
          <button className="word" onClick={drop}>
            Back to the mark
          </button>
        </>
      )}
    </div>
  );
}

interface PlotProps {
  curves: Curves;
  window: readonly [number, number];
  look: Look;
  marks: Marks;
}

function useCanvas(draw: (c: HTMLCanvasElement) => void): React.RefObject<HTMLCanvasElement | null> {
  const ref = useRef<HTMLCanvasElement>(null);
  const paint = useEffectEvent(() => {
    if (ref.current) draw(ref.current);
  });
  const pending = useRef(0);
  useEffect(() => {
    cancelAnimationFrame(pending.current);
    pending.current = requestAnimationFrame(() => paint());
  });
  useEffect(() => {
    const seen = new ResizeObserver(() => paint());
    if (ref.current) seen.observe(ref.current);
    const themed = new MutationObserver(() => paint());
    themed.observe(document.documentElement, { attributes: true });
    void document.fonts.ready.then(() => paint());
    return () => {
      seen.disconnect();
      themed.disconnect();
    };
  }, []);
  return ref;
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

function MainPlot(
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

function Pinned({
  region,
  curves,
  look,
  marks,
  onClose,
  onShow,
}: {
  region: [number, number];
  curves: Curves;
  look: Look;
  marks: Marks;
  onClose(): void;
  onShow(): void;
}): ReactNode {
  const ref = useCanvas((c) => void drawPattern(c, curves, region, look, marks, true));
  const there = marks.ticks
    .flat()
    .filter((t) => t.x > region[0] && t.x < region[1])
    .sort((p, q) => q.intensity - p.intensity)[0];
  return (
    <figure>
      <figcaption>
        <button className="plain" onClick={onShow} title="Show in the large plot">
          {there ? `${there.name} ${there.h} ${there.k} ${there.l}` : ''}{' '}
          <span className="soft">{scaled((region[0] + region[1]) / 2, look).toFixed(2)}</span>
        </button>
        <button className="word" aria-label="Unpin" onClick={onClose}>
          ×
        </button>
      </figcaption>
      <canvas ref={ref} />
    </figure>
  );
}

/** The whole pattern with the visible window, which can be dragged. */
function Overview({
  curves,
  window,
  full,
}: {
  curves: Curves;
  window: readonly [number, number];
  full: readonly [number, number];
}): ReactNode {
  const { setWindow, pins } = useFit('setWindow', 'pins');
  const ref = useCanvas((c) => drawOverview(c, curves, window, pins));
  const drag = useRef<{ from: number; window: readonly [number, number] } | undefined>(undefined);
  const at = (e: Press): number => {
    const r = ref.current!.getBoundingClientRect();
    return full[0] + ((e.clientX - r.left - 58) / (r.width - 72)) * (full[1] - full[0]);
  };
  const place = (t: number, w: number): void => {
    const from = Math.max(full[0], Math.min(full[1] - w, t - w / 2));
    if (w < full[1] - full[0] - 1e-6) setWindow([from, from + w]);
  };
  return (
    <canvas
      ref={ref}
      className="overview"
      aria-label="Overview of the pattern"
      onPointerDown={(e) => {
        ref.current!.setPointerCapture(e.pointerId);
        const t = at(e),
          inside = t >= window[0] && t <= window[1];
        drag.current = { from: t, window };
        if (!inside) place(t, window[1] - window[0]);
      }}
      onPointerMove={(e) => {
        const d = drag.current;
        if (d) place((d.window[0] + d.window[1]) / 2 + at(e) - d.from, d.window[1] - d.window[0]);
      }}
      onPointerUp={() => {
        drag.current = undefined;
      }}
    />
  );
}
