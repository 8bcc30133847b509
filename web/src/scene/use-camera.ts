/** Where the viewer stands: the first look, what brings things back into view, and looking along axes. */
import { useCallback, useEffect, useRef, type RefObject } from 'react';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import { siteOf } from '@nagare/core/crystal/atom-ref';
import { axisVectors } from '@nagare/core/crystal/cell';
import type { Structure } from '@nagare/core/crystal/structure';
import {
  bestRotation,
  betweenRotations,
  extentPoints,
  fitCamera,
  lookAlong,
  panCamera,
  type Margins,
} from '@nagare/core/draw/camera';
import type { Layer } from '@nagare/core/draw/scene';
import { cartesianOf } from '@nagare/core/geometry/measure';
import { subtract, type Vec3, toVec3 } from '@nagare/core/math/matrix3';
import { useProject } from '../store/use-project.tsx';
import { onceSized } from './once-sized.ts';
import type { ScenePainter } from './painter.ts';
import type { SceneLayers } from './use-layers.ts';

/** Room for labels at the edges, px. */
const MARGINS: Margins = { left: 30, right: 36, top: 22, bottom: 22 };
/** What is chosen comes at least this far in from the edges, px. */
const EDGE = 40;

/** The shape of the crystal around what is drawn. */
const isShape = (l: Layer): boolean => l.kind === 'polyhedra' && l.name === 'faces';

/** What is always in the picture. */
const FRAMED: ReadonlySet<string> = new Set(['model', 'symmetry', 'maxima']);

/** Layers that must be in the picture: the cell counts when more than the unit is drawn. */
function framed(layers: readonly Layer[], whole: boolean): readonly Layer[] {
  const has = layers.some((l) => l.kind === 'atoms' && l.items.length > 0);
  return layers.filter((l) => {
    if (l.name === 'cell') return whole || !has;
    return FRAMED.has(l.name) || isShape(l);
  });
}

export interface CameraHands {
  fit(): void;
  /** Looks along a (0), b (1) or c (2). */
  along(axis: 0 | 1 | 2): void;
}

export function useCamera(
  painter: ScenePainter | undefined,
  scene: SceneLayers,
  projectId: string,
  extent: string,
  selection: readonly AtomRef[],
  /** The cell is part of what is meant. */
  cellMatters: boolean,
  /** Something is being dragged: the view stays. */
  heldRef: RefObject<boolean>,
): CameraHands {
  const { layers, structure, copies } = scene;
  const latest = useRef({ layers, copies });
  useEffect(() => {
    latest.current = { layers, copies };
  });
  const fit = useCallback(() => {
    if (!painter) return;
    const { layers: now, copies: drawn } = latest.current;
    const symmetry = now.some((l) => l.kind === 'symmetry elements' && l.items.length > 0);
    const points = extentPoints(framed(now, (drawn > 0 && cellMatters) || symmetry));
    const fitted = fitCamera(points, painter.camera.rotation, painter.size, MARGINS);
    // What is near is drawn larger in perspective and needs room.
    const room = painter.camera.optics?.fieldOfView ? 1.2 : 1;
    painter.lookFrom({ ...fitted, scale: room * fitted.scale });
  }, [painter, cellMatters]);
  const along = useCallback(
    (axis: 0 | 1 | 2) => {
      if (!painter || !structure) return;
      const axes = axisVectors(structure.cell);
      painter.lookFrom(lookAlong(painter.camera, axes[axis], axes[axis === 2 ? 1 : 2]));
      fit();
    },
    [painter, structure, fit],
  );
  useViewer(painter, scene, fit);
  useFirstLook(painter, scene, projectId, fit);
  useFitWhenMoved(scene, extent, fit, heldRef);
  useBringIntoView(painter, structure, selection);
  return { fit, along };
}

/** ms that a turn to another view takes. */
const TURNING = 320;

/** Lends the camera to the stations. */
function useViewer(painter: ScenePainter | undefined, { atoms }: SceneLayers, fit: () => void): void {
  const { setViewer } = useProject('setViewer');
  const latest = useRef(atoms);
  useEffect(() => {
    latest.current = atoms;
  });
  useEffect(() => {
    if (!painter) return;
    let frame = 0;
    setViewer({
      camera: () => painter.camera,
      drawn: () => latest.current,
      look: ({ rotation, target, scale }) => {
        cancelAnimationFrame(frame);
        const from = painter.camera;
        const began = performance.now();
        const still = matchMedia('(prefers-reduced-motion: reduce)').matches;
        const step = (): void => {
          const share = still ? 1 : Math.min(1, (performance.now() - began) / TURNING);
          const eased = share * share * (3 - 2 * share);
          painter.lookFrom({ ...painter.camera, rotation: betweenRotations(from.rotation, rotation, eased) });
          if (share < 1) frame = requestAnimationFrame(step);
          else if (target && scale) painter.lookFrom({ rotation, target, scale });
          else fit();
        };
        step();
      },
    });
    return () => {
      cancelAnimationFrame(frame);
      setViewer(undefined);
    };
  }, [painter, fit, setViewer]);
}

/** First sight of a project on a canvas: the flattest side towards the viewer. */
function useFirstLook(
  painter: ScenePainter | undefined,
  { atoms }: SceneLayers,
  projectId: string,
  fit: () => void,
): void {
  const seen = useRef<{ painter: ScenePainter; project: string } | undefined>(undefined);
  const { firstRotation } = useProject('firstRotation');
  useEffect(() => {
    if (!painter || !atoms.length) return;
    if (seen.current?.painter === painter && seen.current.project === projectId) return;
    seen.current = { painter, project: projectId };
    const rotation = firstRotation ?? bestRotation(atoms.map((a) => a.position));
    painter.lookFrom({ ...painter.camera, rotation });
    // The pane has its size only after the first layout; behind another one it has none for long.
    const end = onceSized(() => painter.size, fit);
    return () => {
      // Atoms that changed before it was fitted: it is, to those.
      if (!end()) seen.current = undefined;
    };
  }, [painter, atoms, projectId, firstRotation, fit]);
}

/** Å by which the middle of the drawing may move before it is fitted again. */
const MOVED = 1.5;

/** A model that was moved (inverted, reassembled), another extent, or symmetry elements that appear, come into view. */
function useFitWhenMoved(
  { atoms, layers }: SceneLayers,
  extent: string,
  fit: () => void,
  heldRef: RefObject<boolean>,
): void {
  const before = useRef<{ middle: Vec3; extent: string } | undefined>(undefined);
  useEffect(() => {
    if (!atoms.length) return;
    const middle = toVec3([0, 1, 2].map((k) => atoms.reduce((sum, a) => sum + a.position[k]!, 0) / atoms.length));
    const last = before.current;
    before.current = { middle, extent };
    if (heldRef.current) return;
    if (last && (last.extent !== extent || Math.hypot(...subtract(last.middle, middle)) > MOVED)) fit();
  }, [atoms, extent, fit, heldRef]);
  const had = useRef(false);
  const has = layers.some((l) => l.kind === 'symmetry elements' && l.items.length > 0);
  useEffect(() => {
    if (has && !had.current) fit();
    had.current = has;
  }, [has, fit]);
  // The shape of the crystal is larger than what is drawn within: both its coming and its going are followed.
  const hadShape = useRef(false);
  const hasShape = layers.some((l) => isShape(l) && l.items.length > 0);
  useEffect(() => {
    if (hasShape !== hadShape.current) fit();
    hadShape.current = hasShape;
  }, [hasShape, fit]);
}

/** What is chosen in a table or a plan comes in from beyond the edges. */
function useBringIntoView(
  painter: ScenePainter | undefined,
  s: Structure | undefined,
  selection: readonly AtomRef[],
): void {
  const last = selection.at(-1);
  useEffect(() => {
    if (!painter || !s || !last || !siteOf(s, last)) return;
    const { x, y } = painter.project(cartesianOf(s, [last])[0]!);
    const { width: w, height: h } = painter.size;
    const toX = Math.max(EDGE, Math.min(x, w - EDGE));
    const toY = Math.max(EDGE, Math.min(y, h - EDGE));
    // No further than it takes: what was in view stays there.
    if (toX !== x || toY !== y) painter.lookFrom(panCamera(painter.camera, toX - x, toY - y));
    // Only a new choice moves the view, not a model that changes under it.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [last]);
}
