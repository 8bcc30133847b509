/**
 * The network of free ways: chambers (places that are emptier than all around) and the narrowest places between them. Hills of the
 * distance to the atoms that no narrows set apart are one chamber (merging by persistence: Edelsbrunner, Letscher & Zomorodian
 * 2002, Discrete Comput. Geom. 28, 511).
 */
import { cellVolume, orthogonalization } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { add, norm, subtract, toVec3, type Vec3 } from '../math/matrix3.ts';
import { EmptySpace, type PoreSphere } from './empty-space.ts';
import { Joined } from './joined.ts';
import { stepsOf } from './grid-steps.ts';
import { partsOf, type Hilltops } from './parts.ts';
import { assertProbe, radiusBy, type VoidOptions } from './voids.ts';

/** A way from a chamber to another, or to a copy of itself. */
export interface VoidWay {
  readonly from: number;
  readonly to: number;
  /** Cells that the second chamber lies off its place. */
  readonly over: Vec3;
  /** Fractional, beside the first chamber's place. */
  readonly at: Vec3;
  /** Å, of the largest sphere that passes. */
  readonly diameter: number;
}

export interface VoidNetwork {
  readonly chambers: readonly PoreSphere[];
  readonly ways: readonly VoidWay[];
}

/** Å of radius by which a way must be narrower than both of its chambers to set them apart. */
const NARROWER = 0.15;
/** More would be no picture; the emptiest are kept. */
const MOST = 150;

/** A pass between two chambers, not yet made exact. */
interface RoughWay {
  readonly from: number;
  readonly to: number;
  readonly over: Vec3;
  /** The grid point, and the cell it lies in beside the first chamber's. */
  readonly point: number;
  readonly cell: Vec3;
  readonly d: number;
}

/** Joins hills over passes that set nothing apart, the widest first; the roots of what is one chamber. */
function chambersOf({ tops, passes }: Hilltops, d: Float64Array): Joined {
  const joined = new Joined(tops.length);
  tops.forEach((_, i) => joined.open(i));
  for (const { from, to, over, d: width } of passes) {
    const first = joined.rootOf(from);
    const here = toVec3([joined.sx, joined.sy, joined.sz]);
    const second = joined.rootOf(to);
    if (first === second) continue;
    const [p, q] = [d[tops[first]!]!, d[tops[second]!]!];
    if (Math.min(p, q) - width >= NARROWER) continue;
    const way = toVec3(over.map((x, k) => here[k]! + x - [joined.sx, joined.sy, joined.sz][k]!));
    if (p > q) joined.hang(second, first, way);
    else joined.hang(first, second, toVec3(way.map((x) => -x)));
  }
  return joined;
}

/** Passes between chambers, the widest of those between the same two. */
function waysBetween({ passes }: Hilltops, leadOf: (hill: number) => Lead | undefined): RoughWay[] {
  const widest = new Map<string, RoughWay>();
  for (const pass of passes) {
    const [first, second] = [leadOf(pass.from), leadOf(pass.to)];
    if (!first || !second) continue;
    const over = toVec3(pass.over.map((x, k) => x + second.cell[k]! - first.cell[k]! + 0));
    if (first.number === second.number && over.every((x) => x === 0)) continue;
    const cell = toVec3(pass.cell.map((x, k) => x - first.cell[k]!));
    const way = { from: first.number, to: second.number, over, point: pass.at, cell, d: pass.d };
    // Passes come widest first; a way and its way back are one.
    if (!widest.has(keyOf(way)) && !widest.has(keyOf(turned(way)))) widest.set(keyOf(way), way);
  }
  return [...widest.values()];
}

const keyOf = ({ from, to, over }: RoughWay): string => `${from} ${to} ${over.join(' ')}`;

const turned = (w: RoughWay): RoughWay => ({ ...w, from: w.to, to: w.from, over: toVec3(w.over.map((x) => -x + 0)) });

/** Ways that no two wider ones lead around to the same place. */
function straight(ways: readonly RoughWay[]): RoughWay[] {
  const from = new Map<number, RoughWay[]>();
  for (const w of ways.flatMap((x) => [x, turned(x)])) from.set(w.from, [...(from.get(w.from) ?? []), w]);
  const isAround = (w: RoughWay): boolean =>
    from
      .get(w.from)!
      .some(
        (p) =>
          p.d > w.d &&
          from
            .get(p.to)!
            .some((q) => q.d > w.d && q.to === w.to && q.over.every((x, k) => x + p.over[k]! === w.over[k]!)),
      );
  return ways.filter((w) => !isAround(w));
}

/** A place as the copy that stands nearest to another. */
const nearTo = (at: Vec3, other: Vec3): Vec3 => toVec3(at.map((x, k) => x - Math.round(x - other[k]!)));

/** Å between points of the grid at most and at least, and for how many points a small cell has room. */
const STEP = 0.3,
  FINEST = 0.12,
  MANY_POINTS = 600_000;

/** The grid of distances that a network is found on. */
export function networkSpace(s: Structure, radiusOf: (element: string) => number): EmptySpace {
  const step = Math.max(FINEST, Math.min(STEP, Math.cbrt(cellVolume(s.cell) / MANY_POINTS)));
  return new EmptySpace(s, radiusOf, step, 2 * MANY_POINTS);
}

/** The network of what a probe (radius in Å) reaches of a crystal's empty space. */
export function networkWithin(s: Structure, space: EmptySpace, probe: number): VoidNetwork {
  const { n } = space.grid;
  const width = Math.cbrt(cellVolume(s.cell) / space.grid.size);
  const steps = stepsOf(orthogonalization(s.cell), n);
  // The grid sees every place a little too narrow: what is too narrow is told when it is exact.
  const from = Math.max(0, probe - width);
  return exactNetwork(space, partsOf(space.distances, steps.places, from, from + 2 * width).hilltops, probe);
}

/**
 * The network of what a probe (radius in Å) reaches between the spheres of the atoms. Throws RangeError for a probe that is no length,
 * or a structure without atoms.
 */
export function voidNetwork(s: Structure, { probe, radii }: Omit<VoidOptions, 'step'>): VoidNetwork {
  assertProbe(s, probe);
  return networkWithin(s, networkSpace(s, radiusBy(radii)), probe);
}

/** A chamber that a hill leads to, and the cells its place in the list lies off the hill's own. */
interface Lead {
  readonly number: number;
  readonly cell: Vec3;
}

/** Å */
const SAME_PLACE = 0.2;
/** Starts of the search for the largest ball of a chamber. */
const STARTS = 6;
const within = (at: Vec3): Vec3 => toVec3(at.map((x) => x - Math.floor(x + 1e-4)));

/** Chambers within the cell by the exact places that hills lead to; of places that are one, one. */
class Chambers {
  readonly list: PoreSphere[] = [];
  private readonly leads = new Map<number, Lead>();

  constructor(private readonly space: EmptySpace) {}

  /** A hill by the places of the tops joined to it, beside its own, the emptiest (clearance `d`, Å) first. */
  add(hill: number, starts: readonly Vec3[], d: number): void {
    const place = starts[0]!;
    // What the grid alone sets apart need not be made exact again.
    const around = this.list.findIndex(
      (c) => this.apart(c.at, place) < 1.5 * STEP && Math.abs(c.diameter / 2 - d) < STEP,
    );
    if (around >= 0) {
      this.lead(hill, around, place);
      return;
    }
    if (this.list.length >= MOST) return;
    const found = starts
      .map((x) => {
        const { at, diameter } = this.space.largestNear(x);
        return { at: nearTo(at, x), diameter };
      })
      .reduce((p, q) => (q.diameter > p.diameter ? q : p));
    const { at } = found;
    const known = this.list.findIndex((c) => this.apart(c.at, at) < SAME_PLACE);
    this.lead(hill, known >= 0 ? known : this.list.push({ ...found, at: within(at) }) - 1, at);
  }

  of(hill: number): Lead | undefined {
    return this.leads.get(hill);
  }

  private lead(hill: number, number: number, at: Vec3): void {
    const own = this.list[number]!.at;
    this.leads.set(hill, { number, cell: toVec3(at.map((x, k) => Math.round(x - own[k]!) + 0)) });
  }

  /** Å between two places or their nearest copies. */
  private apart(p: Vec3, q: Vec3): number {
    return norm(this.space.cartesian(subtract(p, nearTo(q, p))));
  }
}

function exactNetwork(space: EmptySpace, hilltops: Hilltops, probe: number): VoidNetwork {
  const { grid, distances: d } = space;
  const { tops } = hilltops;
  const joined = chambersOf(hilltops, d);
  const byRoot = new Map<number, { at: Vec3; d: number }[]>();
  for (const hill of [...tops.keys()].sort((i, j) => d[tops[j]!]! - d[tops[i]!]!)) {
    const root = joined.rootOf(hill);
    const point = tops[hill]!;
    const start = { at: add(grid.pointAt(point), [joined.sx, joined.sy, joined.sz]), d: d[point]! };
    byRoot.set(root, [...(byRoot.get(root) ?? []), start]);
  }
  const chambers = new Chambers(space);
  for (const [root, all] of byRoot) {
    const most = all[0]!.d;
    // Any of them may stand where the largest ball is, since the grid misses all of them a little.
    const starts = all.filter((x) => x.d > most - STEP).slice(0, STARTS);
    chambers.add(
      root,
      starts.map((x) => x.at),
      most,
    );
  }
  const leadOf = (hill: number): Lead | undefined => {
    const lead = chambers.of(joined.rootOf(hill));
    const back = [joined.sx, joined.sy, joined.sz];
    return lead && { number: lead.number, cell: toVec3(lead.cell.map((x, k) => x - back[k]!)) };
  };
  const ways = straight(waysBetween(hilltops, leadOf)).map(({ from, to, over, point, cell, d: width }): VoidWay => {
    const place = grid.pointAt(point);
    const { at, diameter } = space.windowNear(place, width);
    return { from, to, over, at: toVec3(nearTo(at, place).map((x, k) => x + cell[k]!)), diameter };
  });
  return thatPass({ chambers: chambers.list, ways }, probe);
}

/** What of a network a probe of a radius (Å) can be in and pass. */
function thatPass({ chambers, ways }: VoidNetwork, probe: number): VoidNetwork {
  const kept = chambers.map((c, i) => ({ c, i })).filter(({ c }) => c.diameter >= 2 * probe);
  const numbers = new Map(kept.map(({ i }, number) => [i, number]));
  return {
    chambers: kept.map(({ c }) => c),
    ways: ways.flatMap((w): VoidWay[] => {
      const [from, to] = [numbers.get(w.from), numbers.get(w.to)];
      return from === undefined || to === undefined || w.diameter < 2 * probe ? [] : [{ ...w, from, to }];
    }),
  };
}
