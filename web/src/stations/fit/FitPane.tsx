/** The pattern, large: zoom by drag, wheel and keys; regions pinned beside each other; ticks that can be pointed at and dragged. */
import { useCallback, useMemo, useRef, useState, type PointerEvent as Press, type ReactNode } from 'react';
import { useProject } from '../../store/use-project.tsx';
import { phaseColour } from './colours.ts';
import { drawOverview, drawPattern, type Curves, type Marks } from './draw-pattern.ts';
import { scaled, type Look, type Scale } from './pattern-frame.ts';
import { dependsAlone, type Tick } from './reflections.ts';
import { useFit } from './use-fit.tsx';
import { ReadoutLine } from './ReadoutLine.tsx';
import { MainPlot } from './MainPlot.tsx';
import { useCanvas } from './use-canvas.ts';
import { z } from 'zod';
import { remember, remembered } from '../../store/remembered.ts';

export type Tool = 'zoom' | 'exclude' | 'background' | 'peaks';

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
  const [root, setRoot] = useState(() => remembered('pattern root', z.enum(['yes', 'no']), 'no') === 'yes');
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
      remember('pattern root', r ? 'no' : 'yes');
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
