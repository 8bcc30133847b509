/** How depth is shown: perspective, fading into the ground, and cutting off what is too near or too far. */
import type { Vec3 } from '../math/matrix3.ts';
import type { Size } from './camera.ts';
import { toViewer } from './camera.ts';
import { mixColours } from './colours.ts';
import type { Camera, Layer, Optics, Scene } from './scene.ts';

export const PLAIN_OPTICS: Optics = { fieldOfView: 0, cue: 0 };

/** Å from the viewer's eye to the camera's target; Infinity where the projection is parallel. */
export function eyeDistance(camera: Camera, size: Size): number {
  const angle = camera.optics?.fieldOfView ?? 0;
  return angle > 0 ? (size.height * camera.scale) / 2 / Math.tan((angle * Math.PI) / 360) : Infinity;
}

/** By how much what lies at a depth (Å towards the viewer) is enlarged. */
export function magnification(camera: Camera, size: Size, depth: number): number {
  const far = eyeDistance(camera, size);
  if (far === Infinity) return 1;
  // What stands behind the eye is cut off by whoever paints; it must only not turn inside out.
  return far / Math.max(0.02 * far, far - depth);
}

/** Nearest and furthest depth of a scene's atoms and corners, Å. */
export function depthRange(layers: readonly Layer[], camera: Camera): { near: number; far: number } {
  let near = -Infinity,
    far = Infinity;
  const see = (p: Vec3): void => {
    const d = depthOf(camera, p);
    near = Math.max(near, d);
    far = Math.min(far, d);
  };
  for (const l of layers) {
    if (l.name !== 'model') continue;
    if (l.kind === 'atoms') for (const a of l.items) see(a.position);
    if (l.kind === 'polyhedra') for (const p of l.items) p.vertices.forEach(see);
  }
  return near < far ? { near: 0, far: 0 } : { near, far };
}

/** Å towards the viewer from the camera's target. */
export const depthOf = (camera: Camera, p: Vec3): number => {
  const { target } = camera;
  return toViewer(camera, [p[0] - target[0], p[1] - target[1], p[2] - target[2]])[2];
};

const between = (p: Vec3, q: Vec3): Vec3 => [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2, (p[2] + q[2]) / 2];
const meanOf = (points: readonly Vec3[]): Vec3 =>
  [0, 1, 2].map((k) => points.reduce((sum, p) => sum + p[k]!, 0) / points.length) as never;

/** The scene with its optics worked into it: far colours nearer to the ground, what is cut off left out. */
export function seenScene(scene: Scene): Scene {
  const { optics } = scene.camera;
  if (!optics || (!optics.cue && optics.front === undefined && optics.back === undefined)) return scene;
  const { near, far } = depthRange(scene.layers, scene.camera);
  const shown = (at: Vec3): boolean => {
    const d = depthOf(scene.camera, at);
    return !(d > (optics.front ?? Infinity) || d < -(optics.back ?? Infinity));
  };
  const faded = (colour: string, at: Vec3): string => {
    if (!optics.cue || near === far) return colour;
    const back = Math.max(0, Math.min(1, (near - depthOf(scene.camera, at)) / (near - far)));
    return mixColours(colour, scene.ground, optics.cue * back);
  };
  const layers = scene.layers.map((l): Layer => seenLayer(l, shown, faded));
  return { ...scene, layers };
}

function seenLayer(l: Layer, shown: (at: Vec3) => boolean, faded: (colour: string, at: Vec3) => string): Layer {
  switch (l.kind) {
    case 'atoms': {
      // Bonds name their atoms by index, so atoms that are cut off stay in the list and are not seen.
      const gone = (at: Vec3): number => (shown(at) ? 1 : 0);
      const items = l.items.map((a) => ({
        ...a,
        colour: faded(a.colour, a.position),
        opacity: a.opacity * gone(a.position),
        ...(a.sectors ? { sectors: a.sectors.map((x) => ({ ...x, colour: faded(x.colour, a.position) })) } : {}),
      }));
      return { ...l, items };
    }
    case 'halos':
      return { ...l, items: l.items.filter((a) => shown(a.position)) };
    case 'bonds':
      return {
        ...l,
        items: l.items
          .filter((b) => shown(between(b.from, b.to)))
          .map((b) => ({ ...b, colours: [faded(b.colours[0], b.from), faded(b.colours[1], b.to)] as const })),
      };
    case 'polyhedra':
      return {
        ...l,
        items: l.items
          .filter((p) => shown(meanOf(p.vertices)))
          .map((p) => {
            const at = meanOf(p.vertices);
            return { ...p, colour: faded(p.colour, at), edgeColour: faded(p.edgeColour, at) };
          }),
      };
    case 'lines':
      return {
        ...l,
        items: l.items
          .filter((x) => l.name === 'cell' || shown(between(x.from, x.to)))
          .map((x) => ({ ...x, colour: faded(x.colour, between(x.from, x.to)) })),
      };
    case 'labels':
      return { ...l, items: l.items.filter((x) => l.name === 'cell' || shown(x.at)) };
    default:
      return l;
  }
}
