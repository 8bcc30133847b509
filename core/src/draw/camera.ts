/** Where the viewer stands: parallel projection along the camera's third row. */
import {
  eigenSymmetric3,
  IDENTITY3,
  multiply3,
  scale,
  toMat3,
  transpose3,
  turn,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';
import { magnification } from './optics.ts';
import type { Camera, Layer } from './scene.ts';

export interface Size {
  readonly width: number;
  readonly height: number;
}

/** Pixels, y downwards; depth in Å towards the viewer. */
export interface ScreenPoint {
  readonly x: number;
  readonly y: number;
  readonly depth: number;
}

/** A vector in the viewer's axes: right, up, towards the viewer. */
export const toViewer = ({ rotation: r }: Camera, v: Vec3): Vec3 => [
  r[0] * v[0] + r[1] * v[1] + r[2] * v[2],
  r[3] * v[0] + r[4] * v[1] + r[5] * v[2],
  r[6] * v[0] + r[7] * v[1] + r[8] * v[2],
];

export function project(camera: Camera, size: Size, p: Vec3): ScreenPoint {
  const { target, scale } = camera;
  const v = toViewer(camera, [p[0] - target[0], p[1] - target[1], p[2] - target[2]]);
  const zoom = magnification(camera, size, v[2]) / scale;
  return { x: size.width / 2 + v[0] * zoom, y: size.height / 2 - v[1] * zoom, depth: v[2] };
}

/** Points that a picture must hold: of the layers that show matter and the cell, with their radii. */
export function extentPoints(layers: readonly Layer[]): { readonly at: Vec3; readonly radius: number }[] {
  return layers.flatMap((layer): { at: Vec3; radius: number }[] => {
    switch (layer.kind) {
      case 'atoms':
        return layer.items.map((a) => ({ at: a.position, radius: Math.max(...a.axes.map((v) => Math.hypot(...v))) }));
      case 'lines':
        return layer.items.flatMap((l) => [
          { at: l.from, radius: 0 },
          { at: l.to, radius: 0 },
        ]);
      case 'polyhedra':
        return layer.items.flatMap((p) => p.vertices.map((at) => ({ at, radius: 0 })));
      case 'planes':
        return layer.items.flatMap((p) => p.corners.map((at) => ({ at, radius: 0 })));
      case 'symmetry elements':
        return layer.items.flatMap((p) => p.points.map((at) => ({ at, radius: 0 })));
      default:
        return [];
    }
  });
}

/** Rotation whose rows are the principal axes of points, so that their flattest side faces the viewer. */
export function bestRotation(points: readonly Vec3[]): Mat3 {
  if (points.length < 2) return IDENTITY3;
  const centre = [0, 1, 2].map((k) => points.reduce((sum, p) => sum + p[k]!, 0) / points.length);
  const m = new Array<number>(9).fill(0);
  for (const p of points)
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++) m[3 * i + j]! += (p[i]! - centre[i]!) * (p[j]! - centre[j]!);
  const e = eigenSymmetric3(toMat3(m)).vectors;
  const x = e[2],
    y = e[1];
  const z: Vec3 = [x[1] * y[2] - x[2] * y[1], x[2] * y[0] - x[0] * y[2], x[0] * y[1] - x[1] * y[0]];
  return toMat3([...x, ...y, ...z]);
}

export interface Margins {
  readonly left: number;
  readonly right: number;
  readonly top: number;
  readonly bottom: number;
}

const NO_MARGINS: Margins = { left: 8, right: 8, top: 8, bottom: 8 };

/** The camera that holds all points within the margins (pixels), seen with a rotation. */
export function fitCamera(
  points: readonly { readonly at: Vec3; readonly radius: number }[],
  rotation: Mat3,
  size: Size,
  margins: Margins = NO_MARGINS,
): Camera {
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  const view: Camera = { rotation, target: [0, 0, 0], scale: 1 };
  for (const { at, radius } of points) {
    const v = toViewer(view, at);
    for (let k = 0; k < 3; k++) {
      low[k] = Math.min(low[k]!, v[k]! - radius);
      high[k] = Math.max(high[k]!, v[k]! + radius);
    }
  }
  if (!points.length) {
    low.fill(-3);
    high.fill(3);
  }
  const width = Math.max(40, size.width - margins.left - margins.right);
  const height = Math.max(40, size.height - margins.top - margins.bottom);
  const scale = Math.max((high[0]! - low[0]!) / width, (high[1]! - low[1]!) / height, 3 / Math.min(width, height));
  // The middle of what is drawn goes to the middle of what the margins leave.
  const x = (low[0]! + high[0]!) / 2 - ((margins.left - margins.right) / 2) * scale;
  const y = (low[1]! + high[1]!) / 2 + ((margins.top - margins.bottom) / 2) * scale;
  const z = (low[2]! + high[2]!) / 2;
  const r = rotation;
  return {
    rotation,
    scale,
    target: [r[0] * x + r[3] * y + r[6] * z, r[1] * x + r[4] * y + r[7] * z, r[2] * x + r[5] * y + r[8] * z],
  };
}

/** The camera of a first look at a structure: flattest side forward, everything in the picture. */
export function firstCamera(layers: readonly Layer[], size: Size): Camera {
  const points = extentPoints(layers);
  const atoms = layers.flatMap((l) => (l.kind === 'atoms' ? l.items.map((a) => a.position) : []));
  return fitCamera(points, bestRotation(atoms.length ? atoms : points.map((p) => p.at)), size);
}

/** Rows brought back to unit length and right angles: many small turns drift. */
function squared(r: Mat3): Mat3 {
  const unit = (v: Vec3): Vec3 => {
    const n = Math.hypot(...v) || 1;
    return [v[0] / n, v[1] / n, v[2] / n];
  };
  const x = unit([r[0], r[1], r[2]]);
  const along = r[3] * x[0] + r[4] * x[1] + r[5] * x[2];
  const y = unit([r[3] - along * x[0], r[4] - along * x[1], r[5] - along * x[2]]);
  return toMat3([...x, ...y, x[1] * y[2] - x[2] * y[1], x[2] * y[0] - x[0] * y[2], x[0] * y[1] - x[1] * y[0]]);
}

/** Turns what is seen by angles (radians) about the screen's vertical, its horizontal, and the line of sight. */
export function turnCamera(camera: Camera, about: { up?: number; right?: number; sight?: number }): Camera {
  const { up = 0, right = 0, sight = 0 } = about;
  const [cy, sy] = [Math.cos(up), Math.sin(up)];
  const [cx, sx] = [Math.cos(right), Math.sin(right)];
  const [cz, sz] = [Math.cos(sight), Math.sin(sight)];
  const y: Mat3 = [cy, 0, sy, 0, 1, 0, -sy, 0, cy];
  const x: Mat3 = [1, 0, 0, 0, cx, -sx, 0, sx, cx];
  const z: Mat3 = [cz, -sz, 0, sz, cz, 0, 0, 0, 1];
  return { ...camera, rotation: squared(multiply3(y, multiply3(x, multiply3(z, camera.rotation)))) };
}

/** Moves what is seen across the screen, pixels. */
export function panCamera(camera: Camera, dx: number, dy: number): Camera {
  const { rotation: r, scale } = camera;
  const [u, v] = [-dx * scale, dy * scale];
  const t = camera.target;
  return {
    ...camera,
    target: [t[0] + u * r[0] + v * r[3], t[1] + u * r[1] + v * r[4], t[2] + u * r[2] + v * r[5]],
  };
}

/** Å per pixel between a whole crystal and a single atom. */
const SCALE_RANGE = [0.0005, 2] as const;

/** Larger by a factor, the middle of the picture staying. */
export const zoomCamera = (camera: Camera, factor: number): Camera => ({
  ...camera,
  scale: Math.min(SCALE_RANGE[1], Math.max(SCALE_RANGE[0], camera.scale / factor)),
});

/** Looks along a direction (from its tip towards its foot), another pointing up. */
export function lookAlong(camera: Camera, direction: Vec3, up: Vec3): Camera {
  const length = Math.hypot(...direction) || 1;
  const z: Vec3 = [direction[0] / length, direction[1] / length, direction[2] / length];
  const along = up[0] * z[0] + up[1] * z[1] + up[2] * z[2];
  const y: Vec3 = [up[0] - along * z[0], up[1] - along * z[1], up[2] - along * z[2]];
  const n = Math.hypot(...y);
  // Any direction will do as up where the one asked for points at the viewer.
  if (n < 1e-9) return lookAlong(camera, direction, Math.abs(z[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0]);
  const v: Vec3 = [y[0] / n, y[1] / n, y[2] / n];
  const x: Vec3 = [v[1] * z[2] - v[2] * z[1], v[2] * z[0] - v[0] * z[2], v[0] * z[1] - v[1] * z[0]];
  return { ...camera, rotation: toMat3([...x, ...v, ...z]) };
}

/** Cartesian vector of a move across the screen, pixels. */
export function screenVector({ rotation: r, scale }: Camera, dx: number, dy: number): Vec3 {
  const [u, v] = [dx * scale, -dy * scale];
  return [u * r[0] + v * r[3], u * r[1] + v * r[4], u * r[2] + v * r[5]];
}

/** The rotation a share of the way from one to another, about the one axis that joins them. */
export function betweenRotations(a: Mat3, b: Mat3, share: number): Mat3 {
  const d = multiply3(b, transpose3(a));
  const sine: Vec3 = [(d[7] - d[5]) / 2, (d[2] - d[6]) / 2, (d[3] - d[1]) / 2];
  const length = Math.hypot(...sine);
  const angle = Math.atan2(length, (d[0] + d[4] + d[8] - 1) / 2);
  if (angle < 1e-9) return b;
  // Half a turn has no sine; its axis is the eigenvector of D that stays.
  const axis: Vec3 = length > 1e-6 ? scale(sine, 1 / length) : eigenSymmetric3(d).vectors[2];
  const columns = [0, 1, 2].map((k) => turn([a[k]!, a[3 + k]!, a[6 + k]!], axis, angle * share));
  return toMat3([0, 1, 2].flatMap((row) => columns.map((c) => c[row]!)));
}
