/** Values and gradients of the basis on batches of points that lie together. */
import { cartesianCount, cartesianPowers, functionCount, functionMatrix, type Basis, type Shell } from './gaussian.ts';
import type { MolecularGrid } from './molecular-grid.ts';

/** Points of a batch at most. */
export const BATCH = 128;
/** Side of the boxes that points are gathered in, bohr. */
const BOX = 2.5;
/** What is smaller than this is not a function's reach. */
const NEGLIGIBLE = 1e-9;

/** Of an exponent: what is left then is rounding. */
const NOTHING = 42;

/** Indices of grid points, box by box, at most BATCH together. */
export function batchesOf(grid: Pick<MolecularGrid, 'count' | 'points'>): readonly Int32Array[] {
  const boxes = new Map<string, number[]>();
  for (let i = 0; i < grid.count; i++) {
    const key = [0, 1, 2].map((k) => Math.floor(grid.points[3 * i + k]! / BOX)).join(' ');
    const box = boxes.get(key);
    if (box) box.push(i);
    else boxes.set(key, [i]);
  }
  return [...boxes.values()].flatMap((list) =>
    Array.from({ length: Math.ceil(list.length / BATCH) }, (_, k) =>
      Int32Array.from(list.slice(k * BATCH, (k + 1) * BATCH)),
    ),
  );
}

/** Distance beyond which a shell is negligible, bohr. */
function reachOf(s: Shell): number {
  for (let r = 0.5; ; r += 0.5) {
    let sum = 0;
    s.exponents.forEach((alpha, i) => (sum += Math.abs(s.coefficients[i]!) * Math.exp(-alpha * r * r)));
    if (sum * r ** s.l < NEGLIGIBLE && r > 1) return r;
  }
}

/** Room for one batch after another: functions that reach it, their values and slopes, function-major. */
export class GridFunctions {
  /** Indices of the functions that reach the batch. */
  functions: Int32Array;
  /** Number of them. */
  count = 0;
  values: Float64Array;
  /** By x, y and z. */
  slopes: readonly [Float64Array, Float64Array, Float64Array];
  /** Room of its own for these. */
  private readonly own: Pick<GridFunctions, 'functions' | 'values' | 'slopes'>;
  private readonly reaches: readonly number[];
  private readonly cartesian = new Float64Array(cartesianCount(6) * 4 * BATCH);
  /** Powers of the coordinates of one point. */
  private readonly x = new Float64Array(8).fill(1);
  private readonly y = new Float64Array(8).fill(1);
  private readonly z = new Float64Array(8).fill(1);

  constructor(
    private readonly basis: Basis,
    private readonly withSlopes: boolean,
  ) {
    const room = basis.size * BATCH;
    this.functions = new Int32Array(basis.size);
    this.values = new Float64Array(room);
    const slope = (): Float64Array => new Float64Array(withSlopes ? room : 0);
    this.slopes = [slope(), slope(), slope()];
    this.own = { functions: this.functions, values: this.values, slopes: this.slopes };
    this.reaches = basis.shells.map(reachOf);
  }

  /** Evaluates at points `which` (at most BATCH) of coordinates three each; values of function f at f·which.length + p. */
  at(points: Float64Array, which: Int32Array): void {
    this.count = 0;
    Object.assign(this, this.own);
    for (const [s, shell] of this.basis.shells.entries())
      if (this.isReached(s, points, which)) this.shell(shell, points, which);
  }

  /** Functions that reach a batch. */
  countAt(points: Float64Array, which: Int32Array): number {
    return this.basis.shells.reduce(
      (n, shell, s) => n + (this.isReached(s, points, which) ? functionCount(shell) : 0),
      0,
    );
  }

  private isReached(s: number, points: Float64Array, which: Int32Array): boolean {
    const [x, y, z] = this.basis.shells[s]!.position,
      most = this.reaches[s]! ** 2;
    for (const i of which) {
      const u = points[3 * i]! - x,
        v = points[3 * i + 1]! - y,
        w = points[3 * i + 2]! - z;
      if (u * u + v * v + w * w < most) return true;
    }
    return false;
  }

  /** Copies of a batch at hand into room for count functions, and values, then slopes, of `points` points each. */
  keep(functions: Int32Array, room: Float64Array, points: number): void {
    const length = this.count * points;
    functions.set(this.functions.subarray(0, this.count));
    [this.values, ...(this.withSlopes ? this.slopes : [])].forEach((x, part) =>
      room.set(x.subarray(0, length), part * length),
    );
  }

  /** Takes a batch from where it was kept. */
  restore(functions: Int32Array, room: Float64Array, points: number): void {
    this.count = functions.length;
    this.functions = functions;
    const length = this.count * points;
    const part = (n: number): Float64Array => room.subarray(n * length, (n + 1) * length);
    this.values = part(0);
    this.slopes = this.withSlopes ? [part(1), part(2), part(3)] : this.own.slopes;
  }

  /** Rows and columns of a size × size matrix that the batch needs, into `out`. */
  gather(matrix: Float64Array, size: number, out: Float64Array): void {
    const n = this.count;
    for (let i = 0; i < n; i++) {
      const row = this.functions[i]! * size;
      for (let j = 0; j < n; j++) out[i * n + j] = matrix[row + this.functions[j]!]!;
    }
  }

  /** Adds one shell: its Cartesian products first, then the functions made of them. */
  private shell(s: Shell, points: Float64Array, which: Int32Array): void {
    const powers = cartesianPowers(s.l),
      n = which.length,
      total = functionCount(s),
      matrix = functionMatrix(s.l, s.pure);
    const width = this.withSlopes ? 4 : 1;
    this.products(s, points, which, powers);
    for (let f = 0; f < total; f++) {
      const to = (this.count + f) * n;
      this.functions[this.count + f] = s.first + f;
      for (let part = 0; part < width; part++) {
        const out = part ? this.slopes[(part - 1) as 0 | 1 | 2] : this.values;
        out.fill(0, to, to + n);
        for (let c = 0; c < powers.length; c++) {
          const w = matrix[f * powers.length + c]!;
          if (!w) continue;
          const from = (c * 4 + part) * BATCH;
          for (let p = 0; p < n; p++) out[to + p]! += w * this.cartesian[from + p]!;
        }
      }
    }
    this.count += total;
  }

  private products(
    s: Shell,
    points: Float64Array,
    which: Int32Array,
    powers: readonly (readonly [number, number, number])[],
  ): void {
    const { cartesian } = this;
    for (let p = 0; p < which.length; p++) {
      const at = 3 * which[p]!;
      const x = points[at]! - s.position[0],
        y = points[at + 1]! - s.position[1],
        z = points[at + 2]! - s.position[2],
        r2 = x * x + y * y + z * z;
      let radial = 0,
        slope = 0;
      for (let i = 0; i < s.exponents.length; i++) {
        const alpha = s.exponents[i]!;
        if (alpha * r2 > NOTHING) continue;
        const e = s.coefficients[i]! * Math.exp(-alpha * r2);
        radial += e;
        slope -= 2 * alpha * e;
      }
      const px = this.x,
        py = this.y,
        pz = this.z;
      for (let n = 1; n <= s.l; n++) {
        px[n] = px[n - 1]! * x;
        py[n] = py[n - 1]! * y;
        pz[n] = pz[n - 1]! * z;
      }
      for (let c = 0; c < powers.length; c++) {
        const power = powers[c]!,
          i = power[0],
          j = power[1],
          k = power[2];
        const yz = py[j]! * pz[k]!,
          all = px[i]! * yz,
          to = c * 4 * BATCH + p;
        cartesian[to] = radial * all;
        if (!this.withSlopes) continue;
        cartesian[to + BATCH] = slope * x * all + (i ? radial * i * px[i - 1]! * yz : 0);
        cartesian[to + 2 * BATCH] = slope * y * all + (j ? radial * j * px[i]! * py[j - 1]! * pz[k]! : 0);
        cartesian[to + 3 * BATCH] = slope * z * all + (k ? radial * k * px[i]! * py[j]! * pz[k - 1]! : 0);
      }
    }
  }
}
