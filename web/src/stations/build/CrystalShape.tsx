/** The shape of a crystal, to choose a face by clicking it; turned by dragging. */
import { useMemo, useRef, useState, type PointerEvent, type ReactNode } from 'react';
import type { CrystalFace } from '@nagare/core/space/crystal-shape';
import { lookAlong, toViewer, turnCamera } from '@nagare/core/draw/camera';
import type { Camera } from '@nagare/core/draw/scene';
import { add, dot, IDENTITY3, normalize, scale, type Vec3 } from '@nagare/core/math/matrix3';

const SIZE = 150;
/** Radians a pixel turns, and pixels that are still a click. */
const SPEED = 0.012,
  CLICK = 4;
/** Of a face towards the viewer, in units of the nearest face’s distance squared: less has no room for its name. */
const LABELLED = 0.35,
  /** Pixels that a name takes. */
  NAME_WIDTH = 38;
/** From the side of positive indices, a little from above, so that three faces show. */
const FROM: Vec3 = normalize([0.75, 0.5, 0.42]);
const UP: Vec3 = [0, 0, 1];
/** The largest face is turned towards the viewer where it would be seen at less than this cosine: a plate on edge is a line. */
const ON_EDGE = 0.35;

function firstView(faces: readonly CrystalFace[]): Camera {
  const plain: Camera = { rotation: IDENTITY3, target: [0, 0, 0], scale: 1 };
  const largest = faces[0]?.normal ?? FROM;
  const facing = dot(largest, FROM);
  if (Math.abs(facing) >= ON_EDGE) return lookAlong(plain, FROM, UP);
  return lookAlong(plain, add(scale(FROM, 0.6), scale(largest, facing < 0 ? -1 : 1)), UP);
}

interface CrystalShapeProps {
  readonly faces: readonly CrystalFace[];
  readonly chosen: Vec3;
  /** What a click on a face does, before its name. */
  readonly act: string;
  onPick(hkl: Vec3): void;
}

const words = (hkl: Vec3): string => `(${hkl.map((x) => (x < 0 ? `−${-x}` : x)).join(' ')})`;

interface ShownFace {
  readonly face: CrystalFace;
  readonly points: string;
  readonly middle: readonly [number, number];
  /** 0 edge-on … 1 facing. */
  readonly facing: number;
  /** Pixels across. */
  readonly wide: number;
}

/** Faces towards the viewer, in pixels. */
function shownFaces(faces: readonly CrystalFace[], camera: Camera): ShownFace[] {
  const furthest = Math.max(...faces.flatMap((f) => f.corners.map((c) => Math.hypot(...c))));
  const zoom = (0.48 * SIZE) / furthest;
  const flat = (v: Vec3): readonly [number, number] => {
    const [x, y] = toViewer(camera, v);
    return [SIZE / 2 + zoom * x, SIZE / 2 - zoom * y];
  };
  return faces.flatMap((face): ShownFace[] => {
    const facing = toViewer(camera, face.normal)[2];
    if (facing < 0.02) return [];
    const at = face.corners.map(flat);
    const across = at.map((p) => p[0]);
    const wide = Math.max(...across) - Math.min(...across);
    const middle = [0, 1].map((k) => at.reduce((sum, p) => sum + p[k]!, 0) / at.length) as [number, number];
    return [{ face, facing, middle, wide, points: at.map((p) => p.map((x) => x.toFixed(1)).join()).join(' ') }];
  });
}

export function CrystalShape({ faces, chosen, act, onPick }: CrystalShapeProps): ReactNode {
  const [camera, setCamera] = useState(() => firstView(faces));
  const grip = useRef<{ x: number; y: number; moved: boolean } | undefined>(undefined);
  const nearest = Math.min(...faces.map((f) => f.distance));
  const shown = useMemo(() => shownFaces(faces, camera), [faces, camera]);
  const drag = (e: PointerEvent): void => {
    const from = grip.current;
    if (!from || (!from.moved && Math.hypot(e.clientX - from.x, e.clientY - from.y) < CLICK)) return;
    setCamera((c) => turnCamera(c, { up: (e.clientX - from.x) * SPEED, right: (e.clientY - from.y) * SPEED }));
    grip.current = { x: e.clientX, y: e.clientY, moved: true };
  };
  return (
    <svg
      className="crystal-shape"
      width={SIZE}
      height={SIZE}
      viewBox={`0 0 ${SIZE} ${SIZE}`}
      role="group"
      aria-label="The shape of the crystal. Turn it by dragging; click a face."
      onPointerDown={(e) => (grip.current = { x: e.clientX, y: e.clientY, moved: false })}
      onPointerMove={drag}
      onPointerLeave={() => (grip.current = undefined)}
    >
      {shown.map(({ face, points, middle, facing, wide }) => {
        const name = words(face.hkl);
        const pick = (): void => {
          const moved = grip.current?.moved;
          grip.current = undefined;
          if (!moved) onPick(face.hkl);
        };
        return (
          <g
            key={name}
            role="button"
            tabIndex={0}
            aria-label={`${act} ${name}`}
            className={face.hkl.join() === chosen.join() ? 'face chosen' : 'face'}
            onPointerUp={pick}
            onKeyDown={(e) => {
              if (e.key === 'Enter') onPick(face.hkl);
            }}
          >
            <polygon points={points} fillOpacity={0.25 + 0.5 * facing} />
            {facing * face.area > LABELLED * nearest ** 2 && wide > NAME_WIDTH && (
              <text x={middle[0]} y={middle[1]}>
                {name}
              </text>
            )}
          </g>
        );
      })}
    </svg>
  );
}
