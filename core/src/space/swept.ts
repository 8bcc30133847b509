/**
 * What balls sweep whose middles lie where a field of distances is at least their radius. Every point outside learns from its
 * neighbours where the boundary of those middles is nearest, the near ones first (the vector distance transform of Danielsson
 * 1980, Comput. Graph. Image Process. 14, 227, in order of distance).
 */
import { cross, type Vec3 } from '../math/matrix3.ts';
import type { Steps } from './grid-steps.ts';

/** Slots of the queue for one width of the grid. */
const FINE = 6;
/** Less of a gain in the square is rounding, which would go back and forth for ever. */
const NEARER = 0.99999;

/** Points in order of distance, to within a slot; what has come nearer since is passed over. Slots are linked lists in one array. */
class Queue {
  private readonly last: Int32Array;
  private points = new Int32Array(1 << 16);
  private before = new Int32Array(1 << 16);
  private count = 0;

  constructor(
    private readonly per: number,
    most: number,
  ) {
    this.last = new Int32Array(Math.ceil(most * per) + 2).fill(-1);
  }

  slotOf(distance: number): number {
    return Math.floor(distance * this.per);
  }

  push(i: number, distance: number): void {
    if (this.count === this.points.length) {
      this.points = doubled(this.points);
      this.before = doubled(this.before);
    }
    const slot = this.slotOf(distance);
    this.points[this.count] = i;
    this.before[this.count] = this.last[slot]!;
    this.last[slot] = this.count++;
  }

  /** Every point pushed, also while this runs. */
  each(visit: (i: number, slot: number) => void): void {
    const { last } = this;
    for (let slot = 0; slot < last.length; slot++)
      while (last[slot]! >= 0) {
        const at = last[slot]!;
        last[slot] = this.before[at]!;
        visit(this.points[at]!, slot);
      }
  }
}

function doubled(of: Int32Array): Int32Array<ArrayBuffer> {
  const out = new Int32Array(2 * of.length);
  out.set(of);
  return out;
}

/** Steps to the 26 neighbours of a grid point: indices, and Å. */
function neighbours({ a, b, c }: Steps): { index: Int8Array; way: Float64Array } {
  const index: number[] = [],
    way: number[] = [];
  for (let i = -1; i <= 1; i++)
    for (let j = -1; j <= 1; j++)
      for (let k = -1; k <= 1; k++) {
        if (!i && !j && !k) continue;
        index.push(i, j, k);
        for (const x of [0, 1, 2] as const) way.push(i * a[x] + j * b[x] + k * c[x]);
      }
  return { index: Int8Array.from(index), way: Float64Array.from(way) };
}

/**
 * Signed distance (Å) of each point into the space that balls of radius `probe` (Å) sweep whose middles lie where `d` ≥ probe. `d`
 * is the distance (Å) of each point to the nearest atom's surface, `width` Å of one grid cell; −width where nothing is near.
 */
export function sweptDistances(d: Float64Array, steps: Steps, probe: number, width: number): Float32Array {
  const { n } = steps;
  const out = new Float32Array(d.length).fill(-width);
  const outside = new Outside(d, steps, probe, width);
  const slopes = new Slopes(d, steps);
  for (let i = 0, at = 0; i < n[0]; i++)
    for (let j = 0; j < n[1]; j++)
      for (let k = 0; k < n[2]; k++, at++) {
        const over = d[at]! - probe;
        if (over < 0) continue;
        out[at] = probe + over;
        if (over > 1.05 * width) continue;
        // The boundary lies back along the slope.
        const [x, y, z] = slopes.at(i, j, k);
        outside.tell(at, i, j, k, -over * x, -over * y, -over * z, true);
      }
  outside.each((at, distance) => {
    out[at] = probe - distance;
  });
  return out;
}

/** Points outside of what is reached, each with the nearest boundary known to it so far. */
class Outside {
  /** Å from each point to that boundary. */
  private readonly to: Float32Array;
  /** Its distance squared; −1 where none is wanted: within what is reached, and deep within atoms, which is never swept. */
  private readonly square: Float32Array;
  private readonly queue: Queue;
  private readonly index: Int8Array;
  private readonly way: Float64Array;
  private readonly leaps: Int32Array;

  constructor(
    d: Float64Array,
    private readonly steps: Steps,
    probe: number,
    width: number,
  ) {
    const most = probe + width;
    this.to = new Float32Array(3 * d.length);
    this.square = new Float32Array(d.length).fill(-1);
    for (let i = 0; i < d.length; i++) if (d[i]! < probe && d[i]! >= -width) this.square[i] = most * most;
    this.queue = new Queue(FINE / width, most);
    const { index, way } = neighbours(steps);
    this.index = index;
    this.way = way;
    const [, q, r] = steps.n;
    this.leaps = Int32Array.from(
      { length: 26 },
      (_, m) => (index[3 * m]! * q + index[3 * m + 1]!) * r + index[3 * m + 2]!,
    );
  }

  /** Tells the neighbours of a point that a boundary is so far (Å) from it; those of a point outside only ahead. */
  tell(from: number, i: number, j: number, k: number, x: number, y: number, z: number, isRim: boolean): void {
    const { square, to, way, index, leaps } = this;
    const { n, places } = this.steps;
    const isAmid = i > 0 && j > 0 && k > 0 && i < n[0] - 1 && j < n[1] - 1 && k < n[2] - 1;
    for (let m = 0; m < 26; m++) {
      const wx = way[3 * m]!,
        wy = way[3 * m + 1]!,
        wz = way[3 * m + 2]!;
      // Towards the boundary others know better.
      if (!isRim && x * wx + y * wy + z * wz > 0) continue;
      const at = isAmid ? from + leaps[m]! : places.of(i + index[3 * m]!, j + index[3 * m + 1]!, k + index[3 * m + 2]!);
      const u = x - wx,
        v = y - wy,
        w = z - wz;
      const far = u * u + v * v + w * w;
      if (far >= NEARER * square[at]!) continue;
      to[3 * at] = u;
      to[3 * at + 1] = v;
      to[3 * at + 2] = w;
      square[at] = far;
      this.queue.push(at, Math.sqrt(far));
    }
  }

  /** Every point that a boundary is near to, the nearest first, and how near (Å). */
  each(visit: (at: number, distance: number) => void): void {
    const [, q, r] = this.steps.n;
    const { to } = this;
    this.queue.each((at, slot) => {
      const distance = Math.sqrt(this.square[at]!);
      if (this.queue.slotOf(distance) < slot) return;
      visit(at, distance);
      const row = Math.floor(at / r),
        i = Math.floor(row / q);
      this.tell(at, i, row - i * q, at - row * r, to[3 * at]!, to[3 * at + 1]!, to[3 * at + 2]!, false);
    });
  }
}

/** Unit slopes of a field at grid points, by differences along the axes of the grid. */
class Slopes {
  private readonly reciprocal: readonly [Vec3, Vec3, Vec3];
  constructor(
    private readonly d: Float64Array,
    private readonly steps: Steps,
  ) {
    const { a, b, c } = steps;
    this.reciprocal = [cross(b, c), cross(c, a), cross(a, b)];
  }
  at(i: number, j: number, k: number): Vec3 {
    const { d, reciprocal } = this;
    const { places } = this.steps;
    const x = d[places.of(i + 1, j, k)]! - d[places.of(i - 1, j, k)]!,
      y = d[places.of(i, j + 1, k)]! - d[places.of(i, j - 1, k)]!,
      z = d[places.of(i, j, k + 1)]! - d[places.of(i, j, k - 1)]!;
    // The gradient s with s·a = x and so on: through the reciprocal of the steps.
    const [u, v, w] = reciprocal;
    const s: Vec3 = [x * u[0] + y * v[0] + z * w[0], x * u[1] + y * v[1] + z * w[1], x * u[2] + y * v[2] + z * w[2]];
    const length = Math.hypot(s[0], s[1], s[2]) || 1;
    return [s[0] / length, s[1] / length, s[2] / length];
  }
}
