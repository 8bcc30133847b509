/**
 * A tree of boxes over solids: rays ask only those whose boxes they pass, nearer boxes first (Kay & Kajiya 1986, Computer
 * Graphics 20, 269). Everything that a ray asks stands in arrays of numbers: nothing is made on the way.
 */
import type { Vec3 } from '../math/matrix3.ts';
import { boxOf, type Solid } from './ray-solids.ts';

/** Solids of one leaf. */
const LEAF = 4;
/** Numbers of one solid. */
const STRIDE = 12;
const KINDS = ['ellipsoid', 'cylinder', 'triangle'] as const;
/** Deeper than any tree of so many solids as a picture can hold. */
const DEEPEST = 128;

/** The numbers that decide where a ray meets a solid. */
function numbersOf(s: Solid): readonly number[] {
  if (s.kind === 'ellipsoid') return [...s.into, ...s.centre];
  return s.kind === 'cylinder' ? [...s.from, ...s.axis, s.length, s.radius] : [...s.a, ...s.ab, ...s.ac];
}

export class BoxTree {
  /** Low and high corners of each node. */
  private bounds = new Float64Array(0);
  /** Second child; the first follows its parent. */
  private other = new Int32Array(0);
  /** Where the solids of a leaf begin and how many they are; none of an inner node. */
  private first = new Int32Array(0);
  private count = new Int32Array(0);
  /** Along which axis an inner node was cut. */
  private axis = new Uint8Array(0);
  private readonly order: Solid[] = [];
  private readonly kinds: Uint8Array;
  private readonly numbers: Float64Array;
  private readonly clearness: Float64Array;
  private readonly stack = new Int32Array(DEEPEST);
  /** Where the ray asked last met the solid it found. */
  private foundAt = Infinity;

  constructor(solids: readonly Solid[]) {
    const boxes = solids.map(boxOf);
    const made: Made = { bounds: [], other: [], first: [], count: [], axis: [] };
    if (solids.length)
      this.build(
        solids,
        boxes,
        solids.map((_, i) => i),
        made,
      );
    this.bounds = Float64Array.from(made.bounds);
    this.other = Int32Array.from(made.other);
    this.first = Int32Array.from(made.first);
    this.count = Int32Array.from(made.count);
    this.axis = Uint8Array.from(made.axis);
    this.kinds = Uint8Array.from(this.order, (s) => KINDS.indexOf(s.kind));
    this.clearness = Float64Array.from(this.order, (s) => 1 - s.opacity);
    this.numbers = new Float64Array(STRIDE * this.order.length);
    this.order.forEach((s, i) => this.numbers.set(numbersOf(s), STRIDE * i));
  }

  private build(
    solids: readonly Solid[],
    boxes: readonly (readonly [Vec3, Vec3])[],
    indices: number[],
    made: Made,
  ): number {
    const node = made.count.length;
    const low = [Infinity, Infinity, Infinity],
      high = [-Infinity, -Infinity, -Infinity];
    for (const i of indices)
      for (let k = 0; k < 3; k++) {
        low[k] = Math.min(low[k]!, boxes[i]![0][k]!);
        high[k] = Math.max(high[k]!, boxes[i]![1][k]!);
      }
    const sides = [0, 1, 2].map((k) => high[k]! - low[k]!);
    const axis = sides.indexOf(Math.max(...sides));
    made.bounds.push(...low, ...high);
    made.other.push(-1);
    made.first.push(this.order.length);
    made.count.push(0);
    made.axis.push(axis);
    if (indices.length <= LEAF) {
      made.count[node] = indices.length;
      for (const i of indices) this.order.push(solids[i]!);
      return node;
    }
    const middle = (i: number): number => boxes[i]![0][axis]! + boxes[i]![1][axis]!;
    const sorted = [...indices].sort((p, q) => middle(p) - middle(q));
    const half = sorted.length >> 1;
    this.build(solids, boxes, sorted.slice(0, half), made);
    made.other[node] = this.build(solids, boxes, sorted.slice(half), made);
    return node;
  }

  /** Where a ray meets a solid beyond `least`; Infinity where it does not. The same as `meet`, out of numbers. */
  private meets(
    i: number,
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    least: number,
  ): number {
    const kind = this.kinds[i]!;
    if (kind === 0) return meetEllipsoid(this.numbers, STRIDE * i, ox, oy, oz, dx, dy, dz, least);
    if (kind === 1) return meetCylinder(this.numbers, STRIDE * i, ox, oy, oz, dx, dy, dz, least);
    return meetTriangle(this.numbers, STRIDE * i, ox, oy, oz, dx, dy, dz, least);
  }

  /** The nearest solid along a ray beyond `least`, and where. */
  nearest(o: Vec3, d: Vec3, least: number): { solid: Solid; t: number } | undefined {
    const i = this.walk(o[0], o[1], o[2], d[0], d[1], d[2], least, Infinity, false);
    return i < 0 ? undefined : { solid: this.order[i]!, t: this.foundAt };
  }

  /** Share of light that comes through along a ray up to `most`: the product of what each solid lets through. */
  through(ox: number, oy: number, oz: number, dx: number, dy: number, dz: number, least: number, most: number): number {
    this.light = 1;
    this.walk(ox, oy, oz, dx, dy, dz, least, most, true);
    return this.light < DARK ? 0 : this.light;
  }

  private light = 1;

  /**
   * Goes through the boxes that a ray passes. For the nearest solid: its index, −1 where there is none. For light (`dims`): what
   * every solid before `most` leaves of it.
   */
  private walk(
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    least: number,
    most: number,
    dims: boolean,
  ): number {
    this.foundAt = Infinity;
    if (!this.count.length) return -1;
    const { bounds, other, first, count, axis, stack, clearness } = this;
    const ix = 1 / dx,
      iy = 1 / dy,
      iz = 1 / dz;
    let found = -1,
      far = most,
      depth = 0;
    stack[depth++] = 0;
    while (depth > 0) {
      const node = stack[--depth]!;
      const b = 6 * node;
      let from = 0,
        to = far;
      const x0 = (bounds[b]! - ox) * ix,
        x1 = (bounds[b + 3]! - ox) * ix;
      if (x0 < x1) {
        if (x0 > from) from = x0;
        if (x1 < to) to = x1;
      } else {
        if (x1 > from) from = x1;
        if (x0 < to) to = x0;
      }
      const y0 = (bounds[b + 1]! - oy) * iy,
        y1 = (bounds[b + 4]! - oy) * iy;
      if (y0 < y1) {
        if (y0 > from) from = y0;
        if (y1 < to) to = y1;
      } else {
        if (y1 > from) from = y1;
        if (y0 < to) to = y0;
      }
      const z0 = (bounds[b + 2]! - oz) * iz,
        z1 = (bounds[b + 5]! - oz) * iz;
      if (z0 < z1) {
        if (z0 > from) from = z0;
        if (z1 < to) to = z1;
      } else {
        if (z1 > from) from = z1;
        if (z0 < to) to = z0;
      }
      if (from > to) continue;
      const n = count[node]!;
      if (!n) {
        // The half that the ray enters first is looked at first.
        const along = axis[node] === 0 ? dx : axis[node] === 1 ? dy : dz;
        stack[depth++] = along < 0 ? node + 1 : other[node]!;
        stack[depth++] = along < 0 ? other[node]! : node + 1;
        continue;
      }
      const start = first[node]!;
      for (let i = start; i < start + n; i++) {
        const t = this.meets(i, ox, oy, oz, dx, dy, dz, least);
        if (!(t < far)) continue;
        if (!dims) {
          far = t;
          found = i;
          continue;
        }
        this.light *= clearness[i]!;
        if (this.light < DARK) return -1;
      }
    }
    this.foundAt = far;
    return found;
  }
}

interface Made {
  readonly bounds: number[];
  readonly other: number[];
  readonly first: number[];
  readonly count: number[];
  readonly axis: number[];
}

/** Light below this is none. */
const DARK = 0.01;

function meetEllipsoid(
  n: Float64Array,
  at: number,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  least: number,
): number {
  const wx = ox - n[at + 9]!,
    wy = oy - n[at + 10]!,
    wz = oz - n[at + 11]!;
  const m0 = n[at]!, m1 = n[at + 1]!, m2 = n[at + 2]!; // prettier-ignore
  const m3 = n[at + 3]!, m4 = n[at + 4]!, m5 = n[at + 5]!; // prettier-ignore
  const m6 = n[at + 6]!, m7 = n[at + 7]!, m8 = n[at + 8]!; // prettier-ignore
  const px = m0 * wx + m1 * wy + m2 * wz,
    py = m3 * wx + m4 * wy + m5 * wz,
    pz = m6 * wx + m7 * wy + m8 * wz;
  const vx = m0 * dx + m1 * dy + m2 * dz,
    vy = m3 * dx + m4 * dy + m5 * dz,
    vz = m6 * dx + m7 * dy + m8 * dz;
  const a = vx * vx + vy * vy + vz * vz,
    b = px * vx + py * vy + pz * vz,
    c = px * px + py * py + pz * pz - 1;
  const root = b * b - a * c;
  if (root < 0) return Infinity;
  const half = Math.sqrt(root);
  const near = (-b - half) / a;
  if (near > least) return near;
  const far = (-b + half) / a;
  return far > least ? far : Infinity;
}

function meetCylinder(
  n: Float64Array,
  at: number,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  least: number,
): number {
  const wx = ox - n[at]!,
    wy = oy - n[at + 1]!,
    wz = oz - n[at + 2]!;
  const ax = n[at + 3]!,
    ay = n[at + 4]!,
    az = n[at + 5]!;
  const length = n[at + 6]!,
    square = n[at + 7]! * n[at + 7]!;
  const dv = dx * ax + dy * ay + dz * az,
    wv = wx * ax + wy * ay + wz * az;
  const a = 1 - dv * dv,
    b = wx * dx + wy * dy + wz * dz - wv * dv,
    c = wx * wx + wy * wy + wz * wz - wv * wv - square;
  let best = Infinity;
  if (a > 1e-12) {
    const root = b * b - a * c;
    if (root < 0) return Infinity;
    const half = Math.sqrt(root);
    const near = (-b - half) / a,
      far = (-b + half) / a;
    const nearAlong = wv + near * dv,
      farAlong = wv + far * dv;
    if (near > least && nearAlong >= 0 && nearAlong <= length) best = near;
    else if (far > least && farAlong >= 0 && farAlong <= length) best = far;
  }
  // Flat ends.
  if (Math.abs(dv) > 1e-9)
    for (let k = 0; k < 2; k++) {
      const end = k ? length : 0;
      const t = (end - wv) / dv;
      if (t <= least || t >= best) continue;
      const x = wx + dx * t,
        y = wy + dy * t,
        z = wz + dz * t;
      if (x * x + y * y + z * z - end * end <= square) best = t;
    }
  return best;
}

function meetTriangle(
  n: Float64Array,
  at: number,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  least: number,
): number {
  const bx = n[at + 3]!,
    by = n[at + 4]!,
    bz = n[at + 5]!;
  const cx = n[at + 6]!,
    cy = n[at + 7]!,
    cz = n[at + 8]!;
  const px = dy * cz - dz * cy,
    py = dz * cx - dx * cz,
    pz = dx * cy - dy * cx;
  const det = bx * px + by * py + bz * pz;
  if (Math.abs(det) < 1e-14) return Infinity;
  const wx = ox - n[at]!,
    wy = oy - n[at + 1]!,
    wz = oz - n[at + 2]!;
  const u = (wx * px + wy * py + wz * pz) / det;
  if (u < 0 || u > 1) return Infinity;
  const qx = wy * bz - wz * by,
    qy = wz * bx - wx * bz,
    qz = wx * by - wy * bx;
  const v = (dx * qx + dy * qy + dz * qz) / det;
  if (v < 0 || u + v > 1) return Infinity;
  const t = (cx * qx + cy * qy + cz * qz) / det;
  return t > least ? t : Infinity;
}
