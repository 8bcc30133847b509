/**
 * A scene painted by following light: spheres, ellipsoids, cylinders and faces met exactly, a soft light, shade where things stand
 * close, and an outline. Whitted 1980 (Comm. ACM 23, 343).
 */
import { normalize } from '../math/matrix3.ts';
import type { Size } from './camera.ts';
import { channels } from './colours.ts';
import { eyeDistance } from './optics.ts';
import { BoxTree } from './ray-boxes.ts';
import { Lamp } from './ray-lamp.ts';
import { lightAt, meetingAt, namesOf, Piece, type LightRays, type Lit, type Stage, type Tile } from './ray-piece.ts';
import { encoded, linear, solidsOf, type Light3, type Solid } from './ray-solids.ts';
import { MOST_LAYERS, ScreenBoxes, Trail } from './ray-trail.ts';
import type { Layer, Scene } from './scene.ts';

export type { Tile };

export const FINISHES = ['matt', 'satin', 'glossy', 'glass'] as const;
export type Finish = (typeof FINISHES)[number];

export interface TraceOptions extends LightRays {
  /** Rays along one side of a pixel where it shows an edge. */
  readonly samples: number;
  readonly outline: boolean;
  readonly finish: Finish;
  /** The ground is left clear. */
  readonly clear: boolean;
}

export const PREVIEW: TraceOptions = {
  samples: 1,
  shadows: 1,
  occlusion: 0,
  shared: 1,
  outline: true,
  finish: 'satin',
  clear: false,
};
/** Sixteen rays to the lamp and around for each place. */
export const FULL: TraceOptions = { ...PREVIEW, samples: 2, shadows: 4, occlusion: 4, shared: 2 };

/** Pixels across from which more of them can share their light without being seen to. */
const FINE_GRAIN = 1500;

/** How a picture of a width (pixels) is traced. */
export const fullOptions = (width: number): TraceOptions =>
  width < FINE_GRAIN ? FULL : { ...FULL, shadows: 1, occlusion: 1, shared: 4 };

/** The same picture on so many times as many pixels a side: lines grow with it. */
export function enlargedScene(scene: Scene, factor: number): Scene {
  const layers = scene.layers.map((l): Layer => {
    if (l.kind === 'lines') return { ...l, items: l.items.map((x) => ({ ...x, width: x.width * factor })) };
    if (l.kind === 'polyhedra') return { ...l, items: l.items.map((x) => ({ ...x, edgeWidth: x.edgeWidth * factor })) };
    return l;
  });
  return { ...scene, layers, camera: { ...scene.camera, scale: scene.camera.scale / factor } };
}

/** How strongly the lamp is mirrored, and how sharply. */
const SHINE: Readonly<Record<Finish, readonly [strength: number, power: number]>> = {
  matt: [0, 1],
  satin: [0.16, 24],
  glossy: [0.5, 90],
  glass: [0.8, 160],
};
/** How much of its cover glass keeps where it is seen straight on; along its rim it keeps all (Schlick 1994, CGF 13, 233). */
const GLASS = 0.3,
  GLASS_POWER = 3;
/** Share of the light that falls into full shadow and full shade. */
const FLOOR = 0.25;
/** Å between depths at which an outline is drawn where things meet; how dark it is. */
const STEP = 0.35,
  INK = 0.3;

/** A scene ready to be traced at one size. */
export class Tracer {
  private readonly stage: Stage;
  private readonly ground: Light3;
  /** Linear light of the point that is being looked at, and what of the ground shows through. */
  private readonly sum = new Float64Array(3);
  private left = 1;

  constructor(
    private readonly scene: Scene,
    size: Size,
    private readonly options: TraceOptions = FULL,
  ) {
    const tree = new BoxTree(asFinished(solidsOf(scene, size), options.finish));
    const { rows } = tree;
    const eye = { perPixel: scene.camera.scale, size, distance: eyeDistance(scene.camera, size) };
    const screen = new ScreenBoxes(rows, eye);
    this.stage = {
      rows,
      names: namesOf(rows.solids),
      screen,
      lamp: new Lamp(tree, normalize(scene.light.direction)),
      trail: new Trail(rows, screen, eye),
      rays: options,
      solidFrom: options.finish === 'glass' ? GLASS / 2 : 0.5,
    };
    const [r, g, b] = channels(scene.ground);
    this.ground = [linear(r), linear(g), linear(b)];
  }

  /** Red, green, blue and cover of each pixel of a tile, 0–255, not multiplied by the cover. */
  tile(tile: Tile): Uint8ClampedArray {
    const { width, height } = tile;
    const out = new Uint8ClampedArray(4 * width * height);
    const piece = new Piece(this.stage, tile);
    const rgba = new Float64Array(4);
    for (let j = 0; j < height; j++)
      for (let i = 0; i < width; i++) {
        const at = piece.at(i, j);
        if (piece.isEven(at) || this.options.samples === 1) this.middle(piece, at, rgba);
        else this.several(piece, tile, i, j, rgba);
        this.paint(out, 4 * (i + width * j), rgba);
      }
    if (this.options.outline) ink(out, piece, tile);
    return out;
  }

  /** What the ray through a pixel's middle tells of it. */
  private middle(piece: Piece, at: number, rgba: Float64Array): void {
    this.begin();
    const { surfaces, solids } = piece;
    const { trail } = this.stage;
    for (let k = 0; k < piece.counts[at]!; k++) {
      const slot = MOST_LAYERS * at + k;
      const s = 6 * slot;
      this.shade(
        solids[slot]!,
        surfaces[s]!,
        surfaces[s + 1]!,
        surfaces[s + 2]!,
        surfaces[s + 3]!,
        surfaces[s + 4]!,
        surfaces[s + 5]!,
        piece.lit(at, k),
        trail,
      );
    }
    rgba.set(this.sum);
    rgba[3] = 1 - this.left;
  }

  /** The mean of several rays of a pixel where an edge or a detail shows. */
  private several(piece: Piece, tile: Tile, i: number, j: number, rgba: Float64Array): void {
    const { samples } = this.options;
    const { trail, rows, rays } = this.stage;
    const [ix, iy] = [tile.x + i, tile.y + j];
    const at = piece.at(i, j);
    const list = piece.listAt(at);
    rgba.fill(0);
    for (let n = 0; n < samples * samples; n++) {
      trail.follow(list, ix + ((n % samples) + 0.5) / samples, iy + (Math.floor(n / samples) + 0.5) / samples);
      this.begin();
      for (let k = 0; k < trail.count; k++) {
        const met = meetingAt(trail, rows, k);
        // What no neighbour shows sends rays of its own.
        const lit =
          piece.litNear(at, k) ??
          lightAt(this.stage, met, ix, iy, 16 * n + 97 * k, n, rays.shared > 1 ? samples ** 2 : 1);
        const [nx, ny, nz] = met.normal;
        const [r, g, b] = met.colour;
        this.shade(trail.solids[k]!, nx, ny, nz, r, g, b, lit, trail);
      }
      for (let k = 0; k < 3; k++) rgba[k]! += this.sum[k]! / samples ** 2;
      rgba[3]! += (1 - this.left) / samples ** 2;
    }
  }

  private begin(): void {
    this.sum.fill(0);
    this.left = 1;
  }

  /** Lays one meeting behind those before it. */
  private shade(
    solid: number,
    nx: number,
    ny: number,
    nz: number,
    r: number,
    g: number,
    b: number,
    { direct, open }: Lit,
    { dx, dy, dz }: Trail,
  ): void {
    const { ambient } = this.scene.light;
    const [lx, ly, lz] = this.stage.lamp.towards;
    const { finish } = this.options;
    const falls = Math.max(0, nx * lx + ny * ly + nz * lz);
    const beam = falls > 0 ? direct : 0;
    const light = ambient * (FLOOR + (1 - FLOOR) * open) + (1 - ambient) * (0.15 * open + 1.25 * falls * beam);
    let cover = this.stage.rows.opacities[solid]!;
    const isGlass = finish === 'glass' && !this.stage.rows.solids[solid]!.isLine;
    if (isGlass) cover *= 1 + (1 / GLASS - 1) * (1 - Math.abs(nx * dx + ny * dy + nz * dz)) ** GLASS_POWER;
    const weight = this.left * cover;
    const shine = this.shine(nx, ny, nz, beam, this.stage.trail) * (isGlass ? this.left : weight);
    this.sum[0]! += weight * r * light + shine;
    this.sum[1]! += weight * g * light + shine;
    this.sum[2]! += weight * b * light + shine;
    this.left *= 1 - cover;
  }

  /** Light of the lamp that is mirrored towards the viewer (Blinn 1977, Computer Graphics 11, 192). */
  private shine(nx: number, ny: number, nz: number, beam: number, { dx, dy, dz }: Trail): number {
    const [strength, power] = SHINE[this.options.finish];
    if (!strength || beam <= 0) return 0;
    const [lx, ly, lz] = this.stage.lamp.towards;
    const [hx, hy, hz] = [lx - dx, ly - dy, lz - dz];
    const along = (nx * hx + ny * hy + nz * hz) / Math.sqrt(hx * hx + hy * hy + hz * hz);
    return along > 0 ? strength * beam * along ** power : 0;
  }

  private paint(out: Uint8ClampedArray, at: number, rgba: Float64Array): void {
    const { clear } = this.options;
    const covered = rgba[3]!;
    for (let k = 0; k < 3; k++) {
      // What is covered by nothing shows the ground, or nothing at all.
      const value = clear ? (covered ? rgba[k]! / covered : 0) : rgba[k]! + (1 - covered) * this.ground[k]!;
      out[at + k] = encoded(value);
    }
    out[at + 3] = clear ? 255 * covered : 255;
  }
}

/** Darkens the rims of things that stand before others or the ground. */
function ink(out: Uint8ClampedArray, piece: Piece, { width, height }: Tile): void {
  const { things, depths, wide } = piece;
  const isEdge = (at: number, other: number): boolean =>
    things[other] !== things[at] && depths[at]! - depths[other]! > STEP;
  for (let j = 0; j < height; j++)
    for (let i = 0; i < width; i++) {
      const at = piece.at(i, j);
      if (things[at]! < 0) continue;
      if (!isEdge(at, at + 1) && !isEdge(at, at - 1) && !isEdge(at, at + wide) && !isEdge(at, at - wide)) continue;
      for (let k = 0; k < 3; k++) out[4 * (i + width * j) + k]! *= INK;
    }
}

/** Glass lets light through everywhere; lines stay lines. */
const asFinished = (solids: readonly Solid[], finish: Finish): readonly Solid[] =>
  finish === 'glass' ? solids.map((s) => (s.isLine ? s : { ...s, opacity: GLASS * s.opacity })) : solids;
