/**
 * What of the reached points of a grid hangs together, in how many directions, and where the widest way through closes. Every point
 * first goes uphill to the emptiest place that it leads to; hills are then joined over their passes, the widest first (a maximum
 * spanning tree, Kruskal 1956).
 */
import { IntegerLattice } from '../math/integer-lattice.ts';
import { toVec3, type Vec3 } from '../math/matrix3.ts';
import { CORNERS, FACES, type Places } from './grid-steps.ts';
import { Joined, joinThrough } from './joined.ts';

/** Points that hang together. */
export interface Part {
  /** Its emptiest point. */
  readonly best: number;
  /** The point where the first way through closed, and its clearance, Å. */
  readonly window?: { readonly at: number; readonly d: number };
  readonly lattice?: IntegerLattice;
}

/** Emptiest points of the hills, and the ways between them, the widest first. */
export interface Hilltops {
  readonly tops: readonly number[];
  readonly passes: readonly Pass[];
}

export interface Parts {
  readonly hilltops: Hilltops;
  /** Part of each point, −1 outside. */
  readonly of: Int32Array;
  readonly parts: readonly Part[];
}

/** Neighbours on one side only, so that every pair is met once. */
const isAhead = ([x, y, z]: Vec3): boolean => x > 0 || (x === 0 && (y > 0 || (y === 0 && z > 0)));

/** Cells that a step over the edge of the grid leads on: −1, 0, 1. */
const over = (i: number, n: number): number => (i < 0 ? -1 : i >= n ? 1 : 0);

/** Steps to neighbours, three numbers each, and how far their indices lie off where no edge of the grid is between. */
interface Ways {
  readonly steps: Int8Array;
  readonly leaps: Int32Array;
}

const waysOf = (steps: readonly Vec3[], [, q, r]: Places['n']): Ways => ({
  steps: Int8Array.from(steps.flat()),
  leaps: Int32Array.from(steps, ([x, y, z]) => (x * q + y) * r + z),
});

/** Numbers of cells along an axis that have a code. */
const CODED = 8;

/** Every point's hill, and the cells from the point to the hill's top. */
class Hills {
  /** Hill of each point, −1 outside. */
  readonly of: Int32Array;
  readonly shifts: Int16Array;
  readonly tops: number[] = [];

  constructor(
    private readonly d: Float64Array,
    private readonly places: Places,
    private readonly probe: number,
    private readonly inner: number,
  ) {
    this.of = new Int32Array(d.length).fill(-1);
    this.shifts = new Int16Array(3 * d.length);
    const up = this.ascents();
    for (let i = 0; i < d.length; i++) if (up[i]! >= 0) this.follow(i, up);
    this.codes = this.coded();
  }

  /** One number for hill and shift of each point, so that most pairs of one hill are told by one look; its own where a shift is large. */
  readonly codes: Int32Array;

  private coded(): Int32Array {
    const { of, shifts } = this;
    const half = CODED / 2;
    const isSmall = (x: number): boolean => x >= -half && x < half;
    const out = new Int32Array(of.length);
    for (let i = 0; i < of.length; i++) {
      const x = shifts[3 * i]!,
        y = shifts[3 * i + 1]!,
        z = shifts[3 * i + 2]!;
      out[i] =
        isSmall(x) && isSmall(y) && isSmall(z)
          ? ((of[i]! * CODED + x + half) * CODED + y + half) * CODED + z + half
          : -1 - i;
    }
    return out;
  }

  /**
   * Visits every reached point: those amid the grid once, with how far their neighbours' indices lie off; those at its edge with each
   * of their reached neighbours, and the cells on the way. Neighbours are face to face within, along the rim also by corners.
   */
  eachPoint(
    faces: Ways,
    corners: Ways,
    amid: (i: number, leaps: Int32Array) => void,
    pair: (i: number, j: number, x: number, y: number, z: number) => void,
  ): void {
    const { d, places, probe } = this;
    const [p, q, r] = places.n;
    for (let x = 0, at = 0; x < p; x++)
      for (let y = 0; y < q; y++)
        for (let z = 0; z < r; z++, at++) {
          if (d[at]! < probe) continue;
          const { steps, leaps } = d[at]! > this.inner ? faces : corners;
          if (x > 0 && y > 0 && z > 0 && x < p - 1 && y < q - 1 && z < r - 1) {
            amid(at, leaps);
            continue;
          }
          for (let m = 0; m < leaps.length; m++) {
            const u = x + steps[3 * m]!,
              v = y + steps[3 * m + 1]!,
              w = z + steps[3 * m + 2]!;
            const j = places.of(u, v, w);
            if (d[j]! >= probe) pair(at, j, over(u, p), over(v, q), over(w, r));
          }
        }
  }

  /** The emptiest neighbour of each point, itself on a top; of equals the later one. Shifts are those of the one step. */
  private ascents(): Int32Array {
    const { d, shifts, places } = this;
    const up = new Int32Array(d.length).fill(-1);
    for (let i = 0; i < d.length; i++) if (d[i]! >= this.probe) up[i] = i;
    const amid = (i: number, leaps: Int32Array): void => {
      let best = i,
        most = d[i]!;
      for (let m = 0; m < leaps.length; m++) {
        const j = i + leaps[m]!;
        const far = d[j]!;
        if (far < most || (far === most && j <= best)) continue;
        best = j;
        most = far;
      }
      up[i] = best;
    };
    const pair = (i: number, j: number, x: number, y: number, z: number): void => {
      const known = up[i]!;
      if (d[j]! < d[known]! || (d[j] === d[known] && j <= known)) return;
      up[i] = j;
      shifts[3 * i] = x;
      shifts[3 * i + 1] = y;
      shifts[3 * i + 2] = z;
    };
    this.eachPoint(waysOf(FACES, places.n), waysOf(CORNERS, places.n), amid, pair);
    return up;
  }

  /** Goes up from a point to what is known, and back down the same way. */
  private follow(start: number, up: Int32Array): void {
    const { of, shifts, tops } = this;
    const way: number[] = [];
    let at = start;
    while (of[at]! < 0 && up[at] !== at) {
      way.push(at);
      at = up[at]!;
    }
    if (of[at]! < 0) of[at] = tops.push(at) - 1;
    for (let n = way.length - 1; n >= 0; n--) {
      const i = way[n]!,
        next = up[i]!;
      of[i] = of[next]!;
      for (let k = 0; k < 3; k++) shifts[3 * i + k]! += shifts[3 * next + k]!;
    }
  }
}

/** A way from one hill to another, or around a cell to itself. */
export interface Pass {
  /** The lower of its two points, and the cell it lies in beside the first hill's top. */
  readonly at: number;
  readonly cell: Vec3;
  readonly d: number;
  readonly from: number;
  readonly to: number;
  /** Cells from the first hill's top to the second's. */
  readonly over: Vec3;
}

/** Numbers of cells that a way between two tops may lead on along one axis, and half of them. */
const SHIFTS = 32,
  HALF = SHIFTS / 2;

/** Of all ways between the same two tops only the widest. */
function passesOf(hills: Hills, d: Float64Array, n: Places['n']): Pass[] {
  const widest = new Map<number, Pass>();
  const count = hills.tops.length;
  const { of, shifts, codes } = hills;
  const note = (i: number, j: number, x: number, y: number, z: number): void => {
    if (codes[i] === codes[j] && !x && !y && !z) return;
    const from = of[i]!,
      to = of[j]!;
    const u = x + shifts[3 * j]! - shifts[3 * i]!,
      v = y + shifts[3 * j + 1]! - shifts[3 * i + 1]!,
      w = z + shifts[3 * j + 2]! - shifts[3 * i + 2]!;
    if (from === to && !u && !v && !w) return;
    const at = d[i]! < d[j]! ? i : j;
    const step = at === i ? [0, 0, 0] : [x, y, z];
    const key = (((from * count + to) * SHIFTS + u + HALF) * SHIFTS + v + HALF) * SHIFTS + w + HALF;
    const known = widest.get(key);
    if (!known || known.d < d[at]!) {
      const cell = toVec3(step.map((c, k) => c - shifts[3 * i + k]!));
      widest.set(key, { at, cell, d: d[at]!, from, to, over: [u, v, w] });
    }
  };
  const amid = (i: number, leaps: Int32Array): void => {
    const code = codes[i]!;
    // Points outside have codes of their own.
    for (let m = 0; m < leaps.length; m++) {
      const j = i + leaps[m]!;
      if (codes[j] !== code && of[j]! >= 0) note(i, j, 0, 0, 0);
    }
  };
  hills.eachPoint(waysOf(FACES.filter(isAhead), n), waysOf(CORNERS, n), amid, note);
  return [...widest.values()].sort((a, b) => b.d - a.d);
}

/**
 * Joins the points with `d` ≥ `probe` (Å). Those with `d` beyond `inner` are joined by faces only; along the rim corners may be all
 * that joins.
 */
export function partsOf(d: Float64Array, places: Places, probe: number, inner: number): Parts {
  const hills = new Hills(d, places, probe, inner);
  const { tops } = hills;
  const joined = new Joined(tops.length);
  tops.forEach((_, i) => joined.open(i));
  const lattices = new Map<number, IntegerLattice>();
  const ways: Pass[] = [];
  const passes = passesOf(hills, d, places.n);
  for (const pass of passes) {
    const before = lattices.size;
    joinThrough(joined, lattices, pass.from, pass.to, pass.over);
    // What leads somewhere is one more than before only where it begins to.
    if (lattices.size > before) ways.push(pass);
  }
  const roots = tops.map((_, i) => joined.rootOf(i));
  const parts = [...new Set(roots)].map((root): Part => {
    const own = tops.filter((_, i) => roots[i] === root);
    const window = ways.find((way) => roots[way.from] === root);
    const lattice = lattices.get(root);
    return {
      best: own.reduce((best, i) => (d[i]! > d[best]! ? i : best)),
      ...(window ? { window } : {}),
      ...(lattice ? { lattice } : {}),
    };
  });
  const numbers = new Map([...new Set(roots)].map((root, i) => [root, i]));
  const partOf = roots.map((root) => numbers.get(root)!);
  return { of: hills.of.map((hill) => (hill < 0 ? -1 : partOf[hill]!)), parts, hilltops: { tops, passes } };
}
