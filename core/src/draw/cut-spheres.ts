/**
 * Spheres that run into one another, on paper. Painted from back to front by their middles, each covers what is behind it, but for
 * one thing: where its own surface lies within a sphere further back, that one is seen. The two meet in the plane of equal power
 * (Aurenhammer 1987, SIAM J. Comput. 16, 78), and cells of equal power are in order by their middles from any side (Edelsbrunner
 * 1990, Combinatorica 10, 251).
 */
import { toVec3, type Vec3 } from '../math/matrix3.ts';

export interface Ball {
  /** In the viewer's axes, Å. */
  readonly centre: Vec3;
  readonly radius: number;
}

/** A plane that cuts a ball: n·x = h from its middle, n a unit vector towards the other. */
interface Cut {
  readonly n: Vec3;
  readonly h: number;
}

/** Outline of a ball that is cut: a point for each step around it, from its middle, Å; `cut` where it is not the limb. */
export interface CutPoint {
  readonly x: number;
  readonly y: number;
  readonly cut: boolean;
}

export type CutOutline = readonly CutPoint[] | 'whole' | 'hidden';

/** Steps around an outline. */
const STEPS = 120;

/** Halvings of a way, and steps towards a place that is seen. */
const HALVINGS = 24,
  SEARCH = 60;

/**
 * How far the front of a ball at a place of the page is beyond a plane, Å. Convex over the page where the plane's other side lies
 * further back: what is left of a ball is convex too.
 */
function beyond({ n, h }: Cut, radius: number, x: number, y: number): number {
  return n[0] * x + n[1] * y + n[2] * Math.sqrt(Math.max(0, radius * radius - x * x - y * y)) - h;
}

/** A place of the page where the front of a ball is seen, from its middle; undefined where it is seen nowhere. */
function seenPlace(cuts: readonly Cut[], radius: number): readonly [number, number] | undefined {
  let [x, y] = [0, 0];
  for (let step = 0; step < SEARCH; step++) {
    let worst = 0,
      by: Cut | undefined;
    for (const cut of cuts) {
      const off = beyond(cut, radius, x, y);
      if (off > worst) [worst, by] = [off, cut];
    }
    if (!by) return [x, y];
    // A step as long as would do were the surface flat (Polyak 1969), and a little.
    const z = Math.sqrt(Math.max(1e-4 * radius * radius, radius * radius - x * x - y * y));
    const [gx, gy] = [by.n[0] - (by.n[2] * x) / z, by.n[1] - (by.n[2] * y) / z];
    const size = (1.05 * worst + 1e-3 * radius) / Math.max(1e-9, gx * gx + gy * gy);
    x -= size * gx;
    y -= size * gy;
    const out = Math.hypot(x, y) / (0.98 * radius);
    if (out > 1) [x, y] = [x / out, y / out];
  }
  return undefined;
}

/** Balls by squares of the page, so that each asks only those near to it. */
function squaresOf(balls: readonly Ball[], side: number): Map<number, number[]> {
  const out = new Map<number, number[]>();
  balls.forEach((b, i) => {
    const key = squareKey(Math.floor(b.centre[0] / side), Math.floor(b.centre[1] / side));
    const list = out.get(key);
    if (list) list.push(i);
    else out.set(key, [i]);
  });
  return out;
}
const squareKey = (x: number, y: number): number => x * 100_003 + y;

/** The cut between a ball and one further back; undefined where that one does not come through it. */
function cutBetween(front: Ball, back: Ball): Cut | undefined {
  const d = toVec3([0, 1, 2].map((k) => back.centre[k]! - front.centre[k]!));
  const length = Math.hypot(d[0], d[1], d[2]);
  const { radius: r } = front,
    { radius: s } = back;
  if (length >= r + s || length <= r - s) return undefined;
  // Within the other, it is nowhere on its own side.
  if (length <= s - r) return { n: [0, 0, -1], h: -2 * r };
  return {
    n: [d[0] / length, d[1] / length, d[2] / length],
    h: (length * length + r * r - s * s) / (2 * length),
  };
}

/** The outline of what is seen of a ball: 'whole' where nothing cuts it, 'hidden' where nothing is left. */
function outline(radius: number, cuts: readonly Cut[]): CutOutline {
  const from = seenPlace(cuts, radius);
  if (!from) return 'hidden';
  const [cx, cy] = from;
  const room = radius * radius - cx * cx - cy * cy;
  let isCut = false;
  const points = Array.from({ length: STEPS }, (_, i): CutPoint => {
    const angle = (2 * Math.PI * i) / STEPS;
    const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
    const along = cx * cos + cy * sin;
    const limb = -along + Math.sqrt(along * along + room);
    let reach = limb;
    for (const cut of cuts) {
      if (beyond(cut, radius, cx + reach * cos, cy + reach * sin) <= 0) continue;
      let [low, high] = [0, reach];
      for (let k = 0; k < HALVINGS; k++) {
        const middle = (low + high) / 2;
        if (beyond(cut, radius, cx + middle * cos, cy + middle * sin) <= 0) low = middle;
        else high = middle;
      }
      reach = low;
    }
    const cut = reach < limb - 1e-3 * radius;
    isCut ||= cut;
    return { x: cx + reach * cos, y: cy + reach * sin, cut };
  });
  return isCut ? points : 'whole';
}

/** What of each ball is seen before those further back that come through it. */
export function cutOutlines(balls: readonly Ball[]): CutOutline[] {
  const widest = Math.max(0, ...balls.map((b) => b.radius));
  if (!widest) return balls.map(() => 'whole');
  const side = 2 * widest;
  const squares = squaresOf(balls, side);
  return balls.map((b, i) => {
    const [u, v] = [Math.floor(b.centre[0] / side), Math.floor(b.centre[1] / side)];
    const cuts: Cut[] = [];
    for (let x = u - 1; x <= u + 1; x++)
      for (let y = v - 1; y <= v + 1; y++)
        for (const j of squares.get(squareKey(x, y)) ?? []) {
          if (j === i || balls[j]!.centre[2] > b.centre[2]) continue;
          const cut = cutBetween(b, balls[j]!);
          if (cut) cuts.push(cut);
        }
    return cuts.length ? outline(b.radius, cuts) : 'whole';
  });
}
