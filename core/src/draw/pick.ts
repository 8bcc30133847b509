/** What stands under a point of the screen. */
import { dot, subtract, toVec3, type Vec3 } from '../math/matrix3.ts';
import type { ScreenPoint, Size } from './camera.ts';
import { depthOf, eyeDistance } from './optics.ts';
import type { AtomPrimitive, Camera, ElementPrimitive } from './scene.ts';

interface Ray {
  readonly from: Vec3;
  /** Away from the viewer; of any length. */
  readonly along: Vec3;
}

/** The line of sight through a point of the screen (pixels, y downwards). */
function sight(camera: Camera, size: Size, x: number, y: number): Ray {
  const { rotation: r, target, scale } = camera;
  const u = (x - size.width / 2) * scale,
    v = (size.height / 2 - y) * scale;
  const at = toVec3(([0, 1, 2] as const).map((k) => target[k] + u * r[k]! + v * r[3 + k]!));
  const back: Vec3 = [r[6], r[7], r[8]];
  const far = eyeDistance(camera, size);
  if (far === Infinity) return { from: at, along: [-back[0], -back[1], -back[2]] };
  const eye = toVec3(target.map((t, k) => t + far * back[k]!));
  return { from: eye, along: subtract(at, eye) };
}

/** Where a line enters and leaves an ellipsoid, in units of its direction; undefined where it misses. */
function crossings({ from, along }: Ray, a: AtomPrimitive): readonly [number, number] | undefined {
  const away = subtract(from, a.position);
  // In the axes of the ellipsoid it is the unit sphere: |o + t d|² = 1.
  let dd = 0,
    od = 0,
    oo = -1;
  for (const axis of a.axes) {
    const square = dot(axis, axis);
    const o = dot(away, axis) / square,
      d = dot(along, axis) / square;
    dd += d * d;
    od += o * d;
    oo += o * o;
  }
  const root = od * od - dd * oo;
  if (root < 0) return undefined;
  const half = Math.sqrt(root);
  return [(-od - half) / dd, (-od + half) / dd];
}

/**
 * The nearest atom under a point of the screen (pixels), of those that are not cut off in front or behind.
 */
export function atomUnder(
  atoms: readonly AtomPrimitive[],
  camera: Camera,
  size: Size,
  x: number,
  y: number,
): AtomPrimitive | undefined {
  const ray = sight(camera, size, x, y);
  const front = camera.optics?.front ?? Infinity,
    back = camera.optics?.back ?? Infinity;
  const perspective = eyeDistance(camera, size) !== Infinity;
  let best: AtomPrimitive | undefined,
    nearest = Infinity;
  for (const a of atoms) {
    for (const t of crossings(ray, a) ?? []) {
      if (t >= nearest || (perspective && t <= 0)) continue;
      const at = toVec3(ray.from.map((p, k) => p + t * ray.along[k]!));
      const depth = depthOf(camera, at);
      if (depth > front || depth < -back) continue;
      nearest = t;
      best = a;
    }
  }
  return best;
}

/** The symmetry element under a point of the screen: centres first, then axes, then planes; `project` gives pixels. */
export function elementUnder(
  elements: readonly ElementPrimitive[],
  project: (p: Vec3) => ScreenPoint,
  x: number,
  y: number,
): ElementPrimitive | undefined {
  let best: { element: ElementPrimitive; cost: number } | undefined;
  for (const element of elements) {
    const cost = distanceOnScreen(element.points.map(project), x, y);
    if (cost < (best?.cost ?? Infinity)) best = { element, cost };
  }
  return best?.element;
}

/** How well a point of the screen hits a projected element: below 10 for a centre, 20–28 for an axis, about 100 inside a plane. */
function distanceOnScreen(q: readonly ScreenPoint[], x: number, y: number): number {
  if (q.length === 1) {
    const d = Math.hypot(q[0]!.x - x, q[0]!.y - y);
    return d < 10 ? d : Infinity;
  }
  if (q.length === 2) {
    const [a, b] = q as [ScreenPoint, ScreenPoint];
    const square = (b.x - a.x) ** 2 + (b.y - a.y) ** 2;
    const k = square ? Math.max(0, Math.min(1, ((x - a.x) * (b.x - a.x) + (y - a.y) * (b.y - a.y)) / square)) : 0;
    const d = Math.hypot(a.x + k * (b.x - a.x) - x, a.y + k * (b.y - a.y) - y);
    return d < 8 ? 20 + d : Infinity;
  }
  let inside = false;
  for (let i = 0, j = q.length - 1; i < q.length; j = i++) {
    const p = q[i]!,
      r = q[j]!;
    if (p.y > y !== r.y > y && x < ((r.x - p.x) * (y - p.y)) / (r.y - p.y) + p.x) inside = !inside;
  }
  return inside ? 100 - Math.max(...q.map((p) => p.depth)) * 0.01 : Infinity;
}
