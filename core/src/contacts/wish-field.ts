/**
 * How favourable every point about a molecule is for a probe: the density of such partners that statistics of its groups expect,
 * over the density that chance gives, cut off where its atoms stand in the way. 1 is what chance gives.
 */
import { contourSurface, type Surface } from '../maps/isosurface.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { add, dot, norm, normalize, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import type { Molecule } from './molecules.ts';
import { directionDensity, waysOf, type Directions, type Preference, type Preferences } from './preferences.ts';
import { nearestOf, PROBE_TRAITS, type MetKind, type Probe } from './probes.ts';

/** Values on a grid of cubes; x runs fastest. */
export interface WishGrid {
  readonly probe: Probe;
  /** Cartesian, Å: of the first point. */
  readonly origin: Vec3;
  /** Å */
  readonly step: number;
  readonly size: readonly [number, number, number];
  readonly values: Float32Array;
}

/** A place that a probe would like best. */
export interface HotSpot {
  readonly probe: Probe;
  /** Cartesian, Å. */
  readonly at: Vec3;
  /** How many times chance. */
  readonly score: number;
  /** The preference that makes most of it; undefined where none does. */
  readonly preference?: Preference;
}

/** Spread of distances, Å: of what is directed; of carbon that only touches. */
const SPREAD = 0.16,
  LOOSE = 0.35;
/** Spreads beyond which nothing is left. */
const FAR = 4;
/** Å over which an atom's wall rises, about its nearest approach. */
const WALL_FROM = 0.12,
  WALL_TO = 0.14;
/** Å beyond the atoms that a grid reaches. */
const MARGIN = 4.4;
/** Å: points of the search for hot spots, where two are one, and how finely the top is found. */
const SEARCH_STEP = 0.5,
  ONE_SPOT = 1,
  FINEST = 0.01;
/** Hot spots are better than this many times chance. */
export const LEAST_SCORE = 2.5;
const MOST_SPOTS = 30;

interface Term {
  readonly preference: Preference;
  readonly distance: number;
  readonly spread: number;
  /** Of partners over chance, Å⁻³ and Å³ cancelled; to be multiplied with directions and divided by r². */
  readonly weight: number;
}

interface Wall {
  readonly from: number;
  readonly to: number;
}

/** The field of one probe about a molecule. */
export class WishField {
  private readonly terms: readonly Term[];
  private readonly walls: readonly Wall[];

  constructor(
    private readonly m: Molecule,
    readonly preferences: Preferences,
    readonly probe: Probe,
    /** Atoms whose wishes are looked at, by index; all where it is left out. */
    part?: ReadonlySet<number>,
  ) {
    const { chance, sort } = PROBE_TRAITS[probe];
    this.terms = preferences.list.flatMap((preference): Term[] => {
      const ways = !part || part.has(preference.atom) ? waysOf(preference, probe) : undefined;
      if (!ways) return [];
      const spread = preference.group === 'carbon' ? LOOSE : SPREAD;
      const weight = ways.partners / (Math.sqrt(2 * Math.PI) * spread * chance);
      return [{ preference, distance: ways.distance, spread, weight }];
    });
    this.walls = m.elements.map((e, i) => {
      const nearest = nearestOf(sort, metKind(e, i, m, preferences), elementOf(e).vdwRadius);
      return { from: nearest - WALL_FROM, to: nearest + WALL_TO };
    });
  }

  /** Times chance at a Cartesian point, Å. */
  at(x: Vec3): number {
    const open = this.openness(x);
    if (!open) return 0;
    let sum = 1;
    for (const t of this.terms) sum += termAt(t, x);
    return open * sum;
  }

  /** 1 where no atom is in the way, 0 where one is. */
  private openness(x: Vec3): number {
    let open = 1;
    const { at } = this.m;
    for (let i = 0; i < at.length; i++) {
      const a = at[i]!,
        wall = this.walls[i]!;
      const square = (x[0] - a[0]) ** 2 + (x[1] - a[1]) ** 2 + (x[2] - a[2]) ** 2;
      if (square >= wall.to * wall.to) continue;
      if (square <= wall.from * wall.from) return 0;
      const u = (Math.sqrt(square) - wall.from) / (wall.to - wall.from);
      open *= u * u * (3 - 2 * u);
    }
    return open;
  }

  /** The preference that gives most at a point. */
  private leading(x: Vec3): Preference | undefined {
    let best: Preference | undefined,
      most = 0;
    for (const t of this.terms) {
      const value = termAt(t, x);
      if (value > most) [best, most] = [t.preference, value];
    }
    return best;
  }

  private box(): { low: Vec3; high: Vec3 } {
    const { at } = this.m;
    const bound = (k: number, of: (...list: number[]) => number, by: number): number =>
      of(...at.map((p) => p[k]!)) + by;
    return {
      low: [bound(0, Math.min, -MARGIN), bound(1, Math.min, -MARGIN), bound(2, Math.min, -MARGIN)],
      high: [bound(0, Math.max, MARGIN), bound(1, Math.max, MARGIN), bound(2, Math.max, MARGIN)],
    };
  }

  /** The field at points `step` Å apart. */
  grid(step: number): WishGrid {
    const { low, high } = this.box();
    const n = (k: 0 | 1 | 2): number => Math.ceil((high[k] - low[k]) / step) + 1;
    const size: [number, number, number] = [n(0), n(1), n(2)];
    const values = new Float32Array(size[0] * size[1] * size[2]);
    // Each preference and each wall touches few points: they are gone through, not the grid.
    values.fill(1);
    for (const t of this.terms) {
      const reach = t.distance + FAR * t.spread;
      overBox(low, step, size, t.preference.origin, reach, (k, x) => {
        values[k]! += termAt(t, x);
      });
    }
    this.walls.forEach(({ from, to }, i) => {
      const a = this.m.at[i]!;
      overBox(low, step, size, a, to, (k, x) => {
        const r = norm(subtract(x, a));
        if (r >= to) return;
        const u = r <= from ? 0 : (r - from) / (to - from);
        values[k]! *= u * u * (3 - 2 * u);
      });
    });
    return { probe: this.probe, origin: low, step, size, values };
  }

  /** Tops of the field, the highest first. */
  hotSpots(): HotSpot[] {
    const starts = [...this.idealPlaces(), ...tops(this.grid(SEARCH_STEP))];
    const found: HotSpot[] = [];
    const climbed = starts
      .map((x) => this.climb(x))
      .filter((p) => p.score >= LEAST_SCORE)
      .sort((p, q) => q.score - p.score);
    for (const { at, score } of climbed) {
      if (found.some((f) => norm(subtract(f.at, at)) < ONE_SPOT)) continue;
      const preference = this.leading(at);
      found.push({ probe: this.probe, at, score, ...(preference ? { preference } : {}) });
      if (found.length === MOST_SPOTS) break;
    }
    return found;
  }

  /** Where each preference by itself is at its best. */
  private idealPlaces(): Vec3[] {
    return this.terms.flatMap(({ preference: p, distance }) =>
      directionsOf(p.directions).map((d) => add(p.origin, scale(d, distance))),
    );
  }

  private climb(start: Vec3): { at: Vec3; score: number } {
    let at = start,
      score = this.at(start);
    for (let step = 0.25; step > FINEST; step /= 2)
      for (let moves = 0; moves < 20; moves++) {
        let better: Vec3 | undefined;
        for (let k = 0; k < 6; k++) {
          const x: [number, number, number] = [at[0], at[1], at[2]];
          x[k >> 1]! += k & 1 ? step : -step;
          const value = this.at(x);
          if (value > score) [better, score] = [x, value];
        }
        if (!better) break;
        at = better;
      }
    return { at, score };
  }
}

function termAt(t: Term, x: Vec3): number {
  const { origin, directions } = t.preference;
  const dx = x[0] - origin[0],
    dy = x[1] - origin[1],
    dz = x[2] - origin[2];
  const r = Math.sqrt(dx * dx + dy * dy + dz * dz);
  const off = (r - t.distance) / t.spread;
  if (off > FAR || off < -FAR || r < 0.5) return 0;
  const cosine =
    directions.kind === 'all' ? 1 : (dx * directions.axis[0] + dy * directions.axis[1] + dz * directions.axis[2]) / r;
  return (t.weight * Math.exp((-off * off) / 2) * directionDensity(directions, cosine)) / (r * r);
}

function metKind(element: string, i: number, m: Molecule, { bonded }: Preferences): MetKind {
  if (isHydrogen(element)) {
    const given = bonded[i]!.some((j) => m.elements[j] === 'O' || m.elements[j] === 'N');
    return given ? 'given hydrogen' : 'hydrogen';
  }
  if (element === 'C') return 'carbon';
  if (element === 'O' || element === 'N') return 'polar';
  return element === 'Cl' || element === 'Br' || element === 'I' ? 'halogen' : 'other';
}

/** Points of a grid within a distance of one, by their number. */
function overBox(
  low: Vec3,
  step: number,
  size: readonly [number, number, number],
  centre: Vec3,
  reach: number,
  each: (index: number, x: Vec3) => void,
): void {
  const first = (k: 0 | 1 | 2): number => Math.max(0, Math.ceil((centre[k] - reach - low[k]) / step));
  const last = (k: 0 | 1 | 2): number => Math.min(size[k] - 1, Math.floor((centre[k] + reach - low[k]) / step));
  const x: [number, number, number] = [0, 0, 0];
  for (let c = first(2); c <= last(2); c++) {
    x[2] = low[2] + c * step;
    for (let b = first(1); b <= last(1); b++) {
      x[1] = low[1] + b * step;
      for (let a = first(0); a <= last(0); a++) {
        x[0] = low[0] + a * step;
        each(a + size[0] * (b + size[1] * c), x);
      }
    }
  }
}

/** Points of a grid that are higher than all of their neighbours. */
function tops({ values, size, origin, step }: WishGrid): Vec3[] {
  const [nx, ny, nz] = size;
  const out: Vec3[] = [];
  for (let c = 1; c < nz - 1; c++)
    for (let b = 1; b < ny - 1; b++)
      for (let a = 1; a < nx - 1; a++) {
        const k = a + nx * (b + ny * c);
        const v = values[k]!;
        if (v < LEAST_SCORE / 2) continue;
        let highest = true;
        for (let n = 0; n < 27 && highest; n++) {
          const other = k + (n % 3) - 1 + nx * ((Math.floor(n / 3) % 3) - 1 + ny * (Math.floor(n / 9) - 1));
          if (values[other]! > v) highest = false;
        }
        if (highest) out.push([origin[0] + a * step, origin[1] + b * step, origin[2] + c * step]);
      }
  return out;
}

/** Unit vectors that stand for all directions of one kind. */
function directionsOf(d: Directions): readonly Vec3[] {
  if (d.kind === 'lobe') return [d.axis];
  if (d.kind === 'all') return SPHERE;
  const aside = normalize(Math.abs(d.axis[0]) < 0.8 ? [0, d.axis[2], -d.axis[1]] : [d.axis[1], -d.axis[0], 0]);
  const third: Vec3 = [
    d.axis[1] * aside[2] - d.axis[2] * aside[1],
    d.axis[2] * aside[0] - d.axis[0] * aside[2],
    d.axis[0] * aside[1] - d.axis[1] * aside[0],
  ];
  const angle = (d.angle * Math.PI) / 180;
  return Array.from({ length: 12 }, (_, k) => {
    const turned = add(scale(aside, Math.cos((k * Math.PI) / 6)), scale(third, Math.sin((k * Math.PI) / 6)));
    return add(scale(d.axis, Math.cos(angle)), scale(turned, Math.sin(angle)));
  });
}

/** Twenty-six directions: edges, faces and corners of a cube. */
const SPHERE: readonly Vec3[] = Array.from({ length: 27 }, (_, k): Vec3 => [
  (k % 3) - 1,
  (Math.floor(k / 3) % 3) - 1,
  Math.floor(k / 9) - 1,
])
  .filter((v) => dot(v, v) > 0)
  .map((v) => normalize(v));

/** The surface of a field at a level, Cartesian, Å. */
export function wishSurface(grid: WishGrid, level: number): Surface {
  const [nx, ny, nz] = grid.size;
  const cell = { a: nx * grid.step, b: ny * grid.step, c: nz * grid.step, alpha: 90, beta: 90, gamma: 90 };
  const region = { min: [0, 0, 0], max: [(nx - 1) / nx, (ny - 1) / ny, (nz - 1) / nz] } as const;
  const surface = contourSurface({ grid: { nx, ny, nz }, values: grid.values }, cell, region, level);
  for (let i = 0; i < surface.positions.length; i++) surface.positions[i]! += grid.origin[i % 3]!;
  return surface;
}
