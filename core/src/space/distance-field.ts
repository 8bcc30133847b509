/**
 * Distances from the points of a grid over a cell to the surfaces of balls in it: blocks of points are halved again and again, and
 * each half keeps only the balls that may be the nearest of one of its points.
 */
import { apply3, inverse3, toVec3, type Mat3, type Vec3 } from '../math/matrix3.ts';

/** An atom of the cell, Cartesian, with its radius. */
export interface Ball {
  readonly at: Vec3;
  /** Å */
  readonly radius: number;
}

/** Points along a block's edge at first. */
const BLOCK = 8;
/** So many balls are not worth another halving. */
const FEW = 6;
/** Å along the edge of the boxes in which balls are looked for. */
const BOX = 2.5;

/** Balls with their copies around the cell, in boxes along its axes. */
class Surroundings {
  /** Four numbers a ball: place and radius. */
  readonly balls: Float64Array;
  readonly widest: number;
  private readonly boxes: readonly number[][];
  private readonly back: Mat3;
  private readonly low: Vec3;
  private readonly per: Vec3;
  private readonly count: readonly [number, number, number];

  constructor(
    balls: readonly Ball[],
    m: Mat3,
    private readonly spans: Vec3,
    reach: number,
  ) {
    this.back = inverse3(m);
    this.widest = balls.reduce((most, b) => Math.max(most, b.radius), 0);
    const margin = toVec3(spans.map((x) => x * (reach + this.widest)));
    this.low = toVec3(margin.map((x) => -x));
    const lengths = spans.map((x, k) => (1 + 2 * margin[k]!) / x);
    this.count = lengths.map((l) => Math.max(1, Math.ceil(l / BOX))) as never;
    this.per = toVec3(this.count.map((c, k) => c / (1 + 2 * margin[k]!)));
    const copies: number[] = [];
    const boxes: number[][] = Array.from({ length: this.count[0] * this.count[1] * this.count[2] }, () => []);
    for (const { at, radius } of balls)
      for (const f of this.copiesOf(apply3(this.back, at), margin)) {
        const [x, y, z] = apply3(m, f);
        boxes[this.boxOf(f)]!.push(copies.length / 4);
        copies.push(x, y, z, radius);
      }
    this.balls = Float64Array.from(copies);
    this.boxes = boxes;
  }

  /** Copies of a place within the cell and its margin, fractional. */
  private copiesOf(f: Vec3, margin: Vec3): Vec3[] {
    const shifts = f.map((x, k) => {
      const [from, to] = [Math.ceil(-margin[k]! - x), Math.floor(1 + margin[k]! - x)];
      return Array.from({ length: Math.max(0, to - from + 1) }, (_, n) => x + from + n);
    });
    return shifts[0]!.flatMap((x) => shifts[1]!.flatMap((y) => shifts[2]!.map((z): Vec3 => [x, y, z])));
  }

  private slot(x: number, k: 0 | 1 | 2): number {
    return Math.max(0, Math.min(this.count[k] - 1, Math.floor((x - this.low[k]) * this.per[k])));
  }

  private boxOf(f: Vec3): number {
    return (this.slot(f[0], 0) * this.count[1] + this.slot(f[1], 1)) * this.count[2] + this.slot(f[2], 2);
  }

  /** Balls whose surface is within `reach` Å of a place of the cell. */
  within(at: Vec3, reach: number): number[] {
    const f = apply3(this.back, at);
    const far = reach + this.widest;
    const from = ([0, 1, 2] as const).map((k) => this.slot(f[k] - far * this.spans[k], k));
    const to = ([0, 1, 2] as const).map((k) => this.slot(f[k] + far * this.spans[k], k));
    const found: number[] = [];
    for (let i = from[0]!; i <= to[0]!; i++)
      for (let j = from[1]!; j <= to[1]!; j++)
        for (let k = from[2]!; k <= to[2]!; k++)
          for (const b of this.boxes[(i * this.count[1] + j) * this.count[2] + k]!)
            if (this.off(b, at[0], at[1], at[2]) <= reach) found.push(b);
    return found;
  }

  /** Å from a place to the surface of a ball. */
  off(b: number, x: number, y: number, z: number): number {
    const { balls } = this;
    const u = balls[4 * b]! - x,
      v = balls[4 * b + 1]! - y,
      w = balls[4 * b + 2]! - z;
    return Math.sqrt(u * u + v * v + w * w) - balls[4 * b + 3]!;
  }
}

/** A block of grid points. */
interface Block {
  readonly from: readonly number[];
  readonly size: readonly number[];
}

class Filler {
  readonly out: Float64Array;
  private readonly around: Surroundings;

  constructor(
    balls: readonly Ball[],
    m: Mat3,
    spans: Vec3,
    private readonly n: readonly [number, number, number],
    private readonly reach: number,
  ) {
    this.out = new Float64Array(n[0] * n[1] * n[2]).fill(Infinity);
    this.steps = ([0, 1, 2] as const).map((k): Vec3 => [m[k]! / n[k], m[3 + k]! / n[k], m[6 + k]! / n[k]]);
    this.around = new Surroundings(balls, m, spans, reach + 2 * this.halfOf([BLOCK, BLOCK, BLOCK]));
  }
  private readonly steps: readonly Vec3[];

  /** Half of the longest way across a block, Å; known for the few sizes there are. */
  private halfOf([p, q, r]: readonly number[]): number {
    const key = (p! * (BLOCK + 1) + q!) * (BLOCK + 1) + r!;
    return (this.halves[key] ??= this.measured([p!, q!, r!]));
  }
  private readonly halves: number[] = [];

  private measured(size: readonly number[]): number {
    const across = (signs: readonly number[]): number =>
      Math.hypot(
        ...[0, 1, 2].map((c) => signs.reduce((sum, sign, k) => sum + sign * (size[k]! - 1) * this.steps[k]![c]!, 0)),
      );
    return Math.max(across([1, 1, 1]), across([1, 1, -1]), across([1, -1, 1]), across([-1, 1, 1])) / 2;
  }

  private middleOf({ from, size }: Block): Vec3 {
    const [a, b, c] = this.steps as [Vec3, Vec3, Vec3];
    const i = from[0]! + (size[0]! - 1) / 2,
      j = from[1]! + (size[1]! - 1) / 2,
      k = from[2]! + (size[2]! - 1) / 2;
    return [i * a[0] + j * b[0] + k * c[0], i * a[1] + j * b[1] + k * c[1], i * a[2] + j * b[2] + k * c[2]];
  }

  fill(): Float64Array {
    const { n } = this;
    for (let i = 0; i < n[0]; i += BLOCK)
      for (let j = 0; j < n[1]; j += BLOCK)
        for (let k = 0; k < n[2]; k += BLOCK) {
          const from = [i, j, k];
          this.begin({ from, size: from.map((x, axis) => Math.min(BLOCK, n[axis]! - x)) });
        }
    return this.out;
  }

  /** Looks for the balls of a block further and further away. */
  private begin(block: Block): void {
    const at = this.middleOf(block);
    const across = 2 * this.halfOf(block.size);
    // Beyond this, no point of the block is within reach.
    const most = this.reach + across;
    for (let look = Math.min(most, across); ; look = Math.min(most, 2 * look)) {
      const found = this.around.within(at, look);
      if (!found.length && look < most) continue;
      if (!found.length) return;
      const nearest = found.reduce((least, b) => Math.min(least, this.around.off(b, ...at)), Infinity);
      const all = nearest + across <= look ? found : this.around.within(at, Math.min(most, nearest + across));
      this.halve(block, Int32Array.from(all));
      return;
    }
  }

  private halve(block: Block, balls: Int32Array): void {
    const { size, from } = block;
    if (balls.length <= FEW || (size[0]! <= 2 && size[1]! <= 2 && size[2]! <= 2)) {
      this.finish(block, balls);
      return;
    }
    const parts = size.map((s, k) => {
      const first = s > 1 ? Math.ceil(s / 2) : s;
      const whole = [{ at: from[k]!, size: first }];
      return s > first ? [...whole, { at: from[k]! + first, size: s - first }] : whole;
    });
    for (const x of parts[0]!)
      for (const y of parts[1]!)
        for (const z of parts[2]!) {
          const part = { from: [x.at, y.at, z.at], size: [x.size, y.size, z.size] };
          this.halve(part, this.nearestOf(part, balls));
        }
  }

  /** Of some balls, those that may be the nearest of any point of a block. */
  private nearestOf(block: Block, balls: Int32Array): Int32Array {
    const [x, y, z] = this.middleOf(block);
    if (this.offs.length < balls.length) this.offs = new Float64Array(2 * balls.length);
    const { offs } = this;
    let nearest = Infinity;
    for (let k = 0; k < balls.length; k++) {
      offs[k] = this.around.off(balls[k]!, x, y, z);
      if (offs[k]! < nearest) nearest = offs[k]!;
    }
    const most = nearest + 2 * this.halfOf(block.size) + 1e-9;
    let count = 0;
    for (let k = 0; k < balls.length; k++) if (offs[k]! <= most) count++;
    const near = new Int32Array(count);
    for (let k = 0, n = 0; k < balls.length; k++) if (offs[k]! <= most) near[n++] = balls[k]!;
    return near;
  }
  /** Distances of the balls looked at last. */
  private offs = new Float64Array(64);

  /** The distances of every point of a block. */
  private finish({ from, size }: Block, balls: Int32Array): void {
    const [a, b, c] = this.steps as [Vec3, Vec3, Vec3];
    const [, q, r] = this.n;
    const copies = this.around.balls;
    for (let i = from[0]!; i < from[0]! + size[0]!; i++)
      for (let j = from[1]!; j < from[1]! + size[1]!; j++)
        for (let k = from[2]!; k < from[2]! + size[2]!; k++) {
          const x = i * a[0] + j * b[0] + k * c[0],
            y = i * a[1] + j * b[1] + k * c[1],
            z = i * a[2] + j * b[2] + k * c[2];
          let least = Infinity;
          for (let m = 0; m < balls.length; m++) {
            const at = 4 * balls[m]!;
            const u = copies[at]! - x,
              v = copies[at + 1]! - y,
              w = copies[at + 2]! - z;
            const off = Math.sqrt(u * u + v * v + w * w) - copies[at + 3]!;
            if (off < least) least = off;
          }
          if (least <= this.reach) this.out[(i * q + j) * r + k] = least;
        }
  }
}

/**
 * Å from each point of a grid of `n` points (the last axis fastest) to the nearest surface of `balls` (one cell of them, Cartesian;
 * `m` the orthogonalisation, `spans` the lengths of the reciprocal axes), negative within; Infinity beyond `reach` Å.
 */
export const distancesTo = (
  balls: readonly Ball[],
  m: Mat3,
  spans: Vec3,
  n: readonly [number, number, number],
  reach: number,
): Float64Array => new Filler(balls, m, spans, n, reach).fill();
