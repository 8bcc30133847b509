/** Copies of sites by symmetry and who lies near whom. */
import type { Placement } from './atom-ref.ts';
import { SAME_PLACE, symmetryTable } from './atom-ref.ts';
import { metricTensor, type Cell } from './cell.ts';
import { applyOperator, type Operator } from './operator.ts';
import { allOperators, type SpaceGroup } from './space-group.ts';
import type { Vec3 } from '../math/matrix3.ts';

export { allOperators };

/** The copy of point x, over all operators and lattice translations, that lies nearest to `target`. */
export function operatorsNear(
  operators: readonly Operator[],
  g: readonly number[],
  x: readonly [number, number, number],
  target: Vec3,
): { distance: number; moved: [number, number, number]; operator: Operator } {
  let best = Infinity,
    moved: [number, number, number] = [...x],
    operator = operators[0]!;
  for (const o of operators) {
    const { r, t } = o;
    const y = applyOperator(o, x);
    const shift = [0, 1, 2].map((i) => Math.round(target[i]! - y[i]!));
    const q = squaredLength(
      g,
      y[0] + shift[0]! - target[0],
      y[1] + shift[1]! - target[1],
      y[2] + shift[2]! - target[2],
    );
    if (q < best - 1e-9) {
      best = q;
      moved = [0, 1, 2].map((i) => y[i]! + shift[i]!) as [number, number, number];
      operator = { r, t: [t[0] + shift[0]!, t[1] + shift[1]!, t[2] + shift[2]!] };
    }
  }
  return { distance: Math.sqrt(Math.max(0, best)), moved, operator };
}

/** Squared length, Å², of a fractional vector under a metric tensor. */
const squaredLength = (g: readonly number[], x: number, y: number, z: number): number =>
  x * x * g[0]! + y * y * g[4]! + z * z * g[8]! + 2 * (x * y * g[1]! + x * z * g[2]! + y * z * g[5]!);

/** One copy near a site. The placement tells which: apply it to the site `to`. */
export interface Neighbour extends Placement {
  /** Index of the central site. */
  readonly from: number;
  /** Index of the neighbouring site. */
  readonly to: number;
  /** Of the copy, fractional. */
  readonly position: Vec3;
  /** Å */
  readonly distance: number;
}

/** How far to look, Å: one radius for all, or by pair with the largest of them named. */
export type Reach = number | { readonly widest: number; readonly of: (i: number, j: number) => number };

/** Spacings of the lattice planes (100), (010), (001), Å: they bound how many cells a sphere reaches. */
function planeSpacings(g: readonly number[]): [number, number, number] {
  const volume = Math.sqrt(
    g[0]! * (g[4]! * g[8]! - g[5]! * g[7]!) -
      g[1]! * (g[3]! * g[8]! - g[5]! * g[6]!) +
      g[2]! * (g[3]! * g[7]! - g[4]! * g[6]!),
  );
  return [
    volume / Math.sqrt(g[4]! * g[8]! - g[5]! ** 2),
    volume / Math.sqrt(g[0]! * g[8]! - g[2]! ** 2),
    volume / Math.sqrt(g[0]! * g[4]! - g[1]! ** 2),
  ];
}

/** The centres sorted into boxes over one cell; each is wrapped into the cell and remembers by how much. */
class CentreBoxes {
  readonly counts: readonly [number, number, number];
  /** Boxes on either side that a sphere can reach into. */
  readonly spans: readonly [number, number, number];
  /** Centres of box b: order[start[b]] … order[start[b+1] − 1]. */
  readonly start: Int32Array;
  readonly order: Int32Array;
  readonly wrapped: Float64Array;
  readonly cells: Int32Array;

  constructor(positions: readonly Vec3[], centres: readonly number[], spacings: readonly number[], widest: number) {
    // Not many more boxes than centres along an edge, or an empty grid costs more than it saves.
    const most = Math.max(1, Math.ceil(2 * Math.cbrt(centres.length)));
    // Two boxes to a radius follow the sphere more closely than one, where they are not mostly empty.
    const room = Math.cbrt((spacings[0]! * spacings[1]! * spacings[2]!) / centres.length);
    const edge = Math.max(0.5, widest / 2 > 0.8 * room ? widest / 2 : widest);
    this.counts = spacings.map((s) => Math.max(1, Math.min(most, Math.floor(s / edge)))) as unknown as [
      number,
      number,
      number,
    ];
    this.spans = spacings.map((s, k) => Math.ceil((widest * this.counts[k]!) / s)) as unknown as [
      number,
      number,
      number,
    ];
    this.wrapped = new Float64Array(3 * centres.length);
    this.cells = new Int32Array(3 * centres.length);
    const boxes = new Int32Array(centres.length);
    this.start = new Int32Array(this.counts[0] * this.counts[1] * this.counts[2] + 1);
    centres.forEach((c, m) => {
      const x = positions[c]!;
      for (let k = 0; k < 3; k++) {
        this.cells[3 * m + k] = Math.floor(x[k]!);
        this.wrapped[3 * m + k] = x[k]! - Math.floor(x[k]!);
      }
      boxes[m] = this.boxOf(this.wrapped[3 * m]!, this.wrapped[3 * m + 1]!, this.wrapped[3 * m + 2]!);
      this.start[boxes[m]! + 1]!++;
    });
    for (let b = 1; b < this.start.length; b++) this.start[b]! += this.start[b - 1]!;
    const next = this.start.slice();
    this.order = new Int32Array(centres.length);
    for (let m = 0; m < centres.length; m++) this.order[next[boxes[m]!]!++] = m;
  }

  /** Box of a point in [0, 1)³. */
  private boxOf(x: number, y: number, z: number): number {
    const [p, q, r] = this.counts;
    const i = Math.min(p - 1, Math.floor(x * p));
    const j = Math.min(q - 1, Math.floor(y * q));
    const k = Math.min(r - 1, Math.floor(z * r));
    return (i * q + j) * r + k;
  }

  /** Calls back with every centre in the boxes around a point, and the cells by which the point must move to stand beside it. */
  around(
    x: number,
    y: number,
    z: number,
    see: (centre: number, cellX: number, cellY: number, cellZ: number) => void,
  ): void {
    const [p, q, r] = this.counts;
    const [su, sv, sw] = this.spans;
    const i = Math.floor(x * p),
      j = Math.floor(y * q),
      k = Math.floor(z * r);
    for (let u = i - su; u <= i + su; u++) {
      const cellX = Math.floor(u / p);
      const atX = (u - cellX * p) * q;
      for (let v = j - sv; v <= j + sv; v++) {
        const cellY = Math.floor(v / q);
        const atY = (atX + v - cellY * q) * r;
        for (let w = k - sw; w <= k + sw; w++) {
          const cellZ = Math.floor(w / r);
          const box = atY + w - cellZ * r;
          for (let m = this.start[box]!; m < this.start[box + 1]!; m++) see(this.order[m]!, cellX, cellY, cellZ);
        }
      }
    }
  }
}

/** Distinct images of a site within one cell: special positions give fewer than there are operators. */
function distinctImages(
  operators: readonly Operator[],
  g: readonly number[],
  x: Vec3,
): { operator: number; y: Vec3 }[] {
  const images: { operator: number; y: Vec3 }[] = [];
  const same = SAME_PLACE * SAME_PLACE;
  operators.forEach((o, operator) => {
    const y = applyOperator(o, x);
    const known = images.some((m) => {
      const d = [m.y[0] - y[0], m.y[1] - y[1], m.y[2] - y[2]];
      return squaredLength(g, d[0]! - Math.round(d[0]!), d[1]! - Math.round(d[1]!), d[2]! - Math.round(d[2]!)) < same;
    });
    if (!known) images.push({ operator, y });
  });
  return images;
}

/**
 * Every copy within reach of a site; each pair is reported from both ends, a site's own place left out.
 * Boxes over the cell make the cost linear in sites × operators. Ordered by `to`, then `from`, operator and cell.
 */
export function neighbours(
  cell: Cell,
  group: SpaceGroup,
  positions: readonly Vec3[],
  reach: Reach,
  centres: readonly number[] = positions.map((_, i) => i),
): Neighbour[] {
  const g = metricTensor(cell);
  const { operators } = symmetryTable(group);
  const widest = typeof reach === 'number' ? reach : reach.widest;
  const reachOf = typeof reach === 'number' ? () => reach : reach.of;
  if (!(widest > 0) || !centres.length) return [];
  const boxes = new CentreBoxes(positions, centres, planeSpacings(g), widest);
  const { wrapped, cells } = boxes;
  const least = SAME_PLACE * SAME_PLACE;
  const out: Neighbour[] = [];
  const place = new Int32Array(positions.length);
  centres.forEach((c, at) => (place[c] = at));
  for (let to = 0; to < positions.length; to++) {
    const found: Neighbour[] = [];
    for (const { operator, y } of distinctImages(operators, g, positions[to]!)) {
      const base = [Math.floor(y[0]), Math.floor(y[1]), Math.floor(y[2])];
      const inside = [y[0] - base[0]!, y[1] - base[1]!, y[2] - base[2]!];
      boxes.around(inside[0]!, inside[1]!, inside[2]!, (at, u, v, w) => {
        const dx = inside[0]! - u - wrapped[3 * at]!,
          dy = inside[1]! - v - wrapped[3 * at + 1]!,
          dz = inside[2]! - w - wrapped[3 * at + 2]!;
        const square = squaredLength(g, dx, dy, dz);
        if (square < least || square > widest * widest) return;
        const from = centres[at]!;
        const limit = reachOf(from, to);
        if (!(limit > 0) || square > limit * limit) return;
        const shift: Vec3 = [
          cells[3 * at]! - base[0]! - u,
          cells[3 * at + 1]! - base[1]! - v,
          cells[3 * at + 2]! - base[2]! - w,
        ];
        const c = positions[from]!;
        found.push({
          from,
          to,
          operator,
          shift,
          position: [c[0] + dx, c[1] + dy, c[2] + dz],
          distance: Math.sqrt(square),
        });
      });
    }
    found.sort(
      (p, q) =>
        place[p.from]! - place[q.from]! ||
        p.operator - q.operator ||
        p.shift[0] - q.shift[0] ||
        p.shift[1] - q.shift[1] ||
        p.shift[2] - q.shift[2],
    );
    for (const n of found) out.push(n);
  }
  return out;
}
