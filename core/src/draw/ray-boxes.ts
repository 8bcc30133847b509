/**
 * A tree of boxes over solids, for rays that ask how much light comes through: only those solids are asked whose boxes a ray
 * passes (Kay & Kajiya 1986, Computer Graphics 20, 269). It is cut where the fewest boxes will be passed (Wald 2007, IEEE Symp.
 * Interactive Ray Tracing, 33).
 */
import type { Vec3 } from '../math/matrix3.ts';
import { SolidRows } from './ray-rows.ts';
import { boxOf, type Solid } from './ray-solids.ts';

/** Solids of one leaf at the most, and where the best cut is looked for along an axis. */
const LEAF = 4,
  BINS = 16;
/** Deeper than any tree of so many solids as a picture can hold. */
const DEEPEST = 256;
/** Light below this is none. */
const DARK = 0.01;

interface Made {
  readonly bounds: number[];
  readonly other: number[];
  readonly first: number[];
  readonly count: number[];
  readonly order: number[];
}

type Box = readonly [low: Vec3, high: Vec3];

export class BoxTree {
  readonly rows: SolidRows;
  /** Low and high corners of each node. */
  private readonly bounds: Float64Array;
  /** Second child; the first follows its parent. */
  private readonly other: Int32Array;
  /** Where the solids of a leaf begin and how many they are; none of an inner node. */
  private readonly first: Int32Array;
  private readonly count: Int32Array;
  private readonly stack = new Int32Array(DEEPEST);

  constructor(solids: readonly Solid[]) {
    const boxes = solids.map(boxOf);
    const made: Made = { bounds: [], other: [], first: [], count: [], order: [] };
    if (solids.length) grow(boxes, solids.map((_, i) => i), made); // prettier-ignore
    this.rows = new SolidRows(made.order.map((i) => solids[i]!));
    this.bounds = Float64Array.from(made.bounds);
    this.other = Int32Array.from(made.other);
    this.first = Int32Array.from(made.first);
    this.count = Int32Array.from(made.count);
  }

  /** Share of light that comes through along a ray between `least` and `most` (Å): the product of what each solid lets through. */
  through(ox: number, oy: number, oz: number, dx: number, dy: number, dz: number, least: number, most: number): number {
    if (!this.count.length) return 1;
    const { bounds, other, first, count, stack, rows } = this;
    const ix = 1 / dx,
      iy = 1 / dy,
      iz = 1 / dz;
    let light = 1,
      depth = 0;
    if (passes(bounds, 0, ox, oy, oz, ix, iy, iz, most)) stack[depth++] = 0;
    while (depth > 0) {
      const node = stack[--depth]!;
      const n = count[node]!;
      if (!n) {
        const second = other[node]!;
        if (passes(bounds, 6 * second, ox, oy, oz, ix, iy, iz, most)) stack[depth++] = second;
        if (passes(bounds, 6 * node + 6, ox, oy, oz, ix, iy, iz, most)) stack[depth++] = node + 1;
        continue;
      }
      const start = first[node]!;
      for (let i = start; i < start + n; i++) {
        if (!(rows.meets(i, ox, oy, oz, dx, dy, dz, least) < most)) continue;
        light *= 1 - rows.opacities[i]!;
        if (light < DARK) return 0;
      }
    }
    return light;
  }
}

/** Whether a ray passes a box (its numbers begin at `b`) before `most`. */
function passes(
  bounds: Float64Array,
  b: number,
  ox: number,
  oy: number,
  oz: number,
  ix: number,
  iy: number,
  iz: number,
  most: number,
): boolean {
  const x0 = (bounds[b]! - ox) * ix,
    x1 = (bounds[b + 3]! - ox) * ix,
    y0 = (bounds[b + 1]! - oy) * iy,
    y1 = (bounds[b + 4]! - oy) * iy,
    z0 = (bounds[b + 2]! - oz) * iz,
    z1 = (bounds[b + 5]! - oz) * iz;
  const from = Math.max(Math.min(x0, x1), Math.min(y0, y1), Math.min(z0, z1), 0);
  const to = Math.min(Math.max(x0, x1), Math.max(y0, y1), Math.max(z0, z1), most);
  // A ray within the plane of a side has no number there: it is let pass.
  return !(from > to);
}

const NOTHING = (): [number[], number[]] => [
  [Infinity, Infinity, Infinity],
  [-Infinity, -Infinity, -Infinity],
];

function widen(to: [number[], number[]], box: readonly [readonly number[], readonly number[]]): void {
  for (let k = 0; k < 3; k++) {
    to[0][k] = Math.min(to[0][k]!, box[0][k]!);
    to[1][k] = Math.max(to[1][k]!, box[1][k]!);
  }
}

/** Half the surface of a box: how often rays pass it. */
function surface([low, high]: readonly [readonly number[], readonly number[]]): number {
  const [x, y, z] = [0, 1, 2].map((k) => Math.max(0, high[k]! - low[k]!)) as [number, number, number];
  return x * y + y * z + z * x;
}

/** Adds the node of some boxes and all below it. */
function grow(boxes: readonly Box[], indices: readonly number[], made: Made): number {
  const node = made.count.length;
  const whole = NOTHING();
  for (const i of indices) widen(whole, boxes[i]!);
  made.bounds.push(...whole[0], ...whole[1]);
  made.other.push(-1);
  made.first.push(made.order.length);
  made.count.push(0);
  if (indices.length <= LEAF) {
    made.count[node] = indices.length;
    made.order.push(...indices);
    return node;
  }
  const [left, right] = cut(boxes, indices);
  grow(boxes, left, made);
  made.other[node] = grow(boxes, right, made);
  return node;
}

/** Two halves of which rays will ask the fewest: solids of each times its surface. */
function cut(boxes: readonly Box[], indices: readonly number[]): [number[], number[]] {
  const middles = NOTHING();
  const middle = (i: number, k: number): number => boxes[i]![0][k]! + boxes[i]![1][k]!;
  for (const i of indices) {
    const at = [0, 1, 2].map((k) => middle(i, k));
    widen(middles, [at, at]);
  }
  let best = { cost: Infinity, axis: 0, bin: 0 };
  const binOf = (i: number, axis: number): number => {
    const [low, high] = [middles[0][axis]!, middles[1][axis]!];
    return Math.min(BINS - 1, Math.floor((BINS * (middle(i, axis) - low)) / (high - low)));
  };
  for (let axis = 0; axis < 3; axis++) {
    if (!(middles[1][axis]! > middles[0][axis]!)) continue;
    const bins = Array.from({ length: BINS }, () => ({ box: NOTHING(), count: 0 }));
    for (const i of indices) {
      const bin = bins[binOf(i, axis)]!;
      bin.count++;
      widen(bin.box, boxes[i]!);
    }
    const costs = costsOfCuts(bins);
    for (let bin = 0; bin + 1 < BINS; bin++) if (costs[bin]! < best.cost) best = { cost: costs[bin]!, axis, bin };
  }
  const left = indices.filter((i) => best.cost < Infinity && binOf(i, best.axis) <= best.bin);
  if (left.length && left.length < indices.length) return [left, indices.filter((i) => binOf(i, best.axis) > best.bin)];
  // All in one place: any halves.
  const half = indices.length >> 1;
  return [indices.slice(0, half), indices.slice(half)];
}

/** Cost of cutting after each bin but the last. */
function costsOfCuts(bins: readonly { readonly box: [number[], number[]]; readonly count: number }[]): number[] {
  const before = NOTHING(),
    costs: number[] = [];
  let count = 0;
  for (const bin of bins) {
    widen(before, bin.box);
    count += bin.count;
    costs.push(count ? count * surface(before) : 0);
  }
  const after = NOTHING();
  count = 0;
  for (let k = bins.length - 1; k > 0; k--) {
    widen(after, bins[k]!.box);
    count += bins[k]!.count;
    costs[k - 1]! += count ? count * surface(after) : 0;
  }
  return costs;
}
