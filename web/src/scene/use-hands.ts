/** The hands on the scene: orbit, pan, zoom, pick, box, and the ghost that is laid by hand. */
import {
  useRef,
  useState,
  type RefObject,
  type KeyboardEvent,
  type MouseEvent,
  type PointerEvent,
  type WheelEvent,
} from 'react';
import { samePlace, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { blockFaces, faceShift, movedFace, type Block, type BlockFace } from '@nagare/core/draw/block-faces';
import { panCamera, screenVector, turnCamera, zoomCamera } from '@nagare/core/draw/camera';
import { itemsOf } from '@nagare/core/draw/scene';
import { add, subtract, turn, type Vec3 } from '@nagare/core/math/matrix3';
import { middle } from '@nagare/core/math/superpose';
import { withBonding } from '@nagare/core/crystal/bonding';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { joined, moleculeAt, stepSelection } from '../stations/relate/drawing.ts';
import type { Ghost } from '../store/project-state.ts';
import { useProject } from '../store/use-project.tsx';
import type { ViewState } from '../store/view-state.ts';
import type { ScenePainter } from './painter.ts';
import type { CameraHands } from './use-camera.ts';
import type { SceneLayers } from './use-layers.ts';

export interface Box {
  readonly x: number;
  readonly y: number;
  readonly w: number;
  readonly h: number;
}

export interface Point {
  readonly x: number;
  readonly y: number;
}

/** How several atoms are selected at once. */
export type Reaching = 'box' | 'lasso';

/** Whether a point lies inside a closed line (even–odd rule). */
export function isInside({ x, y }: Point, line: readonly Point[]): boolean {
  let inside = false;
  line.forEach((p, i) => {
    const q = line[(i + 1) % line.length]!;
    if (p.y > y !== q.y > y && x < p.x + ((y - p.y) / (q.y - p.y)) * (q.x - p.x)) inside = !inside;
  });
  return inside;
}

interface Grip {
  x: number;
  y: number;
  readonly startX: number;
  readonly startY: number;
  moved: boolean;
  readonly mode: 'orbit' | 'pan' | 'box' | 'lasso' | 'ghost' | 'face';
  /** The face of a block that is dragged, and the block as it was. */
  readonly face?: { readonly of: BlockFace; readonly block: Block };
}

/** Radians a pixel. */
const TURN_SPEED = 0.008;
/** Radians a press of an arrow. */
const TURN_STEP = 0.12;
/** Pixels that still count as a click. */
const CLICK = 3;

/** The ghost moved, or turned about its middle, by a vector of the screen (pixels). */
function draggedGhost(painter: ScenePainter, g: Ghost, dx: number, dy: number, turning: boolean): Ghost {
  const { camera } = painter;
  if (!turning) {
    const shift = screenVector(camera, dx, dy);
    return { ...g, positions: g.positions.map((x) => add(x, shift)) };
  }
  const { rotation: r } = camera;
  const right: Vec3 = [r[0], r[1], r[2]],
    up: Vec3 = [r[3], r[4], r[5]];
  const c = middle(g.positions);
  const turned = (x: Vec3): Vec3 => add(c, turn(turn(subtract(x, c), up, dx * 0.01), right, dy * 0.01));
  return { ...g, positions: g.positions.map(turned) };
}

export interface Hands {
  readonly box: Box | undefined;
  /** The line drawn around atoms, pixels. */
  readonly lasso: readonly Point[];
  readonly reach: Reaching | undefined;
  setReach(mode: Reaching | undefined): void;
  onKeyDown(e: KeyboardEvent): void;
  onPointerDown(e: PointerEvent<HTMLElement>): void;
  onPointerMove(e: PointerEvent<HTMLElement>): void;
  onPointerUp(e: PointerEvent<HTMLElement>): void;
  onDoubleClick(e: MouseEvent<HTMLElement>): void;
  onWheel(e: WheelEvent): void;
}

export function useHands(
  painter: ScenePainter | undefined,
  scene: SceneLayers,
  camera: CameraHands,
  /** Set while something is dragged that must not move the view. */
  heldRef: RefObject<boolean>,
): Hands {
  const {
    head,
    preview,
    ghost,
    setGhost,
    selection,
    select,
    peaks,
    setPeaks,
    pickPoint,
    elements,
    setElements,
    view,
    setView,
    looks,
    setLooks,
  } = useProject(
    'head',
    'preview',
    'ghost',
    'setGhost',
    'selection',
    'select',
    'peaks',
    'setPeaks',
    'pickPoint',
    'elements',
    'setElements',
    'view',
    'setView',
    'looks',
    'setLooks',
  );
  const [box, setBox] = useState<Box | undefined>();
  const [lasso, setLasso] = useState<readonly Point[]>([]);
  const [reach, setReach] = useState<Reaching | undefined>();
  const grip = useRef<Grip | undefined>(undefined);
  const { atoms, structure } = scene;

  /** The handle of a block's face under the pointer. */
  const faceAt = (x: number, y: number): Grip['face'] => {
    if (!painter || !structure || !itemsOf(scene.layers, 'points', 'faces').length) return undefined;
    const near = blockFaces(structure.cell, view.block)
      .map((of) => ({ of, at: painter.project(of.at) }))
      .filter(({ at }) => Math.hypot(at.x - x, at.y - y) < 12)
      .sort((p, q) => q.at.depth - p.at.depth)[0];
    return near && { of: near.of, block: view.block };
  };

  const drag = (dx: number, dy: number, turning: boolean): void => {
    if (painter) setGhost((g) => g && draggedGhost(painter, g, dx, dy, turning));
  };

  const toggle = (ref: AtomRef | undefined, more: boolean): void => {
    // While another mark is looked at, a pick would speak of the wrong model.
    if (!structure || (preview && head)) return;
    if (!ref) {
      if (more) return;
      select([]);
      setPeaks([]);
      return;
    }
    const rest = selection.filter((a) => !samePlace(structure, a, ref));
    if (rest.length < selection.length) select(rest);
    // Picking goes on from the last atoms, so a chain of clicks measures.
    else select(more || selection.length < 4 ? [...selection, ref] : [ref]);
  };

  const click = (x: number, y: number, more: boolean): void => {
    if (!painter) return;
    const atom = painter.pick(x, y);
    // A residual maximum under the pointer is chosen for the list, unless an atom is meant.
    const near = atom
      ? undefined
      : itemsOf(scene.layers, 'points', 'maxima')
          .map((m) => ({ m, at: painter.project(m.position) }))
          .filter(({ at }) => Math.hypot(at.x - x, at.y - y) < 9)
          .sort((p, q) => q.at.depth - p.at.depth)[0]?.m;
    if (near) {
      setPeaks(peaks.includes(near.name) ? peaks.filter((n) => n !== near.name) : [...peaks, near.name]);
      return;
    }
    const point = atom ? undefined : wishAt(painter, scene, x, y);
    if (point !== undefined) {
      pickPoint(point);
      return;
    }
    const end = atom ? undefined : openEndAt(painter, scene, x, y);
    if (end && structure) {
      setLooks('molecule brought', { addedAtoms: joined(structure, looks.addedAtoms, moleculeAt(structure, end)) });
      return;
    }
    const element = !atom && elements ? painter.pickElement(x, y) : undefined;
    if (element !== undefined && elements)
      setElements({ ...elements, picked: element === elements.picked ? '' : element });
    else toggle(atom?.ref, more);
  };

  const next = (more: boolean): void => {
    if (!structure || !atoms.length) return;
    const last = selection.at(-1);
    const i = last ? atoms.findIndex((a) => samePlace(structure, a.ref, last)) : -1;
    select([...(more ? selection : []), atoms[(i + 1) % atoms.length]!.ref]);
  };

  /** The whole molecule of an atom that is drawn. */
  const molecule = (ref: AtomRef | undefined): void => {
    if (!ref || !structure || (preview && head)) return;
    select(stepSelection(bonded(withBonding(structure, looks.bonding)), atoms, [ref], 'molecule'));
  };

  const move = (change: (p: ScenePainter) => ScenePainter['camera']) => (): void => {
    if (painter) painter.lookFrom(change(painter));
  };
  const keys: Readonly<Record<string, (shift: boolean) => void>> = {
    ArrowLeft: move((p) => turnCamera(p.camera, { up: -TURN_STEP })),
    ArrowRight: move((p) => turnCamera(p.camera, { up: TURN_STEP })),
    ArrowUp: move((p) => turnCamera(p.camera, { right: -TURN_STEP })),
    ArrowDown: move((p) => turnCamera(p.camera, { right: TURN_STEP })),
    '+': move((p) => zoomCamera(p.camera, 1.15)),
    '=': move((p) => zoomCamera(p.camera, 1.15)),
    '-': move((p) => zoomCamera(p.camera, 1 / 1.15)),
    a: () => camera.along(0),
    b: () => camera.along(1),
    c: () => camera.along(2),
    f: () => camera.fit(),
    Escape: () => (ghost ? setGhost(undefined) : select([])),
    m: () => molecule(selection.at(-1)),
    n: (shift) => next(shift),
    N: () => next(true),
  };
  const arrows: Readonly<Record<string, readonly [number, number]>> = {
    ArrowLeft: [-4, 0],
    ArrowRight: [4, 0],
    ArrowUp: [0, -4],
    ArrowDown: [0, 4],
  };

  return {
    box,
    lasso,
    reach,
    setReach,
    onKeyDown(e) {
      const tag = (e.target as HTMLElement).tagName;
      if (e.ctrlKey || e.metaKey || tag === 'INPUT' || tag === 'SELECT') return;
      const arrow = arrows[e.key];
      if (ghost?.movable && e.shiftKey && arrow) {
        e.preventDefault();
        drag(arrow[0], arrow[1], ghost.movable === 'turn');
        return;
      }
      const act = keys[e.key];
      if (!act) return;
      e.preventDefault();
      act(e.shiftKey);
    },
    onPointerDown(e) {
      e.currentTarget.setPointerCapture(e.pointerId);
      const { x, y } = pointAt(e);
      const face = faceAt(x, y);
      const mode = face
        ? 'face'
        : ghost?.movable && painter?.pick(x, y, 'ghost')
          ? 'ghost'
          : reach || e.altKey
            ? (reach ?? 'box')
            : e.button === 1 || e.button === 2 || e.shiftKey
              ? 'pan'
              : 'orbit';
      grip.current = { x, y, startX: x, startY: y, moved: false, mode, ...(face ? { face } : {}) };
    },
    onPointerMove(e) {
      const g = grip.current;
      if (!g || !painter) return;
      const { x, y } = pointAt(e);
      if (Math.hypot(x - g.x, y - g.y) < CLICK && !g.moved) return;
      g.moved = true;
      const dx = x - g.x,
        dy = y - g.y;
      if (g.mode === 'box')
        setBox({
          x: Math.min(x, g.startX),
          y: Math.min(y, g.startY),
          w: Math.abs(x - g.startX),
          h: Math.abs(y - g.startY),
        });
      else if (g.face && structure) {
        heldRef.current = true;
        const by = faceShift(structure.cell, painter.camera, g.face.of.axis, x - g.startX, y - g.startY);
        setView({ block: movedFace(g.face.block, g.face.of, by) as ViewState['block'] });
      } else if (g.mode === 'lasso') setLasso((line) => [...line, { x, y }]);
      else if (g.mode === 'ghost') drag(dx, dy, ghost?.movable === 'turn' || e.shiftKey);
      else if (g.mode === 'pan') painter.lookFrom(panCamera(painter.camera, dx, dy));
      else painter.lookFrom(turnCamera(painter.camera, { up: dx * TURN_SPEED, right: dy * TURN_SPEED }));
      g.x = x;
      g.y = y;
    },
    onPointerUp(e) {
      const g = grip.current;
      grip.current = undefined;
      heldRef.current = false;
      if (!g || !painter) return;
      if (!g.moved) {
        const { x, y } = pointAt(e);
        click(x, y, e.shiftKey || e.ctrlKey);
        return;
      }
      if (g.mode !== 'box' && g.mode !== 'lasso') return;
      const within = (p: Point): boolean =>
        g.mode === 'lasso'
          ? isInside(p, lasso)
          : !!box && p.x > box.x && p.x < box.x + box.w && p.y > box.y && p.y < box.y + box.h;
      const inside = atoms.filter((a) => within(painter.project(a.position))).map((a) => a.ref);
      select(e.shiftKey || e.ctrlKey ? [...selection, ...inside] : inside);
      setBox(undefined);
      setLasso([]);
      setReach(undefined);
    },
    onDoubleClick(e) {
      const { x, y } = pointAt(e);
      molecule(painter?.pick(x, y)?.ref);
    },
    onWheel(e) {
      if (painter) painter.lookFrom(zoomCamera(painter.camera, Math.exp(-e.deltaY * 0.0012)));
    },
  };
}

/** Pixels from a mark that still mean it. */
const NEAR_MARK = 10;

/** The hot spot under a point of the canvas. */
const wishAt = (painter: ScenePainter, scene: SceneLayers, x: number, y: number): string | undefined =>
  itemsOf(scene.layers, 'points', 'wishes')
    .map((p) => ({ p, at: painter.project(p.position) }))
    .filter(({ at }) => Math.hypot(at.x - x, at.y - y) < NEAR_MARK)
    .sort((p, q) => q.at.depth - p.at.depth)[0]?.p.name;

/** The open end under a point of the canvas, the nearest to the viewer. */
function openEndAt(painter: ScenePainter, scene: SceneLayers, x: number, y: number): AtomRef | undefined {
  return scene.open
    .map((o) => ({ o, at: painter.project(o.at) }))
    .filter(({ at }) => Math.hypot(at.x - x, at.y - y) < NEAR_MARK)
    .sort((p, q) => q.at.depth - p.at.depth)[0]?.o.leadsTo;
}

function pointAt(e: MouseEvent<HTMLElement>): { x: number; y: number } {
  const r = e.currentTarget.getBoundingClientRect();
  return { x: e.clientX - r.left, y: e.clientY - r.top };
}
