/**
 * A scene painted by following light: spheres, ellipsoids, cylinders and faces met exactly, a soft light, shade where things stand
 * close (ambient occlusion), and an outline. Whitted 1980 (Comm. ACM 23, 343); soft shadows after Cook, Porter & Carpenter 1984
 * (Computer Graphics 18, 137).
 */
import { add, cross, dot, normalize, scale, type Vec3 } from '../math/matrix3.ts';
import type { Size } from './camera.ts';
import { channels } from './colours.ts';
import { eyeDistance } from './optics.ts';
import type { Layer, Scene } from './scene.ts';
import { BoxTree } from './ray-boxes.ts';
import { encoded, linear, solidsOf, surfaceAt, type Light3 } from './ray-solids.ts';

export const FINISHES = ['matt', 'satin', 'glossy'] as const;
export type Finish = (typeof FINISHES)[number];

export interface TraceOptions {
  /** Rays along one side of a pixel. */
  readonly samples: number;
  /** Rays to the light from each point; 0 for no shadows, 1 for hard ones. */
  readonly shadows: number;
  /** Rays into the half space over each point; 0 for none. */
  readonly occlusion: number;
  readonly outline: boolean;
  readonly finish: Finish;
  /** The ground is left clear. */
  readonly clear: boolean;
}

export const PREVIEW: TraceOptions = {
  samples: 1,
  shadows: 1,
  occlusion: 0,
  outline: true,
  finish: 'satin',
  clear: false,
};
export const FULL: TraceOptions = {
  samples: 2,
  shadows: 4,
  occlusion: 6,
  outline: true,
  finish: 'satin',
  clear: false,
};

/** The same picture on so many times as many pixels a side: lines grow with it. */
export function enlargedScene(scene: Scene, factor: number): Scene {
  const layers = scene.layers.map((l): Layer => {
    if (l.kind === 'lines') return { ...l, items: l.items.map((x) => ({ ...x, width: x.width * factor })) };
    if (l.kind === 'polyhedra') return { ...l, items: l.items.map((x) => ({ ...x, edgeWidth: x.edgeWidth * factor })) };
    return l;
  });
  return { ...scene, layers, camera: { ...scene.camera, scale: scene.camera.scale / factor } };
}

/** A rectangle of the picture, pixels. */
export interface Tile {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

const SHINE: Readonly<Record<Finish, readonly [strength: number, power: number]>> = {
  matt: [0, 1],
  satin: [0.16, 24],
  glossy: [0.5, 90],
};

/** Å: where rays leave a surface, and how far shade reaches. */
const LIFT = 1e-4,
  SHADE_REACH = 3.5;
/** Half angle of the light as it is seen, radians: the softness of its shadows. */
const SOFT = 0.12;
/** Share of the light that falls into full shadow and full shade. */
const FLOOR = 0.25;
/** Things behind one another that are looked through. */
const MOST_LAYERS = 12;
/** Å between depths at which an outline is drawn where things meet; how dark it is. */
const STEP = 0.35,
  INK = 0.3;

const GOLDEN = 0.6180339887;

/** Numbers that are the same for the same place: pictures come out alike however they are cut into tiles. */
function hashed(x: number, y: number, k: number): number {
  let h = Math.imul(x + 1, 374761393) ^ Math.imul(y + 1, 668265263) ^ Math.imul(k + 1, 2246822519);
  h = Math.imul(h ^ (h >>> 13), 1274126177);
  return ((h ^ (h >>> 16)) >>> 0) / 4294967296;
}

interface Seen {
  readonly colour: Light3;
  /** 0 where only the ground is seen. */
  readonly cover: number;
  readonly thing: number;
  /** Å towards the viewer. */
  readonly depth: number;
}

/** A scene ready to be traced at one size. */
export class Tracer {
  private readonly tree: BoxTree;
  private readonly light: Vec3;
  private readonly ground: Light3;
  private readonly eye: number;

  constructor(
    private readonly scene: Scene,
    private readonly size: Size,
    private readonly options: TraceOptions = FULL,
  ) {
    this.tree = new BoxTree(solidsOf(scene, size));
    this.light = normalize(scene.light.direction);
    const [r, g, b] = channels(scene.ground);
    this.ground = [linear(r), linear(g), linear(b)];
    this.eye = eyeDistance(scene.camera, size);
  }

  /** Red, green, blue and cover of each pixel of a tile, 0–255, not multiplied by the cover. */
  tile({ x, y, width, height }: Tile): Uint8ClampedArray {
    const { samples, outline, clear } = this.options;
    const out = new Uint8ClampedArray(4 * width * height);
    // One pixel more on each side, where an outline may begin.
    const margin = outline ? 1 : 0;
    const wide = width + 2 * margin;
    const things = new Int32Array(wide * (height + 2 * margin)),
      depths = new Float32Array(things.length);
    for (let j = -margin; j < height + margin; j++)
      for (let i = -margin; i < width + margin; i++) {
        const inside = i >= 0 && j >= 0 && i < width && j < height;
        const sum = [0, 0, 0];
        let cover = 0,
          middle: Seen | undefined;
        const count = inside ? samples : 1;
        for (let v = 0; v < count; v++)
          for (let u = 0; u < count; u++) {
            const seen = this.look(
              x + i + (u + 0.5) / count,
              y + j + (v + 0.5) / count,
              inside,
              x + i,
              y + j,
              u + count * v,
            );
            middle ??= seen;
            for (let k = 0; k < 3; k++) sum[k]! += seen.colour[k]!;
            cover += seen.cover;
          }
        const at = i + margin + wide * (j + margin);
        things[at] = middle!.thing;
        depths[at] = middle!.depth;
        if (!inside) continue;
        const n = count * count;
        const share = cover / n;
        for (let k = 0; k < 3; k++) {
          const mean = sum[k]! / n;
          // What is covered by nothing shows the ground, or nothing at all.
          const value = clear ? (share ? mean / share : 0) : mean + (1 - share) * this.ground[k]!;
          out[4 * (i + width * j) + k] = encoded(value);
        }
        out[4 * (i + width * j) + 3] = clear ? 255 * share : 255;
      }
    if (outline) this.ink(out, things, depths, width, height);
    return out;
  }

  /** Darkens pixels beside which something nearer begins. */
  private ink(out: Uint8ClampedArray, things: Int32Array, depths: Float32Array, width: number, height: number): void {
    const wide = width + 2;
    for (let j = 0; j < height; j++)
      for (let i = 0; i < width; i++) {
        const at = i + 1 + wide * (j + 1);
        const isEdge = [1, -1, wide, -wide].some(
          (step) => things[at + step] !== things[at] && depths[at]! - depths[at + step]! > STEP,
        );
        if (!isEdge || things[at]! < 0) continue;
        for (let k = 0; k < 3; k++) out[4 * (i + width * j) + k]! *= INK;
      }
  }

  /** The ray of a point of the picture, pixels. */
  private ray(px: number, py: number): { o: Vec3; d: Vec3 } {
    const { scale: perPixel } = this.scene.camera;
    const x = (px - this.size.width / 2) * perPixel,
      y = (this.size.height / 2 - py) * perPixel;
    if (this.eye === Infinity) return { o: [x, y, 1e4], d: [0, 0, -1] };
    return { o: [0, 0, this.eye], d: normalize([x, y, -this.eye]) };
  }

  /** What is seen at a point, from front to back; unshaded where only its thing and depth are asked. */
  private look(px: number, py: number, shaded: boolean, ix: number, iy: number, sample: number): Seen {
    const { o, d } = this.ray(px, py);
    let colour: Light3 = [0, 0, 0],
      left = 1,
      thing = -1,
      depth = -1e4,
      least = 0;
    for (let layer = 0; layer < MOST_LAYERS && left > 0.01; layer++) {
      const hit = this.tree.nearest(o, d, least);
      if (!hit) break;
      const x = add(o, scale(d, hit.t));
      least = hit.t + LIFT;
      if (thing === -1 && hit.solid.opacity > 0.5) {
        thing = hit.solid.thing;
        depth = x[2];
      }
      if (shaded) {
        const face = surfaceAt(hit.solid, x, d);
        const lit = this.shaded(x, d, face.normal, face.colour, ix, iy, 16 * sample + 97 * layer);
        colour = add(colour, scale(lit, left * hit.solid.opacity));
      }
      left *= 1 - hit.solid.opacity;
    }
    return { colour, cover: 1 - left, thing, depth };
  }

  private shaded(x: Vec3, d: Vec3, n: Vec3, colour: Light3, ix: number, iy: number, seed: number): Light3 {
    const { ambient } = this.scene.light;
    const start = add(x, scale(n, 10 * LIFT));
    const falls = Math.max(0, dot(n, this.light));
    const direct = falls > 0 ? this.shadow(start, ix, iy, seed) : 0;
    const open = this.openness(start, n, ix, iy, seed);
    const [strength, power] = SHINE[this.options.finish];
    const half = normalize(add(this.light, scale(d, -1)));
    const shine = direct * strength * Math.max(0, dot(n, half)) ** power;
    const soft = ambient * (FLOOR + (1 - FLOOR) * open);
    const hard = (1 - ambient) * (0.15 * open + 1.25 * falls * direct);
    return [0, 1, 2].map((k) => colour[k]! * (soft + hard) + shine) as unknown as Light3;
  }

  /** Share of the light that reaches a point. */
  private shadow(x: Vec3, ix: number, iy: number, seed: number): number {
    const { shadows } = this.options;
    if (!shadows) return 1;
    if (shadows === 1) return this.tree.through(x, this.light, LIFT, 1e4);
    const [u, v] = across(this.light);
    let sum = 0;
    for (let k = 0; k < shadows; k++) {
      // A ring of directions, turned from pixel to pixel.
      const angle = (2 * Math.PI * (k + hashed(ix, iy, seed + k))) / shadows;
      const r = SOFT * Math.sqrt(hashed(iy, ix, seed + k));
      const way = normalize(add(this.light, add(scale(u, r * Math.cos(angle)), scale(v, r * Math.sin(angle)))));
      sum += this.tree.through(x, way, LIFT, 1e4);
    }
    return sum / shadows;
  }

  /** Share of the half space over a point that nothing near stands in. */
  private openness(x: Vec3, n: Vec3, ix: number, iy: number, seed: number): number {
    const { occlusion } = this.options;
    if (!occlusion) return 1;
    const [u, v] = across(n);
    let sum = 0;
    for (let k = 0; k < occlusion; k++) {
      const angle = (2 * Math.PI * (k + hashed(ix, iy, seed + 40 + k))) / occlusion;
      // Radii in another order than angles, or the directions would lie on one spiral.
      const r = Math.sqrt((k * GOLDEN + hashed(iy, ix, seed + 40)) % 1);
      const up = Math.sqrt(Math.max(0, 1 - r * r));
      const way = add(scale(n, up), add(scale(u, r * Math.cos(angle)), scale(v, r * Math.sin(angle))));
      sum += this.tree.through(x, way, LIFT, SHADE_REACH);
    }
    return sum / occlusion;
  }
}

/** Two unit vectors at right angles to one and to each other. */
function across(n: Vec3): [Vec3, Vec3] {
  const u = normalize(cross(n, Math.abs(n[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0]));
  return [u, cross(n, u)];
}
