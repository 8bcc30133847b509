/**
 * A piece of a traced picture: what stands at the middle of each pixel, and the light on it. Each pixel sends few rays to the lamp
 * and around, its neighbours others; where neighbours show the same face, they share what they learnt (interleaved sampling,
 * Keller & Heidrich 2001, Eurographics Workshop on Rendering, 269).
 */
import { type Lamp, type RayShare } from './ray-lamp.ts';
import type { SolidRows } from './ray-rows.ts';
import { surfaceAt, type Solid } from './ray-solids.ts';
import { LIFT, MOST_LAYERS, type ScreenBoxes, type Trail } from './ray-trail.ts';

/** A rectangle of the picture, pixels. */
export interface Tile {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** Rays of each pixel to the lamp and around; pixels a side that share theirs (1, 2 or 4). */
export interface LightRays {
  readonly shadows: number;
  readonly occlusion: number;
  readonly shared: 1 | 2 | 4;
}

/** The name of what has details on it. */
export const DETAILED = -2;
/** Pixels a side for which the solids are sorted out together. */
const BLOCK = 8;
/** The order in which the pixels of a square take their rays: any few neighbours have some that lie apart (Bayer 1973). */
const TURNS: Readonly<Record<number, readonly number[]>> = {
  1: [0],
  2: [0, 2, 3, 1],
  4: [0, 8, 2, 10, 12, 4, 14, 6, 3, 11, 1, 9, 15, 7, 13, 5],
};
/** How far a place is lifted off its surface before rays leave it. */
export const OFF = 10 * LIFT;

/** Faces that are told apart along an edge; what is curved or finely divided is one. */
const nameOf = (s: Solid): number =>
  s.kind === 'triangle' && s.normals[0] === s.normals[1] ? s.index : s.thing + 7_000_000;
/** Whether a solid has lines or colours of its own on it, which need several rays everywhere. */
const isDetailed = (s: Solid): boolean =>
  s.kind === 'ellipsoid' ? s.inked || !!s.sectors : s.kind === 'cylinder' ? !!s.inner : !!s.shades;

/** What the rays of every piece ask. */
export interface Stage {
  readonly rows: SolidRows;
  readonly names: Int32Array;
  readonly screen: ScreenBoxes;
  readonly lamp: Lamp;
  readonly trail: Trail;
  readonly rays: LightRays;
  /** Opacity above which a thing has an outline. */
  readonly solidFrom: number;
}

export const namesOf = (solids: readonly Solid[]): Int32Array => Int32Array.from(solids, nameOf);

/** Light of a place: from the lamp, and from around. */
export interface Lit {
  readonly direct: number;
  readonly open: number;
}

/** The numbers of one meeting: normal and colour. */
const WIDTH = 6;
const NONE = new Int32Array(0);

export class Piece {
  readonly wide: number;
  readonly high: number;
  /** Pixels around the tile that are looked at too: for outlines, and for the light of those at its rim. */
  readonly margin: number;
  readonly counts: Uint8Array;
  readonly solids: Int32Array;
  /** Normal (against the ray) and linear colour of each meeting. */
  readonly surfaces: Float32Array;
  /** What an outline goes around, a name for all that is seen, and the depth (Å towards the viewer) at each pixel. */
  readonly things: Int32Array;
  readonly faces: Int32Array;
  readonly depths: Float32Array;
  private readonly names: Int32Array;
  private readonly raw: Float32Array;
  private readonly means: Float32Array;
  /** The solids of each block of pixels, and blocks in a row. */
  private readonly lists: Int32Array[] = [];
  private readonly across: number;

  constructor(
    private readonly stage: Stage,
    private readonly tile: Tile,
  ) {
    this.margin = 1 + (stage.rays.shared >> 1);
    this.wide = tile.width + 2 * this.margin;
    this.high = tile.height + 2 * this.margin;
    this.across = Math.ceil(this.wide / BLOCK);
    const pixels = this.wide * this.high,
      slots = pixels * MOST_LAYERS;
    this.counts = new Uint8Array(pixels);
    this.things = new Int32Array(pixels).fill(-1);
    this.faces = new Int32Array(pixels).fill(-1);
    this.depths = new Float32Array(pixels).fill(-1e4);
    this.solids = new Int32Array(slots);
    this.names = new Int32Array(slots);
    this.surfaces = new Float32Array(WIDTH * slots);
    this.raw = new Float32Array(2 * slots);
    this.means = new Float32Array(2 * slots).fill(NaN);
    this.look();
  }

  /** Index of a pixel of the tile (from its corner) among those of the piece. */
  at(i: number, j: number): number {
    return i + this.margin + this.wide * (j + this.margin);
  }

  /** The solids of a block of the tile, near ones first. */
  private list(within: Int32Array, i: number, j: number, width: number, height: number): Int32Array {
    const [x, y] = [this.tile.x - this.margin + i, this.tile.y - this.margin + j];
    return this.stage.screen.within(within, x, y, x + width, y + height);
  }

  private look(): void {
    const { screen } = this.stage;
    const all = this.list(screen.all, 0, 0, this.wide, this.high);
    if (!all.length) return;
    for (let j = 0; j < this.high; j += BLOCK)
      for (let i = 0; i < this.wide; i += BLOCK) {
        const list = this.list(all, i, j, BLOCK, BLOCK);
        this.lists[i / BLOCK + this.across * (j / BLOCK)] = list;
        if (!list.length) continue;
        for (let y = j; y < Math.min(j + BLOCK, this.high); y++)
          for (let x = i; x < Math.min(i + BLOCK, this.wide); x++) this.lookAt(list, x, y);
      }
  }

  /** The solids that points of a pixel of the piece may show. */
  listAt(pixel: number): Int32Array {
    const [i, j] = [pixel % this.wide, Math.floor(pixel / this.wide)];
    return this.lists[Math.floor(i / BLOCK) + this.across * Math.floor(j / BLOCK)] ?? NONE;
  }

  private lookAt(list: Int32Array, i: number, j: number): void {
    const { trail, rows, names } = this.stage;
    const [ix, iy] = [this.tile.x - this.margin + i, this.tile.y - this.margin + j];
    trail.follow(list, ix + 0.5, iy + 0.5);
    const pixel = i + this.wide * j;
    this.counts[pixel] = trail.count;
    let face = -1;
    for (let k = 0; k < trail.count; k++) {
      const index = trail.solids[k]!;
      const solid = rows.solids[index]!;
      if (this.things[pixel] === -1 && solid.opacity > this.stage.solidFrom) {
        this.things[pixel] = solid.thing;
        this.depths[pixel] = trail.oz + trail.dz * trail.lengths[k]!;
      }
      if (isDetailed(solid)) face = DETAILED;
      else if (face !== DETAILED) face = (Math.imul(face + 2, 31) + names[index]!) & 0x3fffffff;
      this.keep(MOST_LAYERS * pixel + k, k, ix, iy);
    }
    this.faces[pixel] = face;
  }

  /** Keeps what the ray meets in k-th place, with the light that this pixel's own rays find. */
  private keep(slot: number, k: number, ix: number, iy: number): void {
    const { trail, rows, rays } = this.stage;
    const { shared } = rays;
    const met = meetingAt(trail, rows, k);
    const { normal, colour } = met;
    this.solids[slot] = trail.solids[k]!;
    this.names[slot] = this.stage.names[trail.solids[k]!]! * 2 + trail.leaves[k]!;
    for (let m = 0; m < 3; m++) {
      this.surfaces[WIDTH * slot + m] = normal[m]!;
      this.surfaces[WIDTH * slot + 3 + m] = colour[m]!;
    }
    const turn = TURNS[shared]![(ix & (shared - 1)) + shared * (iy & (shared - 1))]!;
    const lit = lightAt(this.stage, met, ix, iy, 97 * k, turn, shared * shared);
    this.raw[2 * slot] = lit.direct;
    this.raw[2 * slot + 1] = lit.open;
  }

  /** The light on what stands k-th at a pixel: the mean of all around that show the same face. */
  lit(pixel: number, k: number): Lit {
    const slot = MOST_LAYERS * pixel + k;
    const { means, raw } = this;
    if (Number.isNaN(means[2 * slot]!)) {
      const reach = this.stage.rays.shared >> 1;
      const name = this.names[slot]!;
      let direct = 0,
        open = 0,
        count = 0;
      for (let y = reach ? 1 - reach : 0; y <= reach; y++)
        for (let x = reach ? 1 - reach : 0; x <= reach; x++) {
          const other = this.find(pixel + x + this.wide * y, name);
          if (other < 0) continue;
          direct += raw[2 * other]!;
          open += raw[2 * other + 1]!;
          count++;
        }
      means[2 * slot] = direct / count;
      means[2 * slot + 1] = open / count;
    }
    return { direct: means[2 * slot]!, open: means[2 * slot + 1]! };
  }

  private find(pixel: number, name: number): number {
    const first = MOST_LAYERS * pixel;
    for (let k = first; k < first + this.counts[pixel]!; k++) if (this.names[k] === name) return k;
    return -1;
  }

  /** The light on the trail's k-th meeting at a pixel, from a neighbour that shows the same face; undefined where none does. */
  litNear(pixel: number, k: number): Lit | undefined {
    const { trail, names } = this.stage;
    const name = names[trail.solids[k]!]! * 2 + trail.leaves[k]!;
    for (const step of [
      0,
      -1,
      1,
      -this.wide,
      this.wide,
      -this.wide - 1,
      -this.wide + 1,
      this.wide - 1,
      this.wide + 1,
    ]) {
      const slot = this.find(pixel + step, name);
      if (slot >= 0) return this.lit(pixel + step, slot - MOST_LAYERS * (pixel + step));
    }
    return undefined;
  }

  /** Whether a pixel and all around it show the same: one ray tells what several would. */
  isEven(at: number): boolean {
    const { faces, wide } = this;
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
}

/** A place where a ray meets a solid: where, the normal against the ray, and the linear colour. */
export interface Meeting {
  readonly x: number;
  readonly y: number;
  readonly z: number;
  readonly normal: readonly [number, number, number];
  readonly colour: readonly [number, number, number];
}

export function meetingAt(trail: Trail, rows: SolidRows, k: number): Meeting {
  const t = trail.lengths[k]!;
  const [x, y, z] = [trail.ox + trail.dx * t, trail.oy + trail.dy * t, trail.oz + trail.dz * t];
  const { normal, colour } = surfaceAt(rows.solids[trail.solids[k]!]!, [x, y, z], [trail.dx, trail.dy, trail.dz]);
  return { x, y, z, normal, colour };
}

const shareOf = (count: number, turn: number, turns: number): RayShare => ({
  first: count * turn,
  count,
  of: count * turns,
});

/** The light that some rays find at a meeting: those of one turn of so many. */
export function lightAt(
  stage: Stage,
  met: Meeting,
  ix: number,
  iy: number,
  seed: number,
  turn: number,
  turns: number,
): Lit {
  const { lamp, rays } = stage;
  const [nx, ny, nz] = met.normal;
  const [x, y, z] = [met.x + OFF * nx, met.y + OFF * ny, met.z + OFF * nz];
  const isLit = nx * lamp.towards[0] + ny * lamp.towards[1] + nz * lamp.towards[2] > 0;
  return {
    direct: rays.shadows ? (isLit ? lamp.direct(x, y, z, ix, iy, seed, shareOf(rays.shadows, turn, turns)) : 0) : 1,
    open: rays.occlusion ? lamp.around(x, y, z, nx, ny, nz, ix, iy, seed, shareOf(rays.occlusion, turn, turns)) : 1,
  };
}
