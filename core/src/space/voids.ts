/**
 * Empty space by a probe: where the middle of a ball of its radius can be between the van der Waals spheres (the space it reaches),
 * and what such balls sweep (the space it touches); what of it hangs together, and in how many directions. On a grid of signed
 * distances, whose cells count by how far their middle lies from the boundary. How the volume goes with the radius of the probe
 * follows from the largest empty ball over each point (Gelb & Gubbins 1999, Langmuir 15, 305).
 */
import { cellVolume, orthogonalization } from '../crystal/cell.ts';
import { vanDerWaalsRadius } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import type { Mat3, Vec3 } from '../math/matrix3.ts';
import { EmptySpace } from './empty-space.ts';
import { coprime, Joined, joinThrough } from './joined.ts';

export interface VoidOptions {
  /** Å */
  readonly probe: number;
  /** Å between points of the grid; 0.2 or finer where it is not said, more where the cell is very large. */
  readonly step?: number;
  /** Å by element. */
  readonly radii?: Readonly<Record<string, number>>;
}

export const VOID_KINDS = ['closed', 'channel', 'layer', 'everywhere'] as const;
export type VoidKind = (typeof VOID_KINDS)[number];

export interface Void {
  readonly kind: VoidKind;
  /** Lattice vectors it leads along, as many as it has directions. */
  readonly directions: readonly Vec3[];
  /** Å³ in one cell that the middle of the probe reaches, and that the probe touches. */
  readonly reached: number;
  readonly touched: number;
  /** Middle of the largest sphere in it, fractional. */
  readonly centre: Vec3;
  /** Å, diameter of the largest sphere that rests in it, and of the largest that passes through it. */
  readonly sphere: number;
  readonly window?: number;
}

export interface CurvePoint {
  /** Å, of the probe. */
  readonly radius: number;
  /** Å³ in one cell. */
  readonly reached: number;
  readonly touched: number;
}

export interface VoidCurve {
  readonly points: readonly CurvePoint[];
  /** Å, radius of the largest probe that fits anywhere; 0 where the atoms fill everything. */
  readonly largest: number;
}

export interface VoidMap {
  readonly probe: number;
  /** Å³ of the cell, and of it what is reached and touched. */
  readonly cell: number;
  readonly reached: number;
  readonly touched: number;
  /** The largest first. */
  readonly voids: readonly Void[];
  /** Part of the volume within the spheres of the atoms, 0 … 1. */
  readonly packing: number;
  readonly grid: { readonly nx: number; readonly ny: number; readonly nz: number };
  /** Signed distance (Å, x fastest) into the space that is touched; and into the space that is reached. */
  readonly touchedField: Float32Array;
  readonly reachedField: Float32Array;
}

/** Å between points of the map and of the curve at most; points of a map at most, and for how many a small cell has room; Å up to which distances are worked out at first;
 * points along a probe's radius. */
const MAP_STEP = 0.2,
  CURVE_STEP = 0.35,
  MOST_MAP = 3_000_000,
  MANY_MAP = 600_000,
  MOST_CURVE = 40_000,
  CLEAR = 4,
  SWEEP = 8;
/** Radii of the curve, and Å up to which it goes at least. */
const RADII = 30,
  LONGEST = 1.5;
/** Å³: less in one void is a chip of the grid. */
const LEAST = 0.05;

/** Part of a grid cell that lies inside, by the signed distance of its middle in units of its width. */
const share = (d: number, width: number): number => Math.max(0, Math.min(1, 0.5 + d / width));

/** Steps of a grid as vectors, Å. */
interface Steps {
  readonly n: readonly [number, number, number];
  readonly places: Places;
  readonly a: Vec3;
  readonly b: Vec3;
  readonly c: Vec3;
}

function stepsOf(m: Mat3, n: readonly [number, number, number]): Steps {
  const step = (k: number): Vec3 => [m[k]! / n[k]!, m[3 + k]! / n[k]!, m[6 + k]! / n[k]!];
  return { n, places: new Places(n), a: step(0), b: step(1), c: step(2) };
}

/** Every grid step within a length (Å) of a place off a grid point. */
class Neighbourhood {
  readonly count: number;
  readonly di: Int32Array;
  readonly dj: Int32Array;
  readonly dk: Int32Array;
  /** Å */
  readonly x: Float64Array;
  readonly y: Float64Array;
  readonly z: Float64Array;

  constructor({ n, a, b, c }: Steps, reach: number) {
    const list: [number, number, number][] = [];
    const most = n.map((size, k) => Math.min(Math.ceil(size / 2), this.span([a, b, c], k, reach)));
    for (let i = -most[0]!; i <= most[0]!; i++)
      for (let j = -most[1]!; j <= most[1]!; j++)
        for (let k = -most[2]!; k <= most[2]!; k++) {
          const x = i * a[0] + j * b[0] + k * c[0],
            y = i * a[1] + j * b[1] + k * c[1],
            z = i * a[2] + j * b[2] + k * c[2];
          if (x * x + y * y + z * z <= reach * reach) list.push([i, j, k]);
        }
    this.count = list.length;
    this.di = Int32Array.from(list, (v) => v[0]);
    this.dj = Int32Array.from(list, (v) => v[1]);
    this.dk = Int32Array.from(list, (v) => v[2]);
    const along = (k: 0 | 1 | 2): Float64Array =>
      Float64Array.from(list, (v) => v[0] * a[k] + v[1] * b[k] + v[2] * c[k]);
    this.x = along(0);
    this.y = along(1);
    this.z = along(2);
  }

  /** Steps along one axis of the grid that a ball can reach over: its radius over the distance of the planes across. */
  private span(steps: readonly Vec3[], k: number, reach: number): number {
    const [u, v] = [steps[(k + 1) % 3]!, steps[(k + 2) % 3]!];
    const n: Vec3 = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    const s = steps[k]!;
    const between = Math.abs(n[0] * s[0] + n[1] * s[1] + n[2] * s[2]) / Math.hypot(n[0], n[1], n[2]);
    return Math.ceil(reach / between);
  }
}

/** Indices of grid points, z fastest, of steps that lead up to a cell beyond either end. */
class Places {
  private readonly x: Int32Array;
  private readonly y: Int32Array;
  private readonly z: Int32Array;

  constructor(readonly n: readonly [number, number, number]) {
    const [p, q, r] = n;
    const table = (size: number, step: number): Int32Array =>
      Int32Array.from({ length: 3 * size }, (_, i) => (i % size) * step);
    this.x = table(p, q * r);
    this.y = table(q, r);
    this.z = table(r, 1);
  }

  of(i: number, j: number, k: number): number {
    const { n } = this;
    return this.x[i + n[0]]! + this.y[j + n[1]]! + this.z[k + n[2]]!;
  }
}

/**
 * Signed distance (Å) of each point into the space that balls of radius `probe` sweep whose middles lie where `d` ≥ probe: for
 * points outside of that, the probe's radius less the way to its boundary, which is found on the slope of `d`.
 */
function touchedDistances(d: Float64Array, steps: Steps, probe: number, width: number): Float32Array {
  const { n, places } = steps;
  const [p, q, r] = n;
  const out = new Float32Array(d.length).fill(-width);
  const around = new Neighbourhood(steps, probe + width);
  for (let i = 0; i < p; i++)
    for (let j = 0; j < q; j++)
      for (let k = 0; k < r; k++) {
        const at = (i * q + j) * r + k;
        const over = d[at]! - probe;
        if (over < 0) continue;
        out[at] = Math.max(out[at]!, probe + over);
        if (over > 1.05 * width) continue;
        // The boundary lies back along the slope.
        const slope = slopeAt(d, steps, i, j, k);
        const [bx, by, bz] = [-over * slope[0], -over * slope[1], -over * slope[2]];
        for (let m = 0; m < around.count; m++) {
          const to = places.of(i + around.di[m]!, j + around.dj[m]!, k + around.dk[m]!);
          const known = out[to]!;
          if (d[to]! >= probe || known >= probe) continue;
          const ux = around.x[m]! - bx,
            uy = around.y[m]! - by,
            uz = around.z[m]! - bz;
          const square = ux * ux + uy * uy + uz * uz;
          const most = probe - known;
          if (square < most * most) out[to] = probe - Math.sqrt(square);
        }
      }
  return out;
}

/** Unit slope of a field at a grid point, by differences along the axes of the grid. */
function slopeAt(d: Float64Array, { places, a, b, c }: Steps, i: number, j: number, k: number): Vec3 {
  const g: Vec3 = [
    d[places.of(i + 1, j, k)]! - d[places.of(i - 1, j, k)]!,
    d[places.of(i, j + 1, k)]! - d[places.of(i, j - 1, k)]!,
    d[places.of(i, j, k + 1)]! - d[places.of(i, j, k - 1)]!,
  ];
  // The gradient s with s·a = g₀ and so on: through the reciprocal of the steps.
  const cross = (u: Vec3, v: Vec3): Vec3 => [
    u[1] * v[2] - u[2] * v[1],
    u[2] * v[0] - u[0] * v[2],
    u[0] * v[1] - u[1] * v[0],
  ];
  const [bc, ca, ab] = [cross(b, c), cross(c, a), cross(a, b)];
  const s: Vec3 = [0, 1, 2].map((m) => g[0] * bc[m]! + g[1] * ca[m]! + g[2] * ab[m]!) as never;
  const length = Math.hypot(s[0], s[1], s[2]) || 1;
  return [s[0] / length, s[1] / length, s[2] / length];
}

/** What the reached points of a map hang together to. */
interface Part {
  root: number;
  best: number;
  reached: number;
  touched: number;
  /** The point where the first way through closed, and its clearance. */
  window?: { at: number; d: number };
  lattice?: IntegerLattice;
}

const FACES: readonly Vec3[] = [[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]]; // prettier-ignore

const CORNERS: readonly Vec3[] = [-1, 0, 1].flatMap((x) =>
  [-1, 0, 1].flatMap((y) => [-1, 0, 1].flatMap((z): Vec3[] => (x || y || z ? [[x, y, z]] : []))),
);

/** Joins the reached points from the emptiest on; returns the part of each point (−1 outside) and the parts. */
function partsOf(space: EmptySpace, places: Places, probe: number, width: number): { of: Int32Array; parts: Part[] } {
  const { grid, distances: d } = space;
  const [p, q, r] = grid.n;
  const order = emptiestFirst(d, probe);
  const inner = probe + 2 * width;
  const joined = new Joined(grid.size);
  const lattices = new Map<number, IntegerLattice>();
  const ways: { at: number; d: number }[] = [];
  for (const i of order) {
    joined.open(i);
    const x = Math.floor(i / (q * r)),
      y = Math.floor(i / r) % q,
      z = i % r;
    // Within, faces join everything; along the rim corners may be all that does.
    for (const [dx, dy, dz] of d[i]! > inner ? FACES : CORNERS) {
      const [a, b, c] = [x + dx, y + dy, z + dz];
      const j = places.of(a, b, c);
      if (!joined.isOpen(j)) continue;
      const before = lattices.size;
      joinThrough(joined, lattices, i, j, [Math.floor(a / p), Math.floor(b / q), Math.floor(c / r)]);
      // What leads somewhere is one more than before only where it begins to.
      if (lattices.size > before) ways.push({ at: i, d: d[i]! });
    }
  }
  return collected(order, joined, lattices, ways, grid.size);
}

/** Å: steps by which points are put in order. */
const SORTED = 0.002;

/** Points that are reached, the emptiest first, in order to within a small step. */
function emptiestFirst(d: Float64Array, probe: number): Int32Array {
  const most = d.reduce((x, y) => Math.max(x, y), 0);
  if (most < probe) return new Int32Array(0);
  const slot = (x: number): number => Math.floor((most - x) / SORTED);
  const ends = new Int32Array(slot(probe) + 3);
  let count = 0;
  for (let i = 0; i < d.length; i++)
    if (d[i]! >= probe) {
      ends[slot(d[i]!) + 1]!++;
      count++;
    }
  for (let k = 1; k < ends.length; k++) ends[k]! += ends[k - 1]!;
  const out = new Int32Array(count);
  for (let i = 0; i < d.length; i++) if (d[i]! >= probe) out[ends[slot(d[i]!)]!++] = i;
  return out;
}

function collected(
  order: Int32Array,
  joined: Joined,
  lattices: ReadonlyMap<number, IntegerLattice>,
  ways: readonly { at: number; d: number }[],
  size: number,
): { of: Int32Array; parts: Part[] } {
  const of = new Int32Array(size).fill(-1);
  const parts: Part[] = [];
  const byRoot = new Map<number, number>();
  // From the emptiest on, so that the first point of a part is its best.
  for (const i of order) {
    const root = joined.rootOf(i);
    let n = byRoot.get(root);
    if (n === undefined) {
      byRoot.set(root, (n = parts.length));
      const lattice = lattices.get(root);
      parts.push({ root, best: i, reached: 0, touched: 0, ...(lattice ? { lattice } : {}) });
    }
    of[i] = n;
  }
  // Ways were found from the widest on.
  for (const way of ways) parts[of[way.at]!]!.window ??= way;
  return { of, parts };
}

/** The part nearest to each touched point outside of what is reached: grown outwards point by point. */
function spread(of: Int32Array, field: Float32Array, places: Places, width: number): void {
  const [, q, r] = places.n;
  let rim: number[] = [];
  of.forEach((part, i) => {
    if (part >= 0) rim.push(i);
  });
  while (rim.length) {
    const next: number[] = [];
    for (const i of rim) {
      const x = Math.floor(i / (q * r)),
        y = Math.floor(i / r) % q,
        z = i % r;
      for (const [dx, dy, dz] of FACES) {
        const j = places.of(x + dx, y + dy, z + dz);
        if (of[j]! >= 0 || field[j]! <= -width / 2) continue;
        of[j] = of[i]!;
        next.push(j);
      }
    }
    rim = next;
  }
}

/** A structure with radii of one's own for some elements. */
const radiusBy =
  (radii: VoidOptions['radii']) =>
  (element: string): number =>
    radii?.[element] ?? vanDerWaalsRadius(element);

/** Empty space of a crystal. Throws RangeError for a probe that is no length, or a structure without atoms. */
export function voidMap(s: Structure, options: VoidOptions): VoidMap {
  return mapWithin(s, options, Math.max(CLEAR, options.probe + 2));
}

/** Å between points: finer in a small cell, but no finer than the probe's sweep bears, which grows with its third power. */
const usualStep = (volume: number, probe: number): number =>
  Math.min(MAP_STEP, Math.max(Math.cbrt(volume / MANY_MAP), probe / SWEEP));

/** Distances up to `clear` Å are known; what is emptier is as empty, and is looked at anew where a way through may be so wide. */
function mapWithin(s: Structure, options: VoidOptions, clear: number): VoidMap {
  const { probe, step, radii } = options;
  if (!(probe >= 0 && probe <= 20)) throw new RangeError(`A probe has a radius from 0 to 20 Å, not ${probe}.`);
  if (!s.sites.length) throw new RangeError('There are no atoms that space could be empty between.');
  const volume = cellVolume(s.cell);
  const space = new EmptySpace(s, radiusBy(radii), step ?? usualStep(volume, probe), MOST_MAP, clear);
  const { grid, distances: d } = space;
  const steps = stepsOf(orthogonalization(s.cell), grid.n);
  const one = volume / grid.size;
  const width = Math.cbrt(one);
  const touched = probe > 0 ? touchedDistances(d, steps, probe, width) : Float32Array.from(d);
  const { of, parts } = partsOf(space, steps.places, probe, width);
  if (parts.some(({ window }) => window && window.d >= clear)) return mapWithin(s, options, 1.6 * clear);
  spread(of, touched, steps.places, width);
  let reachedSum = 0,
    touchedSum = 0,
    filled = 0;
  for (let i = 0; i < d.length; i++) {
    const r = share(d[i]! - probe, width) * one;
    // What is touched is never within an atom.
    const t = Math.min(share(touched[i]!, width), share(d[i]!, width)) * one;
    filled += one - share(d[i]!, width) * one;
    reachedSum += r;
    touchedSum += t;
    const part = parts[of[i]!];
    if (!part) continue;
    part.reached += r;
    part.touched += t;
  }
  const nothing = !parts.length;
  return {
    probe,
    cell: volume,
    reached: nothing ? 0 : reachedSum,
    touched: nothing ? 0 : Math.max(reachedSum, touchedSum),
    voids: parts
      .filter((part) => part.touched > LEAST)
      .sort((x, y) => y.touched - x.touched)
      .map((part) => voidOf(space, part)),
    packing: filled / volume,
    grid: { nx: grid.n[0], ny: grid.n[1], nz: grid.n[2] },
    touchedField: xFastest(touched, grid.n),
    reachedField: xFastest(
      d.map((x) => x - probe),
      grid.n,
    ),
  };
}

function voidOf(space: EmptySpace, part: Part): Void {
  const { grid } = space;
  const largest = space.largestNear(grid.pointAt(part.best));
  const rank = part.lattice?.rank ?? 0;
  const { window } = part;
  return {
    kind: VOID_KINDS[rank]!,
    directions: part.lattice?.basis.map(coprime) ?? [],
    reached: part.reached,
    touched: part.touched,
    centre: largest.at,
    sphere: largest.diameter,
    ...(window ? { window: space.windowNear(grid.pointAt(window.at), window.d).diameter } : {}),
  };
}

/** A field with z fastest as one with x fastest, as maps are kept. */
function xFastest(field: ArrayLike<number>, [p, q, r]: readonly [number, number, number]): Float32Array {
  const out = new Float32Array(field.length);
  for (let i = 0; i < p; i++)
    for (let j = 0; j < q; j++) for (let k = 0; k < r; k++) out[i + p * (j + q * k)] = field[(i * q + j) * r + k]!;
  return out;
}

/** Radius (Å) of the largest ball that fits anywhere; 0 where the atoms fill everything. */
function largestRadius(space: EmptySpace): number {
  let best = 0;
  space.distances.forEach((d, i) => {
    if (d > space.distances[best]!) best = i;
  });
  return Math.max(0, space.distances[best]!, space.largestNear(space.grid.pointAt(best)).diameter / 2);
}

/** Volumes for probes of every radius up to the largest that fits, at least up to 1.5 Å; Å³ in one cell. */
export function voidCurve(s: Structure, radii?: VoidOptions['radii']): VoidCurve {
  const space = new EmptySpace(s, radiusBy(radii), CURVE_STEP, MOST_CURVE);
  const { grid, distances: d } = space;
  const one = cellVolume(s.cell) / grid.size;
  const width = Math.cbrt(one);
  const over = largestOver(d, stepsOf(orthogonalization(s.cell), grid.n), width);
  const largest = largestRadius(space);
  const most = Math.max(LONGEST, largest);
  const points = Array.from({ length: RADII }, (_, n): CurvePoint => {
    const radius = (most * n) / (RADII - 1);
    // Beyond the largest ball there is nothing, whatever the grid smears.
    if (radius > largest) return { radius, reached: 0, touched: 0 };
    let reached = 0,
      touched = 0;
    for (let i = 0; i < d.length; i++) {
      reached += share(d[i]! - radius, width);
      if (over[i]! >= radius) touched += share(d[i]!, width);
    }
    return { radius, reached: reached * one, touched: Math.max(reached, touched) * one };
  });
  return { points, largest };
}

/** Radius (Å) of the largest empty ball over each point; −1 within atoms. */
function largestOver(d: Float64Array, steps: Steps, width: number): Float32Array {
  const { n, places } = steps;
  const [p, q, r] = n;
  const out = Float32Array.from(d, (x) => (x > -width / 2 ? Math.max(0, x) : -1));
  const known = new Map<number, Neighbourhood>();
  const isWithinNext = withinNext(d, steps, width);
  for (let i = 0; i < p; i++)
    for (let j = 0; j < q; j++)
      for (let k = 0; k < r; k++) {
        const at = (i * q + j) * r + k;
        const radius = d[at]!;
        if (radius <= width / 2 || isWithinNext(i, j, k)) continue;
        // Balls of about a size go over the same steps.
        const reach = Math.ceil(radius / width) * width + width;
        let around = known.get(reach);
        if (!around) known.set(reach, (around = new Neighbourhood(steps, reach)));
        for (let m = 0; m < around.count; m++) {
          const [ux, uy, uz] = [around.x[m]!, around.y[m]!, around.z[m]!];
          // The true ball reaches on between the points.
          if (Math.sqrt(ux * ux + uy * uy + uz * uz) > radius + 0.3 * width) continue;
          const to = places.of(i + around.di[m]!, j + around.dj[m]!, k + around.dk[m]!);
          if (out[to]! >= 0 && out[to]! < radius) out[to] = radius;
        }
      }
  return out;
}

/** Steps to where a ball is looked for that holds another: around a cube of five, so that some lead nearly every way. */
const SHELL: readonly Vec3[] = [-2, -1, 0, 1, 2].flatMap((x) =>
  [-2, -1, 0, 1, 2].flatMap((y) =>
    [-2, -1, 0, 1, 2].flatMap((z): Vec3[] =>
      Math.max(Math.abs(x), Math.abs(y), Math.abs(z)) === 2 ? [[x, y, z]] : [],
    ),
  ),
);
/** Of a grid's width: by how much a ball may stand out of the one that does for it. */
const STANDS_OUT = 0.1;

/** Whether the ball of each point lies within that of another near to it, which then does for it. */
function withinNext(
  d: Float64Array,
  { places, a, b, c }: Steps,
  width: number,
): (i: number, j: number, k: number) => boolean {
  const lengths = SHELL.map(([x, y, z]) =>
    Math.hypot(x * a[0] + y * b[0] + z * c[0], x * a[1] + y * b[1] + z * c[1], x * a[2] + y * b[2] + z * c[2]),
  );
  return (i, j, k) => {
    const own = d[places.of(i, j, k)]!;
    for (let m = 0; m < SHELL.length; m++) {
      const [x, y, z] = SHELL[m]!;
      if (d[places.of(i + x, j + y, k + z)]! >= own + lengths[m]! - STANDS_OUT * width) return true;
    }
    return false;
  };
}

/** Molecules that are often found in voids, with the Å³ that each takes: 18 for an atom that is no hydrogen (Kempster & Lipson 1972), 40 for water. */
export const GUESTS = [
  { name: 'water', volume: 40 },
  { name: 'methanol', volume: 45 },
  { name: 'acetonitrile', volume: 60 },
  { name: 'ethanol', volume: 65 },
  { name: 'acetone', volume: 80 },
  { name: 'dichloromethane', volume: 80 },
  { name: 'dimethylformamide', volume: 100 },
  { name: 'tetrahydrofuran', volume: 100 },
  { name: 'benzene', volume: 110 },
  { name: 'toluene', volume: 130 },
  { name: 'n-hexane', volume: 150 },
] as const;

/** The largest of those molecules that a void has room for, by volume alone; undefined where it has for none. */
export const guestOf = ({ touched }: Pick<Void, 'touched'>): (typeof GUESTS)[number] | undefined =>
  [...GUESTS].reverse().find((g) => g.volume <= touched);
