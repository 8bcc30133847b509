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
import { encoded, linear, solidsOf, surfaceAt, type Light3, type Solid } from './ray-solids.ts';

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
  shadows: 6,
  occlusion: 8,
  outline: true,
  finish: 'satin',
  clear: false,
};

/** Pixels across from which a picture's grain is too fine to be seen: half of the light rays do. */
const FINE_GRAIN = 2500;

/** How a picture of a width (pixels) is traced. */
export const fullOptions = (width: number): TraceOptions =>
  width < FINE_GRAIN ? FULL : { ...FULL, shadows: FULL.shadows / 2, occlusion: FULL.occlusion / 2 };

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
}

/** What stands at the middles of the pixels of a tile. */
interface Marks {
  readonly things: Int32Array;
  readonly faces: Int32Array;
  /** Å towards the viewer. */
  readonly depths: Float32Array;
  /** What the ray through the middle of each pixel met. */
  readonly hits: (readonly Hit[])[];
}

interface Hit {
  readonly solid: Solid;
  readonly t: number;
}

/** The name of what has details on it. */
const DETAILED = -2;
/** Light that still comes from behind, below which nobody looks. */
const SEEN = 0.01;
/** How many times as many light rays a pixel's only ray sends as one of several. */
const EVEN_GAIN = 2;
const FAR = 1e4;

/** A scene ready to be traced at one size. */
export class Tracer {
  private readonly tree: BoxTree;
  private readonly light: Vec3;
  private readonly ground: Light3;
  private readonly eye: number;
  private readonly besideLight: readonly [Vec3, Vec3];

  constructor(
    private readonly scene: Scene,
    private readonly size: Size,
    private readonly options: TraceOptions = FULL,
  ) {
    this.tree = new BoxTree(solidsOf(scene, size));
    this.light = normalize(scene.light.direction);
    this.besideLight = across(this.light);
    const [r, g, b] = channels(scene.ground);
    this.ground = [linear(r), linear(g), linear(b)];
    this.eye = eyeDistance(scene.camera, size);
  }

  /** Red, green, blue and cover of each pixel of a tile, 0–255, not multiplied by the cover. */
  tile({ x, y, width, height }: Tile): Uint8ClampedArray {
    const out = new Uint8ClampedArray(4 * width * height);
    // One pixel more on each side, where an outline or another thing may begin.
    const wide = width + 2;
    const marks: Marks = {
      things: new Int32Array(wide * (height + 2)),
      faces: new Int32Array(wide * (height + 2)),
      depths: new Float32Array(wide * (height + 2)),
      hits: [],
    };
    for (let j = -1; j <= height; j++)
      for (let i = -1; i <= width; i++) {
        const seen = this.glance(x + i + 0.5, y + j + 0.5);
        const at = i + 1 + wide * (j + 1);
        marks.things[at] = seen.thing;
        marks.faces[at] = seen.face;
        marks.depths[at] = seen.depth;
        marks.hits[at] = seen.hits;
      }
    for (let j = 0; j < height; j++)
      for (let i = 0; i < width; i++) {
        const at = i + 1 + wide * (j + 1);
        const even = this.isEven(marks.faces, at, wide) ? marks.hits[at] : undefined;
        this.pixel(out, 4 * (i + width * j), x + i, y + j, even);
      }
    if (this.options.outline) this.ink(out, marks.things, marks.depths, width, height);
    return out;
  }

  /** Whether a pixel and all around it show the same: one ray tells what several would. */
  private isEven(faces: Int32Array, at: number, wide: number): boolean {
    const face = faces[at]!;
    return (
      face !== DETAILED &&
      face === faces[at - 1] &&
      face === faces[at + 1] &&
      face === faces[at - wide] &&
      face === faces[at + wide] &&
      face === faces[at - wide - 1] &&
      face === faces[at - wide + 1] &&
      face === faces[at + wide - 1] &&
      face === faces[at + wide + 1]
    );
  }

  /** `even`: what its only ray meets, where one is enough. */
  private pixel(out: Uint8ClampedArray, at: number, x: number, y: number, even: readonly Hit[] | undefined): void {
    const { samples, clear } = this.options;
    // An even pixel has one ray with more light rays, another one several with fewer.
    const count = even ? 1 : samples;
    const share = even ? 1 : 1 / EVEN_GAIN;
    let red = 0,
      green = 0,
      blue = 0,
      cover = 0;
    for (let v = 0; v < count; v++)
      for (let u = 0; u < count; u++) {
        const seen = this.look(x + (u + 0.5) / count, y + (v + 0.5) / count, x, y, u + count * v, share, even);
        red += seen.colour[0];
        green += seen.colour[1];
        blue += seen.colour[2];
        cover += seen.cover;
      }
    const n = count * count;
    const covered = cover / n;
    const sum = [red, green, blue];
    for (let k = 0; k < 3; k++) {
      const mean = sum[k]! / n;
      // What is covered by nothing shows the ground, or nothing at all.
      const value = clear ? (covered ? mean / covered : 0) : mean + (1 - covered) * this.ground[k]!;
      out[at + k] = encoded(value);
    }
    out[at + 3] = clear ? 255 * covered : 255;
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

  /** What stands at a point without its light: the thing an outline goes around, its depth, and a name for all that is seen there. */
  private glance(px: number, py: number): { thing: number; face: number; depth: number; hits: readonly Hit[] } {
    const { o, d } = this.ray(px, py);
    const hits: Hit[] = [];
    let thing = -1,
      depth = -1e4,
      face = -1,
      left = 1,
      least = 0;
    for (let layer = 0; layer < MOST_LAYERS && left > SEEN; layer++) {
      const hit = this.tree.nearest(o, d, least);
      if (!hit) break;
      least = hit.t + LIFT;
      hits.push(hit);
      if (thing === -1 && hit.solid.opacity > 0.5) {
        thing = hit.solid.thing;
        depth = o[2] + d[2] * hit.t;
      }
      left *= 1 - hit.solid.opacity;
      if (isDetailed(hit.solid)) face = DETAILED;
      else if (face !== DETAILED) face = (Math.imul(face + 2, 31) + nameOf(hit.solid)) & 0x3fffffff;
    }
    return { thing, face, depth, hits };
  }

  /** What is seen at a point, from front to back; `share` of the rays to the light and around, `known` what it meets. */
  private look(
    px: number,
    py: number,
    ix: number,
    iy: number,
    sample: number,
    share: number,
    known: readonly Hit[] | undefined,
  ): Seen {
    const { o, d } = this.ray(px, py);
    let colour: Light3 = [0, 0, 0],
      left = 1,
      least = 0;
    for (let layer = 0; layer < MOST_LAYERS && left > SEEN; layer++) {
      const hit = known ? known[layer] : this.tree.nearest(o, d, least);
      if (!hit) break;
      const x = add(o, scale(d, hit.t));
      least = hit.t + LIFT;
      const face = surfaceAt(hit.solid, x, d);
      const weight = left * hit.solid.opacity;
      // What shows faintly through others needs fewer rays.
      const part = share * Math.min(1, 1.5 * weight);
      const lit = this.shaded(x, d, face.normal, face.colour, ix, iy, 16 * sample + 97 * layer, part);
      colour = add(colour, scale(lit, weight));
      left *= 1 - hit.solid.opacity;
    }
    return { colour, cover: 1 - left };
  }

  private shaded(
    x: Vec3,
    d: Vec3,
    n: Vec3,
    colour: Light3,
    ix: number,
    iy: number,
    seed: number,
    part: number,
  ): Light3 {
    const { ambient } = this.scene.light;
    const start = add(x, scale(n, 10 * LIFT));
    const falls = Math.max(0, dot(n, this.light));
    const direct = falls > 0 ? this.shadow(start, ix, iy, seed, part) : 0;
    const open = this.openness(start, n, ix, iy, seed, part);
    const [strength, power] = SHINE[this.options.finish];
    const half = normalize(add(this.light, scale(d, -1)));
    const shine = direct * strength * Math.max(0, dot(n, half)) ** power;
    const soft = ambient * (FLOOR + (1 - FLOOR) * open);
    const hard = (1 - ambient) * (0.15 * open + 1.25 * falls * direct);
    return [0, 1, 2].map((k) => colour[k]! * (soft + hard) + shine) as unknown as Light3;
  }

  /** Share of the light that reaches a point. */
  private shadow(x: Vec3, ix: number, iy: number, seed: number, part: number): number {
    const { shadows } = this.options;
    if (!shadows) return 1;
    const [lx, ly, lz] = this.light;
    if (shadows === 1) return this.tree.through(x[0], x[1], x[2], lx, ly, lz, LIFT, FAR);
    const count = Math.max(1, Math.round(shadows * part));
    const [u, v] = this.besideLight;
    let sum = 0;
    for (let k = 0; k < count; k++) {
      // A ring of directions, turned from pixel to pixel.
      const angle = (2 * Math.PI * (k + hashed(ix, iy, seed + k))) / count;
      const r = SOFT * Math.sqrt(hashed(iy, ix, seed + k));
      const p = r * Math.cos(angle),
        q = r * Math.sin(angle);
      const wx = lx + p * u[0] + q * v[0],
        wy = ly + p * u[1] + q * v[1],
        wz = lz + p * u[2] + q * v[2];
      const unit = 1 / Math.sqrt(wx * wx + wy * wy + wz * wz);
      sum += this.tree.through(x[0], x[1], x[2], wx * unit, wy * unit, wz * unit, LIFT, FAR);
    }
    return sum / count;
  }

  /** Share of the half space over a point that nothing near stands in. */
  private openness(x: Vec3, n: Vec3, ix: number, iy: number, seed: number, part: number): number {
    const { occlusion } = this.options;
    if (!occlusion) return 1;
    const count = Math.max(1, Math.round(occlusion * part));
    const [u, v] = across(n);
    let sum = 0;
    for (let k = 0; k < count; k++) {
      const angle = (2 * Math.PI * (k + hashed(ix, iy, seed + 40 + k))) / count;
      // Radii in another order than angles, or the directions would lie on one spiral.
      const r = Math.sqrt((k * GOLDEN + hashed(iy, ix, seed + 40)) % 1);
      const up = Math.sqrt(Math.max(0, 1 - r * r));
      const p = r * Math.cos(angle),
        q = r * Math.sin(angle);
      sum += this.tree.through(
        x[0],
        x[1],
        x[2],
        up * n[0] + p * u[0] + q * v[0],
        up * n[1] + p * u[1] + q * v[1],
        up * n[2] + p * u[2] + q * v[2],
        LIFT,
        SHADE_REACH,
      );
    }
    return sum / count;
  }
}

/** Faces that are told apart along an edge; what is curved or finely divided is one. */
const nameOf = (s: Solid): number =>
  s.kind === 'triangle' && s.normals[0] === s.normals[1] ? s.index : s.thing + 7_000_000;
/** Whether a solid has lines or colours of its own on it, which need several rays everywhere. */
const isDetailed = (s: Solid): boolean =>
  s.kind === 'ellipsoid' ? s.inked || !!s.sectors : s.kind === 'triangle' && !!s.shades;

/** Two unit vectors at right angles to one and to each other. */
function across(n: Vec3): [Vec3, Vec3] {
  const u = normalize(cross(n, Math.abs(n[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0]));
  return [u, cross(n, u)];
}
