/**
 * Empty space in a crystal: the largest sphere that fits between the atoms, and the widest one that can pass through, with the
 * directions it can go. On a grid of distances; the largest path by joining points from the emptiest on (as minimum spanning
 * trees are made), loops that end in another cell telling where it leads. Both spheres are then made exact.
 */
import { metricTensor, orthogonalization, reciprocalLengths } from '../crystal/cell.ts';
import { elementOf } from '../crystal/elements.ts';
import { symmetryTable } from '../crystal/atom-ref.ts';
import { operatorsNear } from '../crystal/neighbours.ts';
import { applyOperator } from '../crystal/operator.ts';
import type { Structure } from '../crystal/structure.ts';
import { greatestCommonDivisor } from '../math/integer.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import {
  add,
  apply3,
  dot,
  inverse3,
  norm,
  normalize,
  scale,
  subtract,
  toMat3,
  toVec3,
  type Vec3,
} from '../math/matrix3.ts';

export interface PoreSphere {
  /** Fractional, in the cell. */
  readonly at: Vec3;
  /** Å, from atom surface to atom surface. */
  readonly diameter: number;
}

export interface PoreWindow extends PoreSphere {
  /** 1 channels, 2 layers of them, 3 everywhere. */
  readonly dimension: 1 | 2 | 3;
  /** Lattice vectors a sphere of this diameter can go along, as many as the dimension. */
  readonly directions: readonly Vec3[];
}

export interface Pores {
  readonly largest: PoreSphere;
  /** The widest way through, and the widest ways that open further directions; empty where everything is closed. */
  readonly windows: readonly PoreWindow[];
  /** Part of the volume further from every atom than its surface, 0 … 1. */
  readonly empty: number;
}

/** Points of the grid at most, and Å between them at least. */
const MOST_POINTS = 160_000,
  STEP = 0.3;
/** Å: a sphere of a smaller radius passes everywhere and means nothing. */
const LEAST_RADIUS = 0.25;

/** An atom of the cell, Cartesian, with its radius. */
interface Ball {
  readonly at: Vec3;
  readonly radius: number;
}

/** Å: radius of an atom for what does not bond to it. */
export const vanDerWaalsRadius = (element: string): number => elementOf(element).vdwRadius;

/** Spheres in the empty space of a crystal; undefined where no sphere of 0.5 Å fits. `radiusOf` gives Å by element. */
export function findPores(s: Structure, radiusOf: (element: string) => number = vanDerWaalsRadius): Pores | undefined {
  const space = new EmptySpace(s, radiusOf);
  const { grid, distances } = space;
  let best = 0,
    free = 0;
  distances.forEach((d, i) => {
    if (d > distances[best]!) best = i;
    if (d > 0) free++;
  });
  if (!(distances[best]! > LEAST_RADIUS)) return undefined;
  const largest = emptiest(distances, distances[best]!)
    .map((i) => space.largestNear(grid.pointAt(i)))
    .reduce((p, q) => (q.diameter > p.diameter + 1e-9 ? q : p));
  return {
    largest: { ...largest, at: nearMiddle(s, largest.at) },
    windows: waysThrough(space)
      .filter(isWidest)
      .map((w) => ({ ...w, at: nearMiddle(s, w.at) })),
    empty: free / distances.length,
  };
}

/** The copy of a place that stands nearest to the middle of the cell, where it is seen best. */
function nearMiddle(s: Structure, at: Vec3): Vec3 {
  return operatorsNear(symmetryTable(s.spaceGroup).operators, metricTensor(s.cell), at, [0.5, 0.5, 0.5]).moved;
}

/** Starts of the search for the largest sphere. */
const STARTS = 12;

/** The emptiest points of the grid: any of them may stand where the largest sphere is, since the grid misses all places a little. */
function emptiest(distances: Float64Array, most: number): number[] {
  const near: number[] = [];
  distances.forEach((d, i) => {
    if (d > most - STEP) near.push(i);
  });
  return near.sort((i, j) => distances[j]! - distances[i]!).slice(0, STARTS);
}

/** Of ways of one width, only what they make together. */
const isWidest = (w: PoreWindow, i: number, all: readonly PoreWindow[]): boolean => {
  const next = all[i + 1];
  return !next || w.diameter - next.diameter > 1e-3;
};

/** A grid over the cell, points by index. */
class CellGrid {
  readonly n: readonly [number, number, number];
  constructor(s: Structure) {
    const lengths = [s.cell.a, s.cell.b, s.cell.c];
    const points = lengths.reduce((p, l) => p * (l / STEP), 1);
    const step = STEP * Math.max(1, Math.cbrt(points / MOST_POINTS));
    this.n = lengths.map((l) => Math.max(4, Math.ceil(l / step))) as unknown as [number, number, number];
  }
  get size(): number {
    return this.n[0] * this.n[1] * this.n[2];
  }
  pointAt(index: number): Vec3 {
    const [p, q, r] = this.n;
    return [Math.floor(index / (q * r)) / p, (Math.floor(index / r) % q) / q, (index % r) / r];
  }
}

/** Distances to the surfaces of atoms. */
class EmptySpace {
  readonly grid: CellGrid;
  /** Å from each point of the grid to the nearest surface; negative inside an atom. */
  readonly distances: Float64Array;
  private readonly m;
  private readonly balls: readonly Ball[];
  private readonly widest: number;

  constructor(s: Structure, radiusOf: (element: string) => number) {
    this.m = orthogonalization(s.cell);
    this.grid = new CellGrid(s);
    this.balls = ballsOf(s, this.m, radiusOf);
    this.widest = Math.max(...this.balls.map((b) => b.radius));
    const spans = reciprocalLengths(s.cell);
    let reach = 4;
    let distances = this.stamped(reach, spans);
    // What no atom reached is emptier still.
    while (distances.includes(Infinity)) distances = this.stamped((reach *= 1.6), spans);
    this.distances = distances;
  }

  /** Every atom tells the points within its reach how far they are. */
  private stamped(reach: number, spans: Vec3): Float64Array {
    const { n } = this.grid;
    const [p, q, r] = n;
    const out = new Float64Array(this.grid.size).fill(Infinity);
    const back = inverse3(this.m);
    const steps = [0, 1, 2].map((k) => toVec3([this.m[k]! / n[k]!, this.m[3 + k]! / n[k]!, this.m[6 + k]! / n[k]!]));
    const [sa, sb, sc] = steps as [Vec3, Vec3, Vec3];
    for (const { at, radius } of this.balls) {
      const f = apply3(back, at);
      const far = reach + radius;
      const low = f.map((x, k) => Math.ceil((x - far * spans[k]!) * n[k]!));
      const high = f.map((x, k) => Math.floor((x + far * spans[k]!) * n[k]!));
      const cc = sc[0] * sc[0] + sc[1] * sc[1] + sc[2] * sc[2];
      for (let i = low[0]!; i <= high[0]!; i++) {
        const row = wrap(i, p) * q;
        for (let j = low[1]!; j <= high[1]!; j++) {
          const column = (row + wrap(j, q)) * r;
          const x0 = i * sa[0] + j * sb[0] - at[0],
            y0 = i * sa[1] + j * sb[1] - at[1],
            z0 = i * sa[2] + j * sb[2] - at[2];
          // The part of the row within reach: |x₀ + k c|² = far².
          const half = -(x0 * sc[0] + y0 * sc[1] + z0 * sc[2]) / cc;
          const root = half * half - (x0 * x0 + y0 * y0 + z0 * z0 - far * far) / cc;
          if (root < 0) continue;
          const wide = Math.sqrt(root);
          const last = Math.floor(half + wide);
          let k = Math.ceil(half - wide);
          for (let m = wrap(k, r); k <= last; k++) {
            const x = x0 + k * sc[0],
              y = y0 + k * sc[1],
              z = z0 + k * sc[2];
            const square = x * x + y * y + z * z;
            const known = out[column + m]! + radius;
            if (known > 0 && square < known * known) out[column + m] = Math.sqrt(square) - radius;
            if (++m === r) m = 0;
          }
        }
      }
    }
    return out;
  }

  cartesian(f: Vec3): Vec3 {
    return apply3(this.m, f);
  }

  fractional(x: Vec3): Vec3 {
    return toVec3(apply3(inverse3(this.m), x).map((c) => c - Math.floor(c + 1e-9)));
  }

  /** Atoms with a surface within `reach` Å of a point, copies included. */
  near(x: Vec3, reach: number): Ball[] {
    const back = inverse3(this.m);
    const far = reach + this.widest;
    const spans = [0, 1, 2].map((k) => norm([back[3 * k]!, back[3 * k + 1]!, back[3 * k + 2]!]) * far);
    const out: Ball[] = [];
    for (const b of this.balls) {
      const d = apply3(back, subtract(x, b.at));
      const [low, high] = [d.map((c, k) => Math.ceil(c - spans[k]!)), d.map((c, k) => Math.floor(c + spans[k]!))];
      for (let i = low[0]!; i <= high[0]!; i++)
        for (let j = low[1]!; j <= high[1]!; j++)
          for (let k = low[2]!; k <= high[2]!; k++) {
            const at = add(b.at, apply3(this.m, [i, j, k]));
            if (norm(subtract(at, x)) - b.radius <= reach) out.push({ at, radius: b.radius });
          }
    }
    return out;
  }

  /** The point of the emptiest place near a point: steps in all directions, halved where none helps. */
  largestNear(f: Vec3): PoreSphere {
    let x = this.cartesian(f);
    const start = clearance(this.near(x, 60 * STEP), x);
    const around = this.near(x, start + 4);
    let d = clearance(around, x);
    const random = seededRandom(1);
    for (let step = STEP; step > 1e-6;) {
      // Ridges of this function are sharp: directions that are never the same twice find along them.
      const tries = [...DIRECTIONS, ...Array.from({ length: 30 }, () => anyDirection(random))];
      const better = tries.map((u) => add(x, scale(u, step))).find((y) => clearance(around, y) > d + 1e-10);
      if (better) [x, d] = [better, clearance(around, better)];
      else step /= 2;
    }
    return { at: this.fractional(x), diameter: 2 * d };
  }

  /** The narrowest place of a way near a point: where three atoms touch a sphere whose centre lies between them. */
  windowNear(f: Vec3, d: number): PoreSphere {
    const x = this.cartesian(f);
    const touching = this.near(x, d + 1.2);
    let best: { at: Vec3; radius: number } | undefined;
    for (let i = 0; i < touching.length; i++)
      for (let j = i + 1; j < touching.length; j++)
        for (let k = j + 1; k < touching.length; k++) {
          const found = sphereBetween(touching[i]!, touching[j]!, touching[k]!);
          if (!found || norm(subtract(found.at, x)) > 3 * STEP) continue;
          if (clearance(touching, found.at) < found.radius - 1e-6) continue;
          if (!best || norm(subtract(found.at, x)) < norm(subtract(best.at, x))) best = found;
        }
    // The grid sees every way a little too narrow.
    return best && best.radius > d - 0.02
      ? { at: this.fractional(best.at), diameter: 2 * best.radius }
      : { at: f, diameter: 2 * d };
  }
}

const anyDirection = (random: Random): Vec3 => normalize([random.normal(), random.normal(), random.normal()]);

const wrap = (i: number, n: number): number => ((i % n) + n) % n;

const DIRECTIONS: readonly Vec3[] = [-1, 0, 1].flatMap((i) =>
  [-1, 0, 1].flatMap((j) => [-1, 0, 1].flatMap((k): Vec3[] => (i || j || k ? [normalize([i, j, k])] : []))),
);

const clearance = (balls: readonly Ball[], x: Vec3): number =>
  balls.reduce((least, b) => Math.min(least, norm(subtract(b.at, x)) - b.radius), Infinity);

/** Every atom of one cell once: those that share a place by the largest of them. */
function ballsOf(s: Structure, m: ReturnType<typeof orthogonalization>, radiusOf: (element: string) => number): Ball[] {
  const metric = metricTensor(s.cell);
  const { operators } = symmetryTable(s.spaceGroup);
  return s.sites.flatMap((site): Ball[] => {
    const places: Vec3[] = [];
    for (const o of operators) {
      const x = toVec3(applyOperator(o, site.position).map((c) => c - Math.floor(c + 1e-9)));
      const isThere = places.some((y) => {
        const d = toVec3(subtract(x, y).map((c) => c - Math.round(c)));
        return dot(d, apply3(toMat3(metric), d)) < 1e-4;
      });
      if (!isThere) places.push(x);
    }
    return places.map((x) => ({ at: apply3(m, x), radius: radiusOf(site.element) }));
  });
}

/**
 * The smallest sphere that touches three balls from outside, if its centre lies within their triangle: the saddle of the
 * distance to their surfaces. Newton on centre (in their plane) and radius.
 */
function sphereBetween(a: Ball, b: Ball, c: Ball): { at: Vec3; radius: number } | undefined {
  const e1 = normalize(subtract(b.at, a.at));
  const side = subtract(c.at, a.at);
  const rest = subtract(side, scale(e1, dot(side, e1)));
  if (norm(rest) < 0.1) return undefined;
  const e2 = normalize(rest);
  const plane = (p: Vec3): readonly [number, number] => [dot(subtract(p, a.at), e1), dot(subtract(p, a.at), e2)];
  const points = [a, b, c].map((p) => [...plane(p.at), p.radius] as const);
  let [u, v] = [0, 1].map((k) => points.reduce((sum, p) => sum + p[k]!, 0) / 3) as [number, number];
  let radius = Math.hypot(u, v) - a.radius;
  for (let round = 0; round < 30; round++) {
    const rows = points.map(([x, y, r]) => {
      const d = Math.hypot(u - x, v - y) || 1e-9;
      return { row: [(u - x) / d, (v - y) / d, -1] as const, off: d - r - radius };
    });
    const j = toMat3(rows.flatMap((x) => [...x.row]));
    let step: Vec3;
    try {
      step = apply3(inverse3(j), toVec3(rows.map((x) => -x.off)));
    } catch {
      return undefined;
    }
    const short = Math.min(1, 1 / (norm(step) || 1));
    u += short * step[0];
    v += short * step[1];
    radius += short * step[2];
    if (norm(step) < 1e-10) break;
  }
  const inside = isInside(points, u, v);
  return inside && radius > 0 ? { at: add(a.at, add(scale(e1, u), scale(e2, v))), radius } : undefined;
}

function isInside(points: readonly (readonly number[])[], u: number, v: number): boolean {
  const sides = points.map((p, i) => {
    const q = points[(i + 1) % 3]!;
    return (q[0]! - p[0]!) * (v - p[1]!) - (q[1]! - p[1]!) * (u - p[0]!);
  });
  return sides.every((x) => x > -1e-6) || sides.every((x) => x < 1e-6);
}

/** Points joined so far, each with the cell its root lies in. */
class Joined {
  private readonly parent: Int32Array;
  private readonly shifts: Int32Array;
  constructor(size: number) {
    this.parent = new Int32Array(size).fill(-1);
    this.shifts = new Int32Array(3 * size);
  }
  open(i: number): void {
    this.parent[i] = i;
  }
  isOpen(i: number): boolean {
    return this.parent[i]! >= 0;
  }
  /** The root of a point and the cells from it to there. */
  find(i: number): { root: number; shift: Vec3 } {
    let x = 0,
      y = 0,
      z = 0,
      at = i;
    while (this.parent[at] !== at) {
      x += this.shifts[3 * at]!;
      y += this.shifts[3 * at + 1]!;
      z += this.shifts[3 * at + 2]!;
      at = this.parent[at]!;
    }
    if (at !== i) {
      this.parent[i] = at;
      this.shifts.set([x, y, z], 3 * i);
    }
    return { root: at, shift: [x, y, z] };
  }
  hang(root: number, under: number, shift: Vec3): void {
    this.parent[root] = under;
    this.shifts.set(shift, 3 * root);
  }
}

/** From the emptiest point on: where a loop of joined points first leads to another cell, a way is open. */
function waysThrough(space: EmptySpace): PoreWindow[] {
  const { grid, distances } = space;
  const [p, q, r] = grid.n;
  const order = Array.from(distances.keys()).filter((i) => distances[i]! > LEAST_RADIUS);
  order.sort((i, j) => distances[j]! - distances[i]!);
  const joined = new Joined(grid.size);
  const lattices = new Map<number, IntegerLattice>();
  const windows: PoreWindow[] = [];
  for (const i of order) {
    joined.open(i);
    const x = Math.floor(i / (q * r)),
      y = Math.floor(i / r) % q,
      z = i % r;
    for (const [dx, dy, dz] of STEPS) {
      const [a, b, c] = [x + dx, y + dy, z + dz];
      const j = (wrap(a, p) * q + wrap(b, q)) * r + wrap(c, r);
      if (!joined.isOpen(j)) continue;
      const over: Vec3 = [Math.floor(a / p), Math.floor(b / q), Math.floor(c / r)];
      const rank = joinThrough(joined, lattices, i, j, over);
      if (rank <= (windows.at(-1)?.dimension ?? 0)) continue;
      const narrow = space.windowNear(grid.pointAt(i), distances[i]!);
      const lattice = lattices.get(joined.find(i).root)!;
      windows.push({ ...narrow, dimension: rank as 1 | 2 | 3, directions: lattice.basis.map(coprime) });
      if (rank === 3) return windows;
    }
  }
  return windows;
}

/** Joins two points; the dimension of what they are in, after that. `over` are the cells from the first to the second. */
function joinThrough(joined: Joined, lattices: Map<number, IntegerLattice>, i: number, j: number, over: Vec3): number {
  const from = joined.find(i),
    to = joined.find(j);
  // Cells by which the second root lies off the first one, if one goes by this step.
  const loop = subtract(add(over, from.shift), to.shift);
  const lattice = lattices.get(from.root) ?? new IntegerLattice();
  if (from.root === to.root) {
    if (loop.some((x) => x)) {
      lattice.add(loop);
      lattices.set(from.root, lattice);
    }
    return lattice.rank;
  }
  for (const v of lattices.get(from.root)?.basis ?? []) ensured(lattices, to.root).add(v);
  lattices.delete(from.root);
  joined.hang(from.root, to.root, scale(loop, -1));
  return lattices.get(to.root)?.rank ?? 0;
}

function ensured(lattices: Map<number, IntegerLattice>, root: number): IntegerLattice {
  const lattice = lattices.get(root) ?? new IntegerLattice();
  lattices.set(root, lattice);
  return lattice;
}

const STEPS: readonly Vec3[] = [-1, 0, 1].flatMap((i) =>
  [-1, 0, 1].flatMap((j) => [-1, 0, 1].flatMap((k): Vec3[] => (i || j || k ? [[i, j, k]] : []))),
);

const coprime = (v: Vec3): Vec3 => {
  const d = v.reduce((n, x) => greatestCommonDivisor(n, Math.abs(x)), 0) || 1;
  return toVec3(v.map((x) => x / d + 0));
};
