/**
 * Straight channels: ways through a crystal that are open when it is looked at along a row of the lattice. The crystal is laid flat
 * along the row; the channels are the largest circles between the discs of its atoms, which repeat by a lattice in the plane.
 */
import {
  canonicalRef,
  originalRef,
  positionOf,
  siteIndices,
  symmetryTable,
  type AtomRef,
} from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { ionicRadius, siteCharges } from '../crystal/ionic.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, cross, dot, norm, normalize, scale, subtract, toVec3, type Vec3 } from '../math/matrix3.ts';
import { bonds, bondsBySite } from './bonds.ts';
import { netsOf } from './nets.ts';
import { vanDerWaalsRadius } from '../crystal/elements.ts';

/** Å across the page of the row. */
export type Flat = readonly [number, number];

export interface Channel {
  /** The row it runs along, [uvw]. */
  readonly row: Vec3;
  /** Å: diameter of the cylinder that passes between the atoms, of ionic radii in a salt, else of van der Waals ones. */
  readonly width: number;
  /** A point of its axis, Cartesian, Å. */
  readonly at: Vec3;
  /** Atoms around it, one of each column, in their order around the axis. */
  readonly lining: readonly AtomRef[];
  /** How many such channels a cell of the lattice across the row holds. */
  readonly count: number;
}

/** Å: narrower ones are none; the step of the grid; what is one channel; what is one kind. */
const LEAST_WIDTH = 0.4,
  GRID = 0.2,
  SAME_AXIS = 0.3,
  SAME_WIDTH = 0.02,
  /** A pass so wide, in units of the lesser circle, joins two circles no further apart than this. */
  PASS = 0.5,
  MOST_JOINED = 3;
/** Rows that are looked along. */
const ROWS: readonly Vec3[] = [
  [0, 0, 1], [1, 0, 0], [0, 1, 0], [1, 1, 0], [1, -1, 0], [1, 0, 1], [1, 0, -1], [0, 1, 1], [0, 1, -1],
  [1, 1, 1], [1, 1, -1], [1, -1, 1], [-1, 1, 1],
]; // prettier-ignore
/** Å: a row that repeats later than this is no simple channel. */
const LONGEST_REPEAT = 40;

interface Column {
  readonly at: Flat;
  readonly radius: number;
  readonly ref: AtomRef;
}

/** The crystal laid flat along a row. */
interface Middle {
  readonly at: Flat;
  /** Å, of the widest circle. */
  readonly radius: number;
  readonly lining: readonly AtomRef[];
}

/** Å a side of the squares that columns are sorted into. */
const BOX = 2,
  MOST_RINGS = 60;
const boxOf = (i: number, j: number): number => 100_000 * i + j;

class FlatCrystal {
  readonly across: readonly [Vec3, Vec3];
  private readonly lattice: readonly [Flat, Flat];
  private readonly shifts: readonly [Vec3, Vec3];
  readonly columns: readonly Column[];
  private readonly m;
  private readonly boxes = new Map<number, Column[]>();
  private readonly largest: number;
  private found: readonly Middle[] | undefined;

  constructor(
    readonly s: Structure,
    readonly row: Vec3,
    sites: ReadonlySet<string>,
  ) {
    this.m = orthogonalization(s.cell);
    const along = normalize(apply3(this.m, row));
    const u = normalize(cross(Math.abs(along[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0], along));
    this.across = [u, cross(along, u)];
    this.shifts = this.shortestAcross();
    this.lattice = this.shifts.map((t) => this.flat(apply3(this.m, t))) as unknown as readonly [Flat, Flat];
    this.columns = this.distinctColumns(sites);
    this.largest = Math.max(0, ...this.columns.map((c) => c.radius));
    this.fillBoxes();
  }

  /** Images of the columns over the cell and one more on each side, sorted into squares. */
  private fillBoxes(): void {
    for (const column of this.columns)
      for (let i = -1; i <= 1; i++)
        for (let j = -1; j <= 1; j++) {
          const [dx, dy] = this.get(i, j);
          const at: Flat = [column.at[0] + dx, column.at[1] + dy];
          const key = boxOf(Math.floor(at[0] / BOX), Math.floor(at[1] / BOX));
          const list = this.boxes.get(key);
          if (list) list.push({ ...column, at });
          else this.boxes.set(key, [{ ...column, at }]);
        }
  }

  flat(p: Vec3): Flat {
    return [dot(p, this.across[0]), dot(p, this.across[1])];
  }

  get(i: number, j: number): Flat {
    const [p, q] = this.lattice;
    return [i * p[0] + j * q[0], i * p[1] + j * q[1]];
  }

  /** Two lattice vectors that make a cell of the lattice with the row, short across it. */
  private shortestAcross(): readonly [Vec3, Vec3] {
    const small: Vec3[] = [];
    const range = [-2, -1, 0, 1, 2];
    for (const i of range) for (const j of range) for (const k of range) small.push([i, j, k]);
    const length = (t: Vec3): number => Math.hypot(...this.flat(apply3(this.m, t)));
    const byLength = small.map((t) => ({ t, l: length(t) })).sort((p, q) => p.l - q.l);
    for (const { t: p } of byLength)
      for (const { t: q, l } of byLength) {
        if (l > 1e-6 && Math.abs(Math.abs(dot(cross(p, q), this.row)) - 1) < 1e-9) return [p, q];
      }
    throw new RangeError(`[${this.row.join(' ')}] is no row that repeats by itself.`);
  }

  /** A point brought into the cell across the row, 0 ≤ x < 1 in units of its two vectors, and the cells it was moved by. */
  private reduced([x, y]: Flat): { readonly part: Flat; readonly cells: readonly [number, number] } {
    const [p, q] = this.lattice;
    const det = p[0] * q[1] - p[1] * q[0];
    const i = (x * q[1] - y * q[0]) / det,
      j = (p[0] * y - p[1] * x) / det;
    const cells = [Math.floor(i + 1e-6), Math.floor(j + 1e-6)] as const;
    return { part: [i - cells[0], j - cells[1]], cells };
  }

  /** A reference moved back by cells across the row. */
  private shifted(ref: AtomRef, [i, j]: readonly [number, number]): AtomRef {
    const [p, q] = this.shifts;
    return { ...ref, shift: toVec3([0, 1, 2].map((k) => ref.shift[k]! + i * p[k]! + j * q[k]!)) };
  }

  private distinctColumns(sites: ReadonlySet<string>): Column[] {
    const { s } = this;
    const out: Column[] = [];
    const operators = symmetryTable(s.spaceGroup).operators.length;
    const radii = wallRadii(s);
    for (const site of s.sites) {
      if (!sites.has(site.id)) continue;
      for (let operator = 0; operator < operators; operator++) {
        const ref = canonicalRef(s, { ...originalRef(site.id), operator });
        const { part, cells } = this.reduced(this.flat(apply3(this.m, positionOf(s, ref))));
        const at = this.get(part[0], part[1]);
        const radius = radii.get(site.id)!;
        if (out.some((c) => this.apart(c.at, at) < 0.02 && c.ref.site === site.id)) continue;
        out.push({ at, radius, ref: this.shifted(ref, [-cells[0], -cells[1]]) });
      }
    }
    return out;
  }

  /** Distance of two points of the plane modulo its lattice, Å. */
  apart(a: Flat, b: Flat): number {
    let best = Infinity;
    for (const { x, y } of this.images([b[0] - a[0], b[1] - a[1]])) best = Math.min(best, Math.hypot(x, y));
    return best;
  }

  private *images(d: Flat): Generator<{ x: number; y: number; i: number; j: number }> {
    const { part } = this.reduced(d);
    for (let i = -2; i <= 1; i++)
      for (let j = -2; j <= 1; j++) {
        const [x, y] = this.get(part[0] + i, part[1] + j);
        yield { x, y, i, j };
      }
  }

  /** Columns around a point, those near first; `from` is the distance of the disc. */
  around(
    at: Flat,
    reach: number,
  ): { readonly column: Column; readonly offset: Flat; readonly ref: AtomRef; readonly from: number }[] {
    return this.columns
      .flatMap((column) => {
        const d: Flat = [column.at[0] - at[0], column.at[1] - at[1]];
        const { cells } = this.reduced(d);
        return [...this.images(d)].flatMap(({ x, y, i, j }) => {
          const from = Math.hypot(x, y) - column.radius;
          if (from > reach) return [];
          const ref = this.shifted(column.ref, [i - cells[0], j - cells[1]]);
          return [{ column, offset: [x, y] as Flat, ref, from }];
        });
      })
      .sort((p, q) => p.from - q.from);
  }

  /** Radius of the largest free circle about a point, Å; negative inside of atoms. */
  free(point: Flat): number {
    const { part } = this.reduced(point);
    const at = this.get(part[0], part[1]);
    const bx = Math.floor(at[0] / BOX),
      by = Math.floor(at[1] / BOX);
    let best = Infinity;
    // Squares in rings outwards, until no disc further out can be nearer.
    for (let ring = 0; (ring - 1) * BOX - this.largest < best && ring < MOST_RINGS; ring++)
      for (let i = -ring; i <= ring; i++)
        for (let j = -ring; j <= ring; j += Math.abs(i) === ring ? 1 : 2 * ring || 1)
          for (const { at: c, radius } of this.boxes.get(boxOf(bx + i, by + j)) ?? [])
            best = Math.min(best, Math.hypot(c[0] - at[0], c[1] - at[1]) - radius);
    return best;
  }

  /** The point uphill of another where the free circle is largest. */
  climbed(at: Flat): Flat {
    let here = at,
      value = this.free(here);
    for (let step = GRID; step > 1e-4; step /= 2)
      for (let moved = true; moved;) {
        moved = false;
        for (let k = 0; k < 8; k++) {
          const angle = (k * Math.PI) / 4;
          const tried: Flat = [here[0] + step * Math.cos(angle), here[1] + step * Math.sin(angle)];
          const there = this.free(tried);
          if (there <= value + 1e-9) continue;
          here = tried;
          value = there;
          moved = true;
        }
      }
    return here;
  }

  /** Middles of the channels with what lines them, the widest first; worked out once. */
  middles(): readonly Middle[] {
    return (this.found ??= this.joined(this.summits()).map(({ at, radius }) => ({
      at,
      radius,
      lining: this.lining(at, radius),
    })));
  }

  /** Places where the free circle is largest, the widest first. */
  private summits(): { readonly at: Flat; readonly radius: number }[] {
    const [p, q] = this.lattice;
    const n = Math.max(3, Math.ceil(Math.hypot(...p) / GRID)),
      m = Math.max(3, Math.ceil(Math.hypot(...q) / GRID));
    const values = new Float64Array(n * m);
    for (let i = 0; i < n; i++) for (let j = 0; j < m; j++) values[i * m + j] = this.free(this.get(i / n, j / m));
    const out: { at: Flat; radius: number }[] = [];
    for (let i = 0; i < n; i++)
      for (let j = 0; j < m; j++) {
        const here = values[i * m + j]!;
        if (here < LEAST_WIDTH / 2 - GRID || !isSummit(values, i, j, n, m)) continue;
        const at = this.climbed(this.get(i / n, j / m));
        const radius = this.free(at);
        if (2 * radius >= LEAST_WIDTH && out.every((o) => this.apart(o.at, at) > SAME_AXIS)) out.push({ at, radius });
      }
    return out.sort((a, b) => b.radius - a.radius);
  }

  /** Summits that a wide pass joins are one channel about the mean of their places. */
  private joined(
    summits: readonly { readonly at: Flat; readonly radius: number }[],
  ): { readonly at: Flat; readonly radius: number }[] {
    const groups: { lead: { at: Flat; radius: number }; offsets: Flat[] }[] = [];
    for (const summit of summits) {
      const group = groups.find(({ lead }) => {
        const by = this.shortest(lead.at, summit.at);
        return Math.hypot(...by) < 2 * MOST_JOINED && this.narrowest(lead.at, by) > PASS * summit.radius;
      });
      if (group) group.offsets.push(this.shortest(group.lead.at, summit.at));
      else groups.push({ lead: summit, offsets: [[0, 0]] });
    }
    return groups.map(({ lead, offsets }) => {
      const mean = [0, 1].map((k) => offsets.reduce((sum, o) => sum + o[k]!, 0) / offsets.length);
      return { at: [lead.at[0] + mean[0]!, lead.at[1] + mean[1]!], radius: lead.radius };
    });
  }

  /** The shortest way from one point of the plane to another modulo its lattice. */
  private shortest(a: Flat, b: Flat): Flat {
    let best: Flat = [Infinity, Infinity];
    for (const { x, y } of this.images([b[0] - a[0], b[1] - a[1]]))
      if (Math.hypot(x, y) < Math.hypot(...best)) best = [x, y];
    return best;
  }

  /** The least free radius on the way from a point, Å. */
  private narrowest(from: Flat, by: Flat): number {
    let least = Infinity;
    for (let k = 0; k <= 12; k++)
      least = Math.min(least, this.free([from[0] + (k / 12) * by[0], from[1] + (k / 12) * by[1]]));
    return least;
  }

  /** The atoms around a channel that are seen from its middle, in order. */
  lining(at: Flat, radius: number): AtomRef[] {
    const seen: { angle: number; half: number; ref: AtomRef }[] = [];
    for (const { column, offset, ref, from } of this.around(at, 2 * radius + 2)) {
      const angle = Math.atan2(offset[1], offset[0]);
      const half = Math.asin(Math.min(1, (0.7 * column.radius) / (from + column.radius)));
      if (seen.some((x) => angleBetween(x.angle, angle) < Math.max(x.half, half))) continue;
      seen.push({ angle, half, ref });
    }
    return seen.sort((a, b) => a.angle - b.angle).map((x) => this.levelled(x.ref));
  }

  /** The copy along the row that stands within one repeat of the origin. */
  private levelled(ref: AtomRef): AtomRef {
    const step = apply3(this.m, this.row);
    const n = Math.floor(dot(apply3(this.m, positionOf(this.s, ref)), step) / dot(step, step) + 1e-6);
    return { ...ref, shift: toVec3([0, 1, 2].map((k) => ref.shift[k]! - n * this.row[k]!)) };
  }

  /** Cartesian, on the plane through the origin. */
  inSpace([x, y]: Flat): Vec3 {
    const [u, v] = this.across;
    return [x * u[0] + y * v[0], x * u[1] + y * v[1], x * u[2] + y * v[2]];
  }
}

const angleBetween = (a: number, b: number): number => {
  const d = Math.abs(a - b) % (2 * Math.PI);
  return Math.min(d, 2 * Math.PI - d);
};

function isSummit(values: Float64Array, i: number, j: number, n: number, m: number): boolean {
  const here = values[i * m + j]!;
  for (let p = -1; p <= 1; p++)
    for (let q = -1; q <= 1; q++) if (values[((i + p + n) % n) * m + ((j + q + m) % m)]! > here) return false;
  return true;
}

/** Å by site. */
function wallRadii(s: Structure): ReadonlyMap<string, number> {
  const charges = siteCharges(s);
  const around = bondsBySite(s, bonds(s));
  const salt = charges.every((q) => q !== undefined);
  return new Map(
    s.sites.map((x, i) => [
      x.id,
      (salt && charges[i] ? ionicRadius(x.element, charges[i], around[i]!.length) : undefined) ??
        vanDerWaalsRadius(x.element),
    ]),
  );
}

/** Sites of what walls can be made of: the nets of the highest dimension; whatever there is where nothing is endless. */
export function wallSites(s: Structure): ReadonlySet<string> {
  const nets = netsOf(s);
  const dimensions = new Map(s.sites.map((x) => [x.id, nets.list[nets.netOf(originalRef(x.id))]!.dimension]));
  const most = Math.max(0, ...dimensions.values());
  return new Set([...dimensions].flatMap(([id, d]) => (d === most ? [id] : [])));
}

const flats = new WeakMap<Structure, Map<string, FlatCrystal>>();

function flatCrystal(s: Structure, row: Vec3): FlatCrystal {
  const known = flats.get(s) ?? new Map<string, FlatCrystal>();
  flats.set(s, known);
  const key = row.join();
  let flat = known.get(key);
  if (!flat) known.set(key, (flat = new FlatCrystal(s, row, wallSites(s))));
  return flat;
}

/** Straight channels along one row; lone ions and molecules in them are left out. Throws RangeError for [0 0 0] and multiples. */
export function channelsAlong(s: Structure, row: Vec3): Channel[] {
  if (!wallSites(s).size) return [];
  const flat = flatCrystal(s, row);
  const out: Channel[] = [];
  for (const { at, radius, lining } of flat.middles()) {
    const kind = out.findIndex((c) => Math.abs(c.width - 2 * radius) < SAME_WIDTH && sameLining(s, c.lining, lining));
    if (kind >= 0) out[kind] = { ...out[kind]!, count: out[kind]!.count + 1 };
    else out.push({ row, width: 2 * radius, at: flat.inSpace(at), lining, count: 1 });
  }
  return out;
}

function sameLining(s: Structure, a: readonly AtomRef[], b: readonly AtomRef[]): boolean {
  const names = (list: readonly AtomRef[]): string =>
    list
      .map((r) => siteIndices(s).get(r.site)!)
      .sort((p, q) => p - q)
      .join();
  return names(a) === names(b);
}

const sameRow = (a: Vec3, b: Vec3): boolean =>
  [1, -1].some((sign) => a.every((x, k) => Math.abs(x - sign * b[k]!) < 1e-9));

/** Channels along the short rows of the lattice (one of those that symmetry makes alike), the widest first. */
export function straightChannels(s: Structure): Channel[] {
  const m = orthogonalization(s.cell);
  const { operators } = symmetryTable(s.spaceGroup);
  const kept: Vec3[] = [];
  for (const row of ROWS) {
    if (norm(apply3(m, row)) > LONGEST_REPEAT) continue;
    const alike = operators.map((o) => apply3(o.r, row));
    if (!kept.some((k) => alike.some((r) => sameRow(r, k)))) kept.push(row);
  }
  return kept.flatMap((row) => channelsAlong(s, row)).sort((a, b) => b.width - a.width);
}

export interface ChannelPlace {
  /** The drawn atoms of its walls. */
  readonly atoms: readonly AtomRef[];
  /** One drawn atom of every column, in order around the axis. */
  readonly ring: readonly AtomRef[];
}

/** Every channel of a kind whose walls are drawn, completed over what is drawn. */
export function channelPlaces(s: Structure, channel: Channel, drawn: readonly AtomRef[]): ChannelPlace[] {
  const flat = flatCrystal(s, channel.row);
  const m = orthogonalization(s.cell);
  const byPlace = new Map<string, AtomRef[]>();
  const keyOf = ([x, y]: Flat): string => `${Math.round(20 * x)} ${Math.round(20 * y)}`;
  const flatOf = (a: AtomRef): Flat => flat.flat(apply3(m, positionOf(s, a)));
  for (const a of drawn) {
    const key = keyOf(flatOf(a));
    byPlace.set(key, [...(byPlace.get(key) ?? []), a]);
  }
  const columnAt = ([x, y]: Flat): readonly AtomRef[] => {
    for (const dx of [0, -0.05, 0.05])
      for (const dy of [0, -0.05, 0.05]) {
        const found = byPlace.get(keyOf([x + dx, y + dy]));
        if (found) return found;
      }
    return [];
  };
  const points = drawn.map(flatOf);
  const places: ChannelPlace[] = [];
  for (const { at, radius, lining } of flat.middles()) {
    if (Math.abs(2 * radius - channel.width) > SAME_WIDTH || !sameLining(s, lining, channel.lining)) continue;
    const corners = lining.map(flatOf);
    for (const [dx, dy] of shiftsWithin(flat, at, points)) {
      const columns = corners.map(([x, y]) => columnAt([x + dx, y + dy]));
      if (columns.some((c) => !c.length)) continue;
      places.push({ atoms: columns.flat(), ring: columns.map((c) => nearestToMiddle(s, c)) });
    }
  }
  return places;
}

/** Lattice shifts across the row that bring a point among others. */
function shiftsWithin(flat: FlatCrystal, at: Flat, points: readonly Flat[]): Flat[] {
  const low = [0, 1].map((k) => Math.min(...points.map((p) => p[k]!))),
    high = [0, 1].map((k) => Math.max(...points.map((p) => p[k]!)));
  const out: Flat[] = [];
  const reach = 12;
  for (let i = -reach; i <= reach; i++)
    for (let j = -reach; j <= reach; j++) {
      const d = flat.get(i, j);
      if ([0, 1].every((k) => at[k]! + d[k]! >= low[k]! && at[k]! + d[k]! <= high[k]!)) out.push(d);
    }
  return out;
}

/** Of a column, the atom in its middle. */
function nearestToMiddle(s: Structure, column: readonly AtomRef[]): AtomRef {
  const m = orthogonalization(s.cell);
  const places = column.map((a) => apply3(m, positionOf(s, a)));
  const mean = scale(
    places.reduce((sum, p) => [sum[0] + p[0], sum[1] + p[1], sum[2] + p[2]] as Vec3, [0, 0, 0] as Vec3),
    1 / places.length,
  );
  const off = places.map((p) => norm(subtract(p, mean)));
  return column[off.indexOf(Math.min(...off))]!;
}
