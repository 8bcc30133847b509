/** Distances from every place of a cell to the surfaces of its atoms, and the exact places where they are greatest or pass. */
import { metricTensor, orthogonalization, reciprocalLengths } from '../crystal/cell.ts';
import { symmetryTable } from '../crystal/atom-ref.ts';
import { applyOperator } from '../crystal/operator.ts';
import type { Structure } from '../crystal/structure.ts';
import { distancesTo, type Ball } from './distance-field.ts';
import { seededRandom, type Random } from '../math/random.ts';
import {
  add,
  apply3,
  cross,
  determinant3,
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

/** Points of the grid at most, and Å between them at least. */
const MOST_POINTS = 160_000;
const STEP = 0.3;

function capAt(values: Float64Array, most: number): void {
  for (let i = 0; i < values.length; i++) if (values[i]! > most) values[i] = most;
}

/** A grid over the cell, points by index. */
export class CellGrid {
  readonly n: readonly [number, number, number];
  /** `finest` Å between points at least, `most` points at the most. */
  constructor(s: Structure, finest: number, most: number) {
    const lengths = [s.cell.a, s.cell.b, s.cell.c];
    const points = lengths.reduce((p, l) => p * (l / finest), 1);
    const step = finest * Math.max(1, Math.cbrt(points / most));
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

/** Distances to the surfaces of atoms; with `clear`, none beyond so many Å. */
export class EmptySpace {
  readonly grid: CellGrid;
  /** Å from each point of the grid to the nearest surface; negative inside an atom. */
  readonly distances: Float64Array;
  private readonly m;
  private readonly balls: readonly Ball[];
  private readonly widest: number;

  constructor(s: Structure, radiusOf: (element: string) => number, finest = STEP, most = MOST_POINTS, clear?: number) {
    this.m = orthogonalization(s.cell);
    this.grid = new CellGrid(s, finest, most);
    this.balls = ballsOf(s, this.m, radiusOf);
    this.widest = Math.max(...this.balls.map((b) => b.radius));
    const spans = reciprocalLengths(s.cell);
    let reach = clear ?? 4;
    const within = (): Float64Array => distancesTo(this.balls, this.m, spans, this.grid.n, reach);
    let distances = within();
    if (clear !== undefined) capAt(distances, clear);
    // What no atom reached is emptier still.
    for (; distances.includes(Infinity); distances = within()) reach *= 1.6;
    this.distances = distances;
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
    let origin = x;
    let reach = clearance(this.near(x, 60 * STEP), x) + 4;
    let around = this.near(x, reach);
    let d = clearance(around, x);
    const go = (to: Vec3): void => {
      [x, d] = [to, clearance(around, to)];
      // A slope may lead far: atoms that were out of reach hold it too.
      if (d + norm(subtract(x, origin)) < reach) return;
      origin = x;
      reach = clearance(this.near(x, d), x) + 4;
      around = this.near(x, reach);
      d = clearance(around, x);
    };
    const random = seededRandom(1);
    for (let step = STEP; step > 1e-6;) {
      // Ridges of this function are sharp: directions that are never the same twice find along them.
      const tries = [...DIRECTIONS, ...Array.from({ length: 30 }, () => anyDirection(random))];
      const better = tries.map((u) => add(x, scale(u, step))).find((y) => clearance(around, y) > d + 1e-10);
      if (better) go(better);
      else step /= 2;
    }
    // A search may stick on a sharp ridge: places that four atoms hold between them are tried too.
    for (let next = betterBetween(around, x, d); next; next = betterBetween(around, x, d)) go(next.at);
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
          if (offPlane(x, touching[i]!, touching[j]!, touching[k]!) > 3 * STEP) continue;
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

/** Å within which another touching sphere is looked for, and of how many nearest atoms. */
const AROUND = 0.5,
  NEAREST = 9;

/** A larger sphere beside one that four of the nearest atoms touch, none within; undefined where there is none. */
function betterBetween(balls: readonly Ball[], x: Vec3, d: number): { at: Vec3; radius: number } | undefined {
  const off = balls.map((ball) => ({ ball, d: norm(subtract(ball.at, x)) - ball.radius }));
  const near = off
    .sort((p, q) => p.d - q.d)
    .slice(0, NEAREST)
    .map((p) => p.ball);
  let best: { at: Vec3; radius: number } | undefined;
  for (let i = 0; i < near.length; i++)
    for (let j = i + 1; j < near.length; j++)
      for (let k = j + 1; k < near.length; k++)
        for (let l = k + 1; l < near.length; l++) {
          const found = touchingFour(near[i]!, near[j]!, near[k]!, near[l]!);
          if (!found || found.radius < (best?.radius ?? d) + 1e-6 || norm(subtract(found.at, x)) > AROUND) continue;
          if (clearance(balls, found.at) > found.radius - 1e-6) best = found;
        }
  return best;
}

/**
 * The sphere that touches four balls from outside: differences of |x − c|² = (ρ + r)² are linear in x and ρ, what is left is a
 * quadratic in ρ.
 */
function touchingFour(a: Ball, b: Ball, c: Ball, d: Ball): { at: Vec3; radius: number } | undefined {
  const others = [b, c, d].map((p) => ({ way: subtract(p.at, a.at), radius: p.radius }));
  const m = toMat3(others.flatMap(({ way }) => [...way]));
  if (Math.abs(determinant3(m)) < 1e-3) return undefined;
  const back = inverse3(m);
  // From the first ball: x = u + v ρ.
  const u = apply3(back, toVec3(others.map(({ way, radius }) => (dot(way, way) - radius ** 2 + a.radius ** 2) / 2)));
  const v = apply3(back, toVec3(others.map(({ radius }) => a.radius - radius)));
  const [p, q, r] = [dot(v, v) - 1, 2 * (dot(u, v) - a.radius), dot(u, u) - a.radius ** 2];
  const root = q * q - 4 * p * r;
  if (root < 0) return undefined;
  const radii = Math.abs(p) < 1e-9 ? [-r / q] : [1, -1].map((sign) => (-q + sign * Math.sqrt(root)) / (2 * p));
  const radius = Math.min(...radii.filter((x) => x > 0));
  return Number.isFinite(radius) ? { at: add(a.at, add(u, scale(v, radius))), radius } : undefined;
}

/** Å from a place to the plane of three balls' middles. */
function offPlane(x: Vec3, a: Ball, b: Ball, c: Ball): number {
  const n = cross(subtract(b.at, a.at), subtract(c.at, a.at));
  return Math.abs(dot(subtract(x, a.at), n)) / (norm(n) || 1);
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
