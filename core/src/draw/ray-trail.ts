/**
 * What the rays of a picture's points meet. All of them leave from one side, so that only those solids are asked which stand
 * before or behind a piece of the picture, the near ones first.
 */
import type { Size } from './camera.ts';
import type { SolidRows } from './ray-rows.ts';
import { boxOf } from './ray-solids.ts';

/** Å between two things behind each other; nearer ones are one. */
export const LIFT = 1e-4;
/** Things behind one another that are looked through. */
export const MOST_LAYERS = 12;
/** Light that still comes from behind, below which nobody looks. */
export const SEEN = 0.01;
/** Meetings kept until they are in order: some are edges of two faces, met twice. */
const KEPT = 2 * MOST_LAYERS;
/** Å before the nearest thing, where parallel rays begin. */
const BEFORE = 1;

/** The eye of a picture, in the viewer's axes with the camera's target as origin. */
export interface Eye {
  /** Å a pixel in the plane of the target. */
  readonly perPixel: number;
  readonly size: Size;
  /** Å from the target; Infinity for parallel rays. */
  readonly distance: number;
}

/** Boxes of solids as they stand on the picture. */
export class ScreenBoxes {
  /** Low x and y, high x and y of each solid, pixels. */
  private readonly rectangles: Float64Array;
  /** Least length of a ray to each solid, Å. */
  readonly reach: Float64Array;
  /** Every solid, near ones first. */
  readonly all: Int32Array;
  /** Depth at which rays begin, Å towards the viewer. */
  readonly begin: number;
  private readonly found: Int32Array;

  constructor(
    rows: SolidRows,
    private readonly eye: Eye,
  ) {
    const boxes = rows.solids.map(boxOf);
    let front = -Infinity;
    for (const box of boxes) front = Math.max(front, box[1][2]);
    this.begin = eye.distance === Infinity ? front + BEFORE : eye.distance;
    this.reach = Float64Array.from(boxes, (box) => this.begin - box[1][2]);
    this.found = new Int32Array(boxes.length);
    this.rectangles = new Float64Array(4 * boxes.length);
    boxes.forEach(([low, high], i) => this.rectangles.set(this.rectangle(low, high), 4 * i));
    this.all = Int32Array.from(rows.solids, (_, i) => i).sort((p, q) => this.reach[p]! - this.reach[q]!);
  }

  private rectangle(low: readonly number[], high: readonly number[]): [number, number, number, number] {
    const { perPixel, size, distance } = this.eye;
    const [halfWidth, halfHeight] = [size.width / 2, size.height / 2];
    if (distance === Infinity)
      return [
        halfWidth + low[0]! / perPixel,
        halfHeight - high[1]! / perPixel,
        halfWidth + high[0]! / perPixel,
        halfHeight - low[1]! / perPixel,
      ];
    // What reaches behind the eye may stand anywhere.
    if (high[2]! >= distance) return [-Infinity, -Infinity, Infinity, Infinity];
    const xs: number[] = [],
      ys: number[] = [];
    for (const z of [low[2]!, high[2]!]) {
      const larger = distance / (distance - z) / perPixel;
      xs.push(halfWidth + low[0]! * larger, halfWidth + high[0]! * larger);
      ys.push(halfHeight - low[1]! * larger, halfHeight - high[1]! * larger);
    }
    return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
  }

  /** Those of a list that may stand in a piece of the picture (pixels), in the order of the list. */
  within(list: Int32Array, x0: number, y0: number, x1: number, y1: number): Int32Array {
    const { rectangles: r, found } = this;
    let count = 0;
    for (let k = 0; k < list.length; k++) {
      const i = list[k]!;
      if (r[4 * i]! <= x1 && r[4 * i + 2]! >= x0 && r[4 * i + 1]! <= y1 && r[4 * i + 3]! >= y0) found[count++] = i;
    }
    return found.slice(0, count);
  }
}

/** What one ray meets, from near to far, until nothing more can be seen. */
export class Trail {
  count = 0;
  readonly solids = new Int32Array(KEPT);
  readonly lengths = new Float64Array(KEPT);
  /** Whether the ray leaves the solid there. */
  readonly leaves = new Uint8Array(KEPT);
  /** Where the ray comes from and its direction. */
  ox = 0;
  oy = 0;
  oz = 0;
  dx = 0;
  dy = 0;
  dz = -1;

  constructor(
    private readonly rows: SolidRows,
    private readonly screen: ScreenBoxes,
    private readonly eye: Eye,
  ) {}

  /** The ray of a point of the picture (pixels) among the solids of a list that is in order. */
  follow(list: Int32Array, px: number, py: number): void {
    this.aim(px, py);
    const { rows, lengths, screen } = this;
    const { ox, oy, oz, dx, dy, dz } = this;
    const { reach } = screen;
    let far = Infinity;
    this.count = 0;
    for (let k = 0; k < list.length; k++) {
      const i = list[k]!;
      if (reach[i]! > far) break;
      const t = rows.meets(i, ox, oy, oz, dx, dy, dz, 0);
      if (!(t < far)) continue;
      this.insert(i, t, 0);
      if (rows.opacities[i]! >= 1) far = t;
      else if (rows.hasInside(i)) {
        const end = rows.meets(i, ox, oy, oz, dx, dy, dz, t + LIFT);
        if (end < far) this.insert(i, end, 1);
      }
      if (this.count === KEPT) far = Math.min(far, lengths[KEPT - 1]!);
    }
    this.shorten();
  }

  private aim(px: number, py: number): void {
    const { perPixel, size, distance } = this.eye;
    const x = (px - size.width / 2) * perPixel,
      y = (size.height / 2 - py) * perPixel;
    this.oz = this.screen.begin;
    if (distance === Infinity) {
      this.ox = x;
      this.oy = y;
      return;
    }
    const length = Math.sqrt(x * x + y * y + distance * distance);
    this.dx = x / length;
    this.dy = y / length;
    this.dz = -distance / length;
  }

  private insert(solid: number, t: number, leaves: number): void {
    const { solids, lengths } = this;
    let at = this.count < KEPT ? this.count++ : KEPT - 1;
    for (; at > 0 && lengths[at - 1]! > t; at--) {
      lengths[at] = lengths[at - 1]!;
      solids[at] = solids[at - 1]!;
      this.leaves[at] = this.leaves[at - 1]!;
    }
    lengths[at] = t;
    solids[at] = solid;
    this.leaves[at] = leaves;
  }

  /** Leaves out what is met twice and what nobody sees through what stands before it. */
  private shorten(): void {
    const { solids, lengths, leaves, rows } = this;
    let left = 1,
      kept = 0,
      last = -Infinity;
    for (let k = 0; k < this.count && kept < MOST_LAYERS && left > SEEN; k++) {
      if (lengths[k]! < last + LIFT) continue;
      last = lengths[k]!;
      lengths[kept] = last;
      solids[kept] = solids[k]!;
      leaves[kept] = leaves[k]!;
      kept++;
      left *= 1 - rows.opacities[solids[k]!]!;
    }
    this.count = kept;
  }
}
