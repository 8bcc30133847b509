/**
 * Empty space by a probe: where the middle of a ball of its radius can be between the van der Waals spheres (the space it reaches),
 * and what such balls sweep (the space it touches); what of it hangs together, and in how many directions. On a grid of signed
 * distances, whose cells count by how far their middle lies from the boundary. How the volume goes with the radius of the probe
 * follows from the largest empty ball over each point (Gelb & Gubbins 1999, Langmuir 15, 305).
 */
import { cellVolume, orthogonalization } from '../crystal/cell.ts';
import { vanDerWaalsRadius } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { EmptySpace } from './empty-space.ts';
import { FACES, Neighbourhood, stepsOf, type Places, type Steps } from './grid-steps.ts';
import { coprime } from './joined.ts';
import { partsOf, type Part } from './parts.ts';
import { sweptDistances } from './swept.ts';

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
  /** By fractional place: which of the voids it is in, −1 for none. */
  voidAt(at: Vec3): number;
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

/** The part nearest to each touched point outside of what is reached: grown outwards point by point from its rim. */
function spread(of: Int32Array, field: Float32Array, places: Places, probe: number, width: number): void {
  const [p, q, r] = places.n;
  const leaps = FACES.map(([x, y, z]) => (x * q + y) * r + z);
  let rim: number[] = [];
  for (let i = 0; i < of.length; i++) if (of[i]! >= 0 && field[i]! < probe + 2 * width) rim.push(i);
  while (rim.length) {
    const next: number[] = [];
    for (const i of rim) {
      const row = Math.floor(i / r),
        x = Math.floor(row / q),
        y = row - x * q,
        z = i - row * r;
      const isAmid = x > 0 && y > 0 && z > 0 && x < p - 1 && y < q - 1 && z < r - 1;
      for (let m = 0; m < FACES.length; m++) {
        const [dx, dy, dz] = FACES[m]!;
        const j = isAmid ? i + leaps[m]! : places.of(x + dx, y + dy, z + dz);
        if (of[j]! >= 0 || field[j]! <= -width / 2) continue;
        of[j] = of[i]!;
        next.push(j);
      }
    }
    rim = next;
  }
}

/** A structure with radii of one's own for some elements. */
export const radiusBy =
  (radii: VoidOptions['radii']) =>
  (element: string): number =>
    radii?.[element] ?? vanDerWaalsRadius(element);

export function assertProbe(s: Structure, probe: number): void {
  if (!(probe >= 0 && probe <= 20)) throw new RangeError(`A probe has a radius from 0 to 20 Å, not ${probe}.`);
  if (!s.sites.length) throw new RangeError('There are no atoms that space could be empty between.');
}

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
  assertProbe(s, probe);
  const volume = cellVolume(s.cell);
  const space = new EmptySpace(s, radiusBy(radii), step ?? usualStep(volume, probe), MOST_MAP, clear);
  const { grid, distances: d } = space;
  const steps = stepsOf(orthogonalization(s.cell), grid.n);
  const one = volume / grid.size;
  const width = Math.cbrt(one);
  const touched = probe > 0 ? sweptDistances(d, steps, probe, width) : Float32Array.from(d);
  const { of, parts } = partsOf(d, steps.places, probe, probe + 2 * width);
  if (parts.some(({ window }) => window && window.d >= clear)) return mapWithin(s, options, 1.6 * clear);
  // A probe that just fits may stand between the points.
  const finer = width / 2;
  if (!parts.length && volume / finer ** 3 < MOST_MAP && largestRadius(space) > probe)
    return mapWithin(s, { ...options, step: finer }, clear);
  spread(of, touched, steps.places, probe, width);
  const sums = volumesOf(d, touched, of, parts.length, probe, width);
  const numbered = parts
    .map((_, i) => ({ i, touched: sums.parts[2 * i + 1]! * one }))
    .filter((v) => v.touched > LEAST)
    .sort((x, y) => y.touched - x.touched);
  const [reached, outside, met] = [sums.reached * one, sums.outside * one, sums.touched * one];
  return {
    probe,
    cell: volume,
    reached: parts.length ? reached : 0,
    touched: parts.length ? Math.max(reached, met) : 0,
    voids: numbered.map(({ i }) => voidOf(space, parts[i]!, sums.parts[2 * i]! * one, sums.parts[2 * i + 1]! * one)),
    packing: 1 - outside / volume,
    grid: { nx: grid.n[0], ny: grid.n[1], nz: grid.n[2] },
    touchedField: xFastest(touched, grid.n, 0),
    reachedField: xFastest(d, grid.n, probe),
    voidAt: (at) => {
      const [x, y, z] = at.map((f, k) => Math.round((f - Math.floor(f)) * grid.n[k]!) % grid.n[k]!);
      return numbered.findIndex(({ i }) => i === of[steps.places.of(x!, y!, z!)]);
    },
  };
}

/** Grid cells in all: outside of atoms, reached, touched; and reached and touched by each part. */
function volumesOf(
  d: Float64Array,
  touched: Float32Array,
  of: Int32Array,
  count: number,
  probe: number,
  width: number,
): { outside: number; reached: number; touched: number; parts: Float64Array } {
  const parts = new Float64Array(2 * count);
  const all = { outside: 0, reached: 0, touched: 0, parts };
  for (let i = 0; i < d.length; i++) {
    const free = share(d[i]!, width);
    if (!free) continue;
    const r = share(d[i]! - probe, width);
    // What is touched is never within an atom.
    const t = Math.min(share(touched[i]!, width), free);
    all.outside += free;
    all.reached += r;
    all.touched += t;
    const part = of[i]!;
    if (part < 0) continue;
    parts[2 * part]! += r;
    parts[2 * part + 1]! += t;
  }
  return all;
}

function voidOf(space: EmptySpace, part: Part, reached: number, touched: number): Void {
  const { grid } = space;
  const largest = space.largestNear(grid.pointAt(part.best));
  const rank = part.lattice?.rank ?? 0;
  const { window } = part;
  return {
    kind: VOID_KINDS[rank]!,
    directions: part.lattice?.basis.map(coprime) ?? [],
    reached,
    touched,
    centre: largest.at,
    sphere: largest.diameter,
    ...(window ? { window: space.windowNear(grid.pointAt(window.at), window.d).diameter } : {}),
  };
}

/** A field less some Å, with z fastest, as one with x fastest, as maps are kept. */
function xFastest(field: ArrayLike<number>, [p, q, r]: readonly [number, number, number], less: number): Float32Array {
  const out = new Float32Array(field.length);
  for (let i = 0, at = 0; i < p; i++)
    for (let j = 0; j < q; j++) for (let k = 0; k < r; k++, at++) out[i + p * (j + q * k)] = field[at]! - less;
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

export interface PoreSize {
  /** Å, diameters between which a ball is the largest that fits over a place. */
  readonly from: number;
  readonly to: number;
  /** Å³ of one cell. */
  readonly volume: number;
}

/** How much of the empty space is in pores of each size: what the touched volume loses from one radius to the next. */
export function poreSizes({ points, largest }: VoidCurve): PoreSize[] {
  const within = points.filter((p) => p.radius <= largest);
  return within.map(({ radius, touched }, i) => {
    const next = within[i + 1];
    return { from: 2 * radius, to: 2 * (next?.radius ?? largest), volume: Math.max(0, touched - (next?.touched ?? 0)) };
  });
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
