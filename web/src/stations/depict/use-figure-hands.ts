/** The hands on a figure: turning its panels, picking atoms, moving what is written over them, drawing annotations. */
import {
  useEffect,
  useRef,
  useState,
  type KeyboardEvent,
  type PointerEvent,
  type RefObject,
  type WheelEvent,
} from 'react';
import { samePlace, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { PIXELS_PER_MM, withDrawing, withView, type Panel, type PanelView } from '@nagare/core/depict/figure';
import { labelKey } from '@nagare/core/depict/label-shapes';
import { fittedView, onPage } from '@nagare/core/depict/panel-scene';
import { widthOfRuns, type Shape } from '@nagare/core/depict/shapes';
import { alongRow } from '@nagare/core/draw/views';
import { panCamera, turnCamera, zoomCamera } from '@nagare/core/draw/camera';
import { itemsOf, type Camera } from '@nagare/core/draw/scene';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { isInside, type Box, type Point, type Reaching } from '../../scene/use-hands.ts';
import { useProject } from '../../store/use-project.tsx';
import { strokeMade, type End } from './annotation-made.ts';
import { hiddenChoice, movedAnnotation, movedLabel, snapped, withAnnotation } from './figure-edits.ts';
import type { PanelHands } from './PanelView.tsx';
import { measureText, shapeUnder } from './shape-canvas.ts';
import type { FigureOnTable } from './use-figure.ts';

interface Surroundings {
  readonly table: FigureOnTable;
  readonly panels: RefObject<Map<string, PanelHands>>;
  readonly shapes: () => readonly Shape[];
  readonly zoom: number;
  readonly repaint: () => void;
}

interface Grip {
  x: number;
  y: number;
  readonly startX: number;
  readonly startY: number;
  moved: boolean;
  readonly mode: 'orbit' | 'pan' | 'box' | 'lasso' | 'shape' | 'stroke';
  readonly panel: Panel | undefined;
  /** What is dragged over the page. */
  readonly shape?: string;
  /** Where what is dragged stood, mm. */
  readonly before?: readonly [number, number];
  readonly first?: End;
}

const TURN_SPEED = 0.008,
  TURN_STEP = 0.12,
  CLICK = 3;
/** ms without a change after which a view is kept. */
const REST = 350;

const MOVES: Readonly<Record<string, (c: Camera) => Camera>> = {
  ArrowLeft: (c) => turnCamera(c, { up: -TURN_STEP }),
  ArrowRight: (c) => turnCamera(c, { up: TURN_STEP }),
  ArrowUp: (c) => turnCamera(c, { right: -TURN_STEP }),
  ArrowDown: (c) => turnCamera(c, { right: TURN_STEP }),
  '+': (c) => zoomCamera(c, 1.15),
  '=': (c) => zoomCamera(c, 1.15),
  '-': (c) => zoomCamera(c, 1 / 1.15),
};
const AXES: Readonly<Record<string, Vec3>> = { a: [1, 0, 0], b: [0, 1, 0], c: [0, 0, 1] };

export interface FigureHands {
  readonly box: Box | undefined;
  readonly lasso: readonly Point[];
  readonly reach: Reaching | undefined;
  setReach(mode: Reaching | undefined): void;
  /** Looks along a direction, fitted. */
  along(row: Vec3): void;
  fit(): void;
  /** Hides what is picked. */
  hide(): void;
  readonly on: {
    onKeyDown(e: KeyboardEvent): void;
    onPointerDown(e: PointerEvent<HTMLElement>): void;
    onPointerMove(e: PointerEvent<HTMLElement>): void;
    onPointerUp(e: PointerEvent<HTMLElement>): void;
    onWheel(e: WheelEvent): void;
  };
}

const pointAt = (e: PointerEvent<HTMLElement>): Point => {
  const r = e.currentTarget.getBoundingClientRect();
  return { x: e.clientX - r.left, y: e.clientY - r.top };
};

export function useFigureHands({ table, panels, shapes, zoom, repaint }: Surroundings): FigureHands {
  const { figure, panel: active, change, changeDrawing } = table;
  const { selection, select, depicting, setDepicting } = useProject('selection', 'select', 'depicting', 'setDepicting');
  const [box, setBox] = useState<Box | undefined>();
  const [lasso, setLasso] = useState<readonly Point[]>([]);
  const [reach, setReach] = useState<Reaching | undefined>();
  const grip = useRef<Grip | undefined>(undefined);
  const resting = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  const waiting = useRef<string | undefined>(undefined);
  const px = PIXELS_PER_MM * zoom;

  const keepView = (id: string): void => {
    clearTimeout(resting.current);
    waiting.current = undefined;
    const view = panels.current.get(id)?.view();
    if (view) change('view', (f) => withView(f, id, view));
  };
  const keepLater = (id: string): void => {
    clearTimeout(resting.current);
    waiting.current = id;
    resting.current = setTimeout(() => keepView(id), REST);
  };
  const keepRef = useRef(keepView);
  useEffect(() => {
    keepRef.current = keepView;
  });
  // A view that is not kept yet when the table is left is kept now.
  useEffect(
    () => () => {
      if (waiting.current !== undefined) keepRef.current(waiting.current);
    },
    [],
  );

  const panelAt = ({ x, y }: Point): Panel | undefined =>
    figure.panels.find(
      ({ box: b }) => x >= b.x * px && y >= b.y * px && x <= (b.x + b.width) * px && y <= (b.y + b.height) * px,
    );
  const inPanel = (p: Panel, { x, y }: Point): Point => ({ x: x - p.box.x * px, y: y - p.box.y * px });
  const atomAt = (p: Panel | undefined, at: Point): AtomRef | undefined => {
    if (!p) return undefined;
    const { x, y } = inPanel(p, at);
    return panels.current.get(p.id)?.painter.pick(x, y)?.ref;
  };

  /** A camera moved in one panel; those linked with it turn along. */
  const move = (id: string, make: (c: Camera) => Camera): void => {
    const hands = panels.current.get(id);
    if (!hands) return;
    hands.painter.lookFrom(make(hands.painter.camera));
    const link = figure.panels.find((p) => p.id === id)?.link;
    if (link === undefined) return;
    for (const p of figure.panels)
      if (p.link === link && p.id !== id) {
        const other = panels.current.get(p.id)?.painter;
        other?.lookFrom({ ...other.camera, rotation: hands.painter.camera.rotation });
      }
  };

  const look = (view: PanelView): void => change('view', (f) => withView(f, active.id, view));
  const fit = (): void => {
    const hands = panels.current.get(active.id);
    if (hands) look(fittedView(hands.scene.layers, hands.view().rotation, active.box));
  };
  const along = (row: Vec3): void => {
    const hands = panels.current.get(active.id);
    if (!hands) return;
    look(fittedView(hands.scene.layers, alongRow(hands.scene.structure.cell, row), active.box));
  };
  const hide = (): void => {
    const s = panels.current.get(active.id)?.scene.structure;
    if (!s || !selection.length) return;
    changeDrawing('hidden', (d) => hiddenChoice(s, d, { which: { kind: 'selection', atoms: selection } }));
    select([]);
  };

  const toggle = (p: Panel, ref: AtomRef | undefined, more: boolean): void => {
    const s = panels.current.get(p.id)?.scene.structure;
    if (!s) return;
    if (!ref) {
      if (!more) select([]);
      return;
    }
    const rest = selection.filter((a) => !samePlace(s, a, ref));
    if (rest.length < selection.length) select(rest);
    else select(more || selection.length < 4 ? [...selection, ref] : [ref]);
  };

  const next = (more: boolean): void => {
    const scene = panels.current.get(active.id)?.scene;
    if (!scene) return;
    const atoms = itemsOf(scene.layers, 'atoms', 'model');
    const last = selection.at(-1);
    const i = last ? atoms.findIndex((a) => samePlace(scene.structure, a.ref, last)) : -1;
    const chosen = atoms[(i + 1) % atoms.length];
    if (chosen) select([...(more ? selection : []), chosen.ref]);
  };

  const removePicked = (): void => {
    const { annotation } = depicting;
    if (annotation === undefined) return hide();
    change('annotation removed', (f) => ({ ...f, annotations: f.annotations.filter((a) => a.id !== annotation) }));
    setDepicting({ figure: figure.id, panel: active.id });
  };

  /** Does what a key stands for; false where it stands for nothing. */
  const press = (key: string, shift: boolean): boolean => {
    const moved = MOVES[key];
    const axis = AXES[key];
    if (moved) {
      move(active.id, moved);
      keepLater(active.id);
    } else if (axis) along(axis);
    else if (key === 'f') fit();
    else if (key === 'h') hide();
    else if (key === 'n' || key === 'N') next(shift);
    else if (key === 'Delete') removePicked();
    else if (key === 'Escape') {
      select([]);
      setDepicting({ figure: figure.id, panel: active.id });
    } else return false;
    return true;
  };

  /** Where what a shape belongs to stands, mm: of labels how far it was dragged. */
  const standing = (of: string): readonly [number, number] => {
    if (of === 'legend') return figure.legend ?? [0, 0];
    const label = labelOf(of);
    return label ? (figure.drawings.find((d) => d.id === label.drawing)?.moved[label.key] ?? [0, 0]) : [0, 0];
  };
  /** The panel's drawing and the key of a label by the name of its shape. */
  const labelOf = (of: string): { drawing: string; key: string } | undefined => {
    if (!of.startsWith('label ')) return undefined;
    const [, panelId, ...key] = of.split(' ');
    const p = figure.panels.find((x) => x.id === panelId);
    return p && { drawing: p.drawing, key: key.join(' ') };
  };
  const dragShape = (g: Grip, at: Point): void => {
    const of = g.shape!;
    const by = [(at.x - g.startX) / px, (at.y - g.startY) / px] as const;
    const to: [number, number] = [snapped(g.before![0] + by[0]), snapped(g.before![1] + by[1])];
    if (of === 'legend') change('legend moved', (f) => ({ ...f, legend: to }));
    else {
      const label = labelOf(of);
      if (label) {
        const { x, y } = labelStart.current ?? { x: 0, y: 0 };
        change('label moved', (f) =>
          withDrawing(f, label.drawing, (d) => movedLabel(d, label.key, [x + by[0], y + by[1]])),
        );
      } else {
        const [dx, dy] = [(at.x - g.x) / px, (at.y - g.y) / px];
        change('annotation moved', (f) => withAnnotation(f, of, (a) => movedAnnotation(a, dx, dy)));
      }
    }
  };
  /** mm from its atom to the middle of the label that is dragged. */
  const labelStart = useRef<Point | undefined>(undefined);
  const startOfLabel = (of: string): Point | undefined => {
    const text = shapes().find((s) => s.kind === 'text' && s.of === of);
    const label = labelOf(of);
    if (!label || text?.kind !== 'text') return undefined;
    const at = labelAnchor(of);
    return (
      at && {
        x: (text.x + widthOfRuns(text.runs, text.size, measureText) / 2 - at.x) / PIXELS_PER_MM,
        y: (text.y - at.y) / PIXELS_PER_MM,
      }
    );
  };
  /** Where the atom of a label stands on the page, page pixels. */
  const labelAnchor = (of: string): Point | undefined => {
    const [, panelId, ...rest] = of.split(' ');
    const hands = panels.current.get(panelId!);
    const p = figure.panels.find((x) => x.id === panelId);
    const label = hands && itemsOf(hands.scene.layers, 'labels').find((l) => labelKey(l) === rest.join(' '));
    if (!hands || !label || !p) return undefined;
    return onPage(figure, { ...p, view: hands.view() }, label.at);
  };

  const endAt = (p: Panel | undefined, at: Point): End => {
    const atom = atomAt(p, at);
    return { at: [snapped(at.x / px), snapped(at.y / px)], ...(atom ? { atom } : {}) };
  };

  const finishStroke = (g: Grip, at: Point): void => {
    const p = g.panel ?? active;
    const made = depicting.making && strokeMade(depicting.making, p, g.first!, endAt(p, at));
    if (!made) return;
    change('annotation', (f) => ({ ...f, annotations: [...f.annotations, made] }));
    setDepicting({ figure: figure.id, panel: p.id, annotation: made.id });
  };

  const pickInside = (g: Grip, more: boolean): void => {
    const p = g.panel!;
    const hands = panels.current.get(p.id);
    if (!hands) return;
    const within = (q: Point): boolean =>
      g.mode === 'lasso'
        ? isInside(q, lasso)
        : !!box && q.x > box.x && q.x < box.x + box.w && q.y > box.y && q.y < box.y + box.h;
    const inside = itemsOf(hands.scene.layers, 'atoms', 'model')
      .filter((a) => {
        const { x, y } = hands.painter.project(a.position);
        return within({ x: x + p.box.x * px, y: y + p.box.y * px });
      })
      .map((a) => a.ref);
    select(more ? [...selection, ...inside] : inside);
    setBox(undefined);
    setLasso([]);
    setReach(undefined);
  };

  return {
    box,
    lasso,
    reach,
    setReach,
    along,
    fit,
    hide,
    on: {
      onKeyDown(e) {
        if (e.ctrlKey || e.metaKey) return;
        if (press(e.key, e.shiftKey)) e.preventDefault();
      },
      onPointerDown(e) {
        e.currentTarget.setPointerCapture(e.pointerId);
        const at = pointAt(e);
        const panel = panelAt(at);
        const shape = depicting.making ? undefined : shapeUnder(shapes(), at.x / zoom, at.y / zoom);
        const mode = depicting.making
          ? 'stroke'
          : shape !== undefined
            ? 'shape'
            : reach || e.altKey
              ? (reach ?? 'box')
              : e.button === 1 || e.button === 2 || e.shiftKey
                ? 'pan'
                : 'orbit';
        if (shape !== undefined) labelStart.current = startOfLabel(shape);
        grip.current = {
          ...at,
          startX: at.x,
          startY: at.y,
          moved: false,
          mode,
          panel,
          ...(shape === undefined ? {} : { shape, before: standing(shape) }),
          ...(mode === 'stroke' ? { first: endAt(panel, at) } : {}),
        };
        if (panel && panel.id !== active.id) setDepicting({ ...depicting, figure: figure.id, panel: panel.id });
      },
      onPointerMove(e) {
        const g = grip.current;
        if (!g) return;
        const at = pointAt(e);
        if (Math.hypot(at.x - g.x, at.y - g.y) < CLICK && !g.moved) return;
        g.moved = true;
        const dx = at.x - g.x,
          dy = at.y - g.y;
        if (g.mode === 'shape') dragShape(g, at);
        else if (g.mode === 'box')
          setBox({
            x: Math.min(at.x, g.startX),
            y: Math.min(at.y, g.startY),
            w: Math.abs(at.x - g.startX),
            h: Math.abs(at.y - g.startY),
          });
        else if (g.mode === 'lasso') setLasso((line) => [...line, at]);
        else if (g.panel && g.mode === 'pan') move(g.panel.id, (c) => panCamera(c, dx, dy));
        else if (g.panel && g.mode === 'orbit')
          move(g.panel.id, (c) => turnCamera(c, { up: dx * TURN_SPEED, right: dy * TURN_SPEED }));
        g.x = at.x;
        g.y = at.y;
      },
      onPointerUp(e) {
        const g = grip.current;
        grip.current = undefined;
        if (!g) return;
        const at = pointAt(e);
        const more = e.shiftKey || e.ctrlKey;
        if (g.mode === 'stroke') return finishStroke(g, at);
        if (!g.moved) {
          if (g.shape !== undefined && figure.annotations.some((a) => a.id === g.shape))
            setDepicting({ figure: figure.id, panel: active.id, annotation: g.shape });
          else if (g.panel) toggle(g.panel, atomAt(g.panel, at), more);
          return;
        }
        if (!g.panel) return;
        if (g.mode === 'box' || g.mode === 'lasso') pickInside(g, more);
        else if (g.mode === 'orbit' || g.mode === 'pan') keepView(g.panel.id);
        repaint();
      },
      onWheel(e) {
        move(active.id, (c) => zoomCamera(c, Math.exp(-e.deltaY * 0.0012)));
        keepLater(active.id);
      },
    },
  };
}
