/** A crystal by itself in three dimensions, for dialogs: turned by dragging and by arrow keys, nothing to pick. */
import './scene.scss';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, type PointerEvent, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { SceneWish } from '@nagare/core/draw/build-scene';
import { extentPoints, firstCamera, fitCamera, turnCamera, zoomCamera } from '@nagare/core/draw/camera';
import type { SceneColours } from '@nagare/core/draw/colours';
import { poreLayers, type PoreMark } from '@nagare/core/draw/extra-layers';
import type { FirstLook } from '@nagare/core/draw/first-look';
import type { Layer } from '@nagare/core/draw/scene';
import { run } from '../engine/engine.ts';
import { useSceneColours } from './scene-colours.ts';
import { usePainted, usePainter } from './use-painter.ts';

/** Radians a pixel of dragging and a key turn. */
const DRAG = 0.01,
  STEP = 0.12;
const NOTHING: readonly Layer[] = [];

interface ModelViewProps {
  readonly structure: Structure;
  /** What tells one structure from another. */
  readonly name: unknown;
  readonly pores: readonly PoreMark[];
}

const wishOf = (look: FirstLook, colours: SceneColours): SceneWish => ({
  extent: { kind: look.extent },
  rules: [{ which: { kind: 'all' }, style: { look: look.look === 'ellipsoids' ? 'balls' : look.look } }],
  showCell: true,
  labels: 'none',
  colours,
  polyhedra: [],
  added: [],
});

/** Layers of a structure as it is best seen first, built in a worker. */
function useModel(structure: Structure, name: unknown, colours: SceneColours) {
  const query = useQuery({
    queryKey: ['model view', name, colours.ground],
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    structuralSharing: false,
    queryFn: async () => {
      const look = await run('first look', { structure }).result;
      const layers = await run('scene', { structure, wish: wishOf(look, colours) }).result;
      return { layers, look };
    },
  });
  return query.data;
}

export function ModelView({ structure, name, pores }: ModelViewProps): ReactNode {
  const host = useRef<HTMLDivElement>(null);
  const overlay = useRef<HTMLCanvasElement>(null);
  const grip = useRef<{ x: number; y: number } | undefined>(undefined);
  const turned = useRef(false);
  const colours = useSceneColours();
  const model = useModel(structure, name, colours);
  const { painter, failed } = usePainter({ host, overlay }, true);
  const layers = useMemo(
    () => (model ? [...model.layers, ...poreLayers(structure, pores, colours)] : NOTHING),
    [model, structure, pores, colours],
  );
  usePainted(painter, overlay, layers, colours.ground);
  useEffect(() => {
    if (!painter || !model) return;
    const points = extentPoints(model.layers);
    // Whoever has turned it keeps looking from there.
    const rotation = turned.current ? painter.camera.rotation : model.look.rotation;
    painter.lookFrom(points.length ? fitCamera(points, rotation, painter.size) : firstCamera([], painter.size));
  }, [painter, model]);
  if (failed) return <p className="soft mb-0">{failed}</p>;
  const turn = (up: number, right: number): void => {
    turned.current = true;
    painter?.lookFrom(turnCamera(painter.camera, { up, right }));
  };
  const keys: Readonly<Record<string, () => void>> = {
    ArrowLeft: () => turn(-STEP, 0),
    ArrowRight: () => turn(STEP, 0),
    ArrowUp: () => turn(0, -STEP),
    ArrowDown: () => turn(0, STEP),
    '+': () => painter?.lookFrom(zoomCamera(painter.camera, 1.15)),
    '-': () => painter?.lookFrom(zoomCamera(painter.camera, 1 / 1.15)),
  };
  const moved = (e: PointerEvent): void => {
    const from = grip.current;
    if (!from) return;
    turn((e.clientX - from.x) * DRAG, (e.clientY - from.y) * DRAG);
    grip.current = { x: e.clientX, y: e.clientY };
  };
  return (
    <div
      ref={host}
      className="scene-host model-view"
      tabIndex={0}
      role="application"
      aria-label="The crystal as it is typed. Arrow keys turn it, plus and minus zoom."
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        grip.current = { x: e.clientX, y: e.clientY };
      }}
      onPointerMove={moved}
      onPointerUp={() => (grip.current = undefined)}
      onWheel={(e) => painter?.lookFrom(zoomCamera(painter.camera, Math.exp(-e.deltaY * 0.0012)))}
      onKeyDown={(e) => {
        const act = keys[e.key];
        if (!act) return;
        e.preventDefault();
        act();
      }}
    >
      <canvas ref={overlay} className="labels" />
    </div>
  );
}
