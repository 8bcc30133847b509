/** The figure on the table: its page as it will be, worked on by hand; below it the strip of all figures. */
import './depict.scss';
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { withView, PIXELS_PER_MM, type Figure, type PanelView as View } from '@nagare/core/depict/figure';
import { overlayOf, overlayShapes } from '@nagare/core/depict/page';
import type { PanelScene } from '@nagare/core/depict/panel-scene';
import type { Shape } from '@nagare/core/depict/shapes';
import { useProject } from '../../store/use-project.tsx';
import { FigureStrip } from './FigureStrip.tsx';
import { FigureTools } from './FigureTools.tsx';
import { PanelView, type PanelHands } from './PanelView.tsx';
import { measureText, paintShapes } from './shape-canvas.ts';
import { useFigure, type FigureOnTable } from './use-figure.ts';
import { useFigureHands } from './use-figure-hands.ts';
import { useFigureScenes } from './use-figure-scenes.ts';
import { EmptyTable } from './EmptyTable.tsx';

/** Pixels of the screen left around the page. */
const AROUND = 22;
const MOST_ZOOM = 3;

/** Screen pixels for one of the page, so that the page fills its place. */
function useZoom(figure: Figure, place: React.RefObject<HTMLDivElement | null>): number {
  const [room, setRoom] = useState({ width: 800, height: 500 });
  useLayoutEffect(() => {
    if (!place.current) return;
    const watch = new ResizeObserver(([entry]) => {
      const { width, height } = entry!.contentRect;
      if (width > 60 && height > 60) setRoom({ width, height });
    });
    watch.observe(place.current);
    return () => watch.disconnect();
  }, [place]);
  const fits = Math.min(
    (room.width - 2 * AROUND) / (figure.width * PIXELS_PER_MM),
    (room.height - 2 * AROUND) / (figure.height * PIXELS_PER_MM),
  );
  return Math.max(0.1, Math.min(MOST_ZOOM, fits));
}

export default function FigureStage(): ReactNode {
  const table = useFigure();
  return (
    <div className="figure-stage">
      {table ? <Table key={table.figure.id} table={table} /> : <EmptyTable />}
      <FigureStrip />
    </div>
  );
}

function Table({ table }: { table: FigureOnTable }): ReactNode {
  const { figure, panel, change } = table;
  const { selection } = useProject('selection');
  const place = useRef<HTMLDivElement>(null);
  const overlay = useRef<HTMLCanvasElement>(null);
  const zoom = useZoom(figure, place);
  const { scenes, problem, working } = useFigureScenes(figure);
  const panels = useRef(new Map<string, PanelHands>());
  const onHands = useCallback((id: string, hands: PanelHands | undefined) => {
    if (hands) panels.current.set(id, hands);
    else panels.current.delete(id);
  }, []);
  const onFitted = useCallback((id: string, view: View) => change('view', (f) => withView(f, id, view)), [change]);
  const shapes = useOverlay(figure, scenes, panels, overlay, zoom);
  const hands = useFigureHands({ table, panels, shapes: shapes.now, zoom, repaint: shapes.repaint });
  const size = { width: figure.width * PIXELS_PER_MM * zoom, height: figure.height * PIXELS_PER_MM * zoom };
  return (
    <>
      <div ref={place} className="figure-place">
        <div
          className={figure.clear ? 'figure-page clear' : 'figure-page'}
          style={{ ...size, ...(figure.clear ? {} : { background: figure.ground }) }}
          role="application"
          tabIndex={0}
          aria-label={`Figure ${figure.name}. Arrow keys turn, plus and minus zoom, a b c look along the axes, f fits, n picks the next atom, h hides what is picked.`}
          data-testid="figure-page"
          onContextMenu={(e) => e.preventDefault()}
          {...hands.on}
        >
          {scenes.map((s) => (
            <PanelView
              key={s.panel.id}
              figure={figure}
              scene={s}
              zoom={zoom}
              isActive={s.panel.id === panel.id}
              selection={selection}
              onHands={onHands}
              onFitted={onFitted}
              onPainted={shapes.repaint}
            />
          ))}
          <canvas ref={overlay} className="over" aria-hidden="true" />
          {hands.box && (
            <div
              className="box-pick"
              style={{ left: hands.box.x, top: hands.box.y, width: hands.box.w, height: hands.box.h }}
            />
          )}
          {hands.lasso.length > 1 && (
            <svg className="lasso" aria-hidden="true">
              <polygon points={hands.lasso.map((p) => `${p.x},${p.y}`).join(' ')} />
            </svg>
          )}
        </div>
      </div>
      <FigureTools table={table} scenes={scenes} hands={hands} problem={problem} working={working} />
    </>
  );
}

/** Labels, annotations and legend over the panels, painted after each of their paintings. */
function useOverlay(
  figure: Figure,
  scenes: readonly PanelScene[],
  panels: React.RefObject<Map<string, PanelHands>>,
  overlay: React.RefObject<HTMLCanvasElement | null>,
  zoom: number,
): { readonly now: () => readonly Shape[]; readonly repaint: () => void } {
  const latest = useRef<{ figure: Figure; scenes: readonly PanelScene[]; zoom: number; shapes: readonly Shape[] }>({
    figure,
    scenes,
    zoom,
    shapes: [],
  });
  const frame = useRef(0);
  const repaint = useCallback(() => {
    if (frame.current) return;
    frame.current = requestAnimationFrame(() => {
      frame.current = 0;
      const { figure: f, scenes: all, zoom: z } = latest.current;
      const canvas = overlay.current;
      const pen = canvas?.getContext('2d');
      if (!canvas || !pen) return;
      // As the panels are seen at this moment, in the middle of a turn too.
      const seen = f.panels.map((p) => {
        const live = panels.current.get(p.id)?.view();
        return live ? { ...p, view: live } : p;
      });
      const byId = new Map(seen.map((p) => [p.id, p]));
      const here = { ...f, panels: seen };
      const drawn = all.map((s) => ({ ...s, panel: byId.get(s.panel.id) ?? s.panel }));
      const shapes = overlayShapes(overlayOf(here, drawn, measureText));
      latest.current.shapes = shapes;
      const ratio = Math.min(2, devicePixelRatio) * z;
      const [width, height] = [Math.ceil(f.width * PIXELS_PER_MM * ratio), Math.ceil(f.height * PIXELS_PER_MM * ratio)];
      if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height });
      pen.setTransform(1, 0, 0, 1, 0, 0);
      pen.clearRect(0, 0, width, height);
      paintShapes(pen, shapes, ratio);
    });
  }, [overlay, panels]);
  useEffect(() => {
    latest.current = { ...latest.current, figure, scenes, zoom };
    repaint();
  }, [figure, scenes, zoom, repaint]);
  useEffect(() => {
    // Letters are measured anew when the font has come.
    void document.fonts?.ready.then(repaint);
    return () => cancelAnimationFrame(frame.current);
  }, [repaint]);
  return useMemo(() => ({ now: () => latest.current.shapes, repaint }), [repaint]);
}
