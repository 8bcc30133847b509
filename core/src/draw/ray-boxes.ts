/** A tree of boxes over solids: rays ask only those whose boxes they pass (Kay & Kajiya 1986, Computer Graphics 20, 269). */
import type { Vec3 } from '../math/matrix3.ts';
import { boxOf, meet, type Solid } from './ray-solids.ts';

/** Solids of one leaf. */
const LEAF = 4;

export class BoxTree {
  /** Low and high corners of each node. */
  private readonly bounds: number[] = [];
  /** First child (the second follows its subtree at `other`), or −1 − first index of a leaf with `count`. */
  private readonly other: number[] = [];
  private readonly first: number[] = [];
  private readonly count: number[] = [];
  private readonly order: Solid[];

  constructor(solids: readonly Solid[]) {
    const boxes = solids.map(boxOf);
    const indices = solids.map((_, i) => i);
    this.order = [];
    if (solids.length) this.build(solids, boxes, indices);
  }

  private build(solids: readonly Solid[], boxes: readonly (readonly [Vec3, Vec3])[], indices: number[]): number {
    const node = this.count.length;
    const low = [Infinity, Infinity, Infinity],
      high = [-Infinity, -Infinity, -Infinity];
    for (const i of indices)
      for (let k = 0; k < 3; k++) {
        low[k] = Math.min(low[k]!, boxes[i]![0][k]!);
        high[k] = Math.max(high[k]!, boxes[i]![1][k]!);
      }
    this.bounds.push(...low, ...high);
    this.other.push(-1);
    this.first.push(this.order.length);
    this.count.push(0);
    if (indices.length <= LEAF) {
      this.count[node] = indices.length;
      for (const i of indices) this.order.push(solids[i]!);
      return node;
    }
    const sides = [0, 1, 2].map((k) => high[k]! - low[k]!);
    const axis = sides.indexOf(Math.max(...sides));
    const middle = (i: number): number => boxes[i]![0][axis]! + boxes[i]![1][axis]!;
    const sorted = [...indices].sort((p, q) => middle(p) - middle(q));
    const half = sorted.length >> 1;
    this.build(solids, boxes, sorted.slice(0, half));
    this.other[node] = this.build(solids, boxes, sorted.slice(half));
    return node;
  }

  /** Whether a ray passes a node's box before `most`. */
  private passes(node: number, o: Vec3, inverse: Vec3, most: number): boolean {
    let from = 0,
      to = most;
    for (let k = 0; k < 3; k++) {
      const a = (this.bounds[6 * node + k]! - o[k]!) * inverse[k]!,
        b = (this.bounds[6 * node + 3 + k]! - o[k]!) * inverse[k]!;
      from = Math.max(from, Math.min(a, b));
      to = Math.min(to, Math.max(a, b));
      if (from > to) return false;
    }
    return true;
  }

  private readonly stack: number[] = [];

  /** The nearest solid along a ray beyond `least`, and where. */
  nearest(o: Vec3, d: Vec3, least: number): { solid: Solid; t: number } | undefined {
    let best: Solid | undefined,
      t = Infinity;
    this.walk(o, d, Infinity, (s) => {
      const found = meet(s, o, d, least);
      if (found < t) [best, t] = [s, found];
      return t;
    });
    return best ? { solid: best, t } : undefined;
  }

  /** Share of light that comes through along a ray up to `most`: the product of what each solid lets through. */
  through(o: Vec3, d: Vec3, least: number, most: number): number {
    let light = 1;
    this.walk(o, d, most, (s) => {
      if (meet(s, o, d, least) < most) light *= 1 - s.opacity;
      return light < 0.01 ? -1 : most;
    });
    return light < 0.01 ? 0 : light;
  }

  /** Visits solids whose boxes a ray passes; `see` tells how far it still goes, and −1 ends it. */
  private walk(o: Vec3, d: Vec3, most: number, see: (s: Solid) => number): void {
    if (!this.count.length) return;
    const inverse: Vec3 = [1 / d[0], 1 / d[1], 1 / d[2]];
    const { stack } = this;
    stack.length = 0;
    stack.push(0);
    let far = most;
    while (stack.length) {
      const node = stack.pop()!;
      if (!this.passes(node, o, inverse, far)) continue;
      const n = this.count[node]!;
      if (!n) {
        stack.push(this.other[node]!, node + 1);
        continue;
      }
      const from = this.first[node]!;
      for (let i = from; i < from + n; i++) {
        far = see(this.order[i]!);
        if (far < 0) return;
      }
    }
  }
}
