/** The figure on the table, and how it is changed. */
import { useCallback, useMemo } from 'react';
import { drawingOf, withDrawing, type Drawing, type Figure, type Panel } from '@nagare/core/depict/figure';
import { useProject, useProjectStore } from '../../store/use-project.tsx';

export interface FigureOnTable {
  readonly figure: Figure;
  /** The panel that is worked on, and what it draws. */
  readonly panel: Panel;
  readonly drawing: Drawing;
  /** `title` tells which changes run together for undo. */
  change(title: string, make: (f: Figure) => Figure): void;
  changeDrawing(title: string, make: (d: Drawing) => Drawing): void;
}

/** The figure that is open; undefined where there is none. */
export function useFigure(): FigureOnTable | undefined {
  const store = useProjectStore();
  const { looks, depicting } = useProject('looks', 'depicting');
  const figure = looks.figures.find((f) => f.id === depicting.figure) ?? looks.figures[0];
  const panel = figure?.panels.find((p) => p.id === depicting.panel) ?? figure?.panels[0];
  const id = figure?.id;
  const change = useCallback(
    (title: string, make: (f: Figure) => Figure) => {
      const { looks: now, setLooks } = store.getState();
      const next = now.figures.map((f) => (f.id === id ? make(f) : f));
      if (next.some((f, i) => f !== now.figures[i])) setLooks(`figure: ${title}`, { figures: next });
    },
    [store, id],
  );
  const drawing = figure && panel && drawingOf(figure, panel);
  const drawingId = drawing?.id;
  const changeDrawing = useCallback(
    (title: string, make: (d: Drawing) => Drawing) => {
      if (drawingId !== undefined) change(title, (f) => withDrawing(f, drawingId, make));
    },
    [change, drawingId],
  );
  return useMemo(
    () => (figure && panel && drawing ? { figure, panel, drawing, change, changeDrawing } : undefined),
    [figure, panel, drawing, change, changeDrawing],
  );
}
