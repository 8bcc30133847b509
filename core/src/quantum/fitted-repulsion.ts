/**
 * Coulomb and exchange matrices by density fitting: (ab|cd) ≈ Σ B_ab^P B_cd^P with B = (ab|Q) L⁻ᵀ and L Lᵀ = (P|Q)
 * (Eichkorn et al. 1995; Weigend 2002).
 */
import { choleskyInPlace } from '../math/linear.ts';
import type { TaskContext } from '../task-context.ts';
import { rangeOf, sharedDoubles, sharedIntegers, summed, SUMMED_PARTS, type Crew, type Workshop } from './crew.ts';
import type { Shell } from './gaussian.ts';
import { addProduct, product } from '../math/dense-product.ts';
import { transposed } from './matrices.ts';
import { RepulsionBlock } from './repulsion.ts';
import { shellPairs, singleOf, type HermitePair } from './shell-pairs.ts';
import type { RepulsionBuilder } from './spin-density.ts';

/** Products of functions that are nowhere larger than this are left out: those of atoms far from one another. */
const NEGLIGIBLE = 1e-10;

/** Pairs of shells whose products count. */
const pairsThatCount = (shells: readonly Shell[]): HermitePair[] =>
  shellPairs(shells).filter(({ coefficients }) => coefficients.some((x) => Math.abs(x) > NEGLIGIBLE));

/** Number of pairs of functions in a pair of shells; of a shell with itself each once. */
const columnsOf = ({ rows, columns, firstRow, firstColumn }: HermitePair): number =>
  firstRow === firstColumn ? (rows * (rows + 1)) / 2 : rows * columns;

/** Calls with the functions i and j of each pair of a pair of shells, in their order. */
function eachColumn(
  { rows, columns, firstRow, firstColumn }: HermitePair,
  visit: (i: number, j: number) => void,
): void {
  for (let i = 0; i < rows; i++) for (let j = 0; j < (firstRow === firstColumn ? i + 1 : columns); j++) visit(i, j);
}

/** Rows solved together, and columns that pass the kernel at once. */
const ROWS = 48,
  SLICE = 2048;

/** Elements of the table that a molecule of so many functions and fitting functions needs. */
export const fittedElements = (size: number, count: number): number => (count * size * (size + 1)) / 2;

/** Steps: (P|Q), (P|ab), L⁻¹ of the latter, and the matrices of a density. */
const METRIC = 0,
  PRODUCTS = 1,
  SOLVED = 2,
  MATRICES = 3;
/** Parts of the first two; their results do not meet. */
const MANY = 96;

/** What every thread needs; plain data, the arrays in shared memory. */
export interface RepulsionPlan {
  readonly kind: 'repulsion';
  readonly shells: readonly Shell[];
  readonly fitting: readonly Shell[];
  readonly size: number;
  /** Number of fitting functions. */
  readonly count: number;
  /** (P|Q), then its Cholesky factor. */
  readonly metric: Float64Array;
  /** Functions a and b of every pair that counts. */
  readonly first: Int32Array;
  readonly second: Int32Array;
  /** B, count × these pairs. */
  readonly table: Float64Array;
  /** Density of all electrons, and the orbitals of each spin with their number; none where no exchange is wanted. */
  readonly total: Float64Array;
  readonly orbitals: Float64Array;
  readonly occupied: Int32Array;
  /** By part: J packed, K of each spin. */
  readonly coulomb: Float64Array;
  readonly exchange: Float64Array;
}

/** Room for the repulsion among the electrons of a basis. `spins`: 1 for a closed shell, 2. */
export function repulsionPlan(
  shells: readonly Shell[],
  size: number,
  fitting: readonly Shell[],
  spins: number,
): RepulsionPlan {
  const count = fitting.map(singleOf).reduce((n, s) => n + s.rows, 0);
  const first: number[] = [],
    second: number[] = [];
  for (const pair of pairsThatCount(shells))
    eachColumn(pair, (i, j) => {
      first.push(pair.firstRow + i);
      second.push(pair.firstColumn + j);
    });
  const width = first.length;
  return {
    kind: 'repulsion',
    shells,
    fitting,
    size,
    count,
    metric: sharedDoubles(count * count),
    first: Int32Array.from(first),
    second: Int32Array.from(second),
    table: sharedDoubles(count * width),
    total: sharedDoubles(size * size),
    orbitals: sharedDoubles(spins * size * size),
    occupied: sharedIntegers(spins),
    coulomb: sharedDoubles(SUMMED_PARTS * width),
    exchange: sharedDoubles(SUMMED_PARTS * spins * size * size),
  };
}

/** What integrals are made of: pairs of shells with the first column of each, and single shells. */
interface Distributions {
  readonly pairs: readonly HermitePair[];
  readonly at: readonly number[];
  readonly singles: readonly HermitePair[];
}

/** The parts of making fitted products and of building with them. */
export class RepulsionWorkshop implements Workshop {
  private readonly width: number;
  private readonly block = new RepulsionBlock();
  private known: Distributions | undefined;

  constructor(readonly plan: RepulsionPlan) {
    this.width = plan.first.length;
  }

  /** Distributions of the integrals, while these are made. */
  private get distributions(): Distributions {
    if (this.known) return this.known;
    const pairs = pairsThatCount(this.plan.shells);
    let next = 0;
    const at = pairs.map((p) => (next += columnsOf(p)) - columnsOf(p));
    return (this.known = { pairs, at, singles: this.plan.fitting.map(singleOf) });
  }

  async part(step: number, index: number, context: TaskContext): Promise<void> {
    switch (step) {
      case METRIC:
        return this.metricPart(index);
      case PRODUCTS:
        return this.productsPart(index, context);
      case SOLVED:
        this.known = undefined;
        return this.solvedPart(index, context);
      default:
        this.coulombPart(index);
        for (let spin = 0; spin < this.plan.occupied.length; spin++) await this.exchangePart(spin, index, context);
    }
  }

  /** Some rows of (P|Q), their lower triangle. */
  private metricPart(index: number): void {
    const { metric, count } = this.plan;
    const { singles } = this.distributions;
    for (let i = index; i < singles.length; i += MANY) {
      const a = singles[i]!;
      for (const b of singles.slice(0, i + 1)) {
        const values = this.block.between(a, b);
        for (let p = 0; p < a.rows; p++)
          for (let q = 0; q < b.rows; q++) metric[(a.firstRow + p) * count + b.firstRow + q] = values[p * b.rows + q]!;
      }
    }
  }

  /** (P|ab) of every fitting function and some pairs of shells. */
  private async productsPart(index: number, context: TaskContext): Promise<void> {
    const { table } = this.plan,
      { width } = this;
    const { pairs, at, singles } = this.distributions;
    for (let n = index; n < pairs.length; n += MANY) {
      await context.breath();
      const pair = pairs[n]!;
      for (const single of singles) {
        const values = this.block.between(pair, single);
        let to = single.firstRow * width + at[n]!;
        eachColumn(pair, (i, j) => {
          const from = (i * pair.columns + j) * single.rows;
          for (let p = 0; p < single.rows; p++) table[p * width + to] = values[from + p]!;
          to++;
        });
      }
    }
  }

  /** B ← L⁻¹ B in a slice of columns: what is solved is taken off a block of rows by one product, the rest in order. */
  private async solvedPart(index: number, context: TaskContext): Promise<void> {
    const { table: b, metric: l, count } = this.plan,
      { width } = this;
    const from = index * SLICE;
    const columns = Math.min(SLICE, width - from);
    const solved = new Float64Array(count * columns);
    for (let i = 0; i < count; i++) solved.set(b.subarray(i * width + from, i * width + from + columns), i * columns);
    for (let first = 0; first < count; first += ROWS) {
      await context.breath();
      solveBlock(l, solved, count, columns, first, Math.min(ROWS, count - first));
    }
    for (let i = 0; i < count; i++) b.set(solved.subarray(i * columns, (i + 1) * columns), i * width + from);
  }

  /** Σ_P B^P (B^P · D) over some of the fitting functions. */
  private coulombPart(index: number): void {
    const { table, total, size, count, coulomb, first: a, second: b } = this.plan,
      { width } = this;
    const packed = Float64Array.from(a, (x, n) => (x === b[n] ? 1 : 2) * total[x * size + b[n]!]!),
      sum = coulomb.subarray(index * width, (index + 1) * width).fill(0);
    const [from, end] = rangeOf(index, SUMMED_PARTS, count);
    for (let p = from; p < end; p++) {
      const row = p * width;
      let charge = 0;
      for (let i = 0; i < width; i++) charge += table[row + i]! * packed[i]!;
      for (let i = 0; i < width; i++) sum[i]! += charge * table[row + i]!;
    }
  }

  /** Σ_P (B^P C)(B^P C)ᵀ over some of the fitting functions. */
  private async exchangePart(spin: number, index: number, context: TaskContext): Promise<void> {
    const { table, orbitals, occupied, exchange, size, count } = this.plan,
      square = size * size,
      inOrbitals = occupied[spin]!;
    const at = (index * occupied.length + spin) * square;
    const sum = exchange.subarray(at, at + square).fill(0);
    if (!inOrbitals) return;
    const factor = orbitals.slice(spin * square, spin * square + size * inOrbitals);
    const full = new Float64Array(square);
    const [first, end] = rangeOf(index, SUMMED_PARTS, count);
    for (let p = first; p < end; p++) {
      await context.breath();
      unpackInto(full, table, p * this.width, this.plan);
      const half = product(full, factor, size, size, inOrbitals);
      addProduct(half, transposed(half, size, inOrbitals), size, inOrbitals, size, sum);
    }
  }
}

/** A symmetric matrix from its pairs that count, from `at` on; what does not count is left as it is. */
function unpackInto(
  full: Float64Array,
  packed: Float64Array,
  at: number,
  { first, second, size }: Pick<RepulsionPlan, 'first' | 'second' | 'size'>,
): void {
  for (let n = 0; n < first.length; n++) {
    const a = first[n]!,
      b = second[n]!,
      value = packed[at + n]!;
    full[a * size + b] = value;
    full[b * size + a] = value;
  }
}

/** Makes the fitted products of a plan, once. */
export async function fitProducts(
  workshop: RepulsionWorkshop,
  crew: Crew<unknown>,
  context: TaskContext,
  report: (share: number) => void = () => undefined,
): Promise<void> {
  const { metric, count, first } = workshop.plan;
  await crew.run(workshop, METRIC, MANY, context);
  choleskyInPlace(metric, count, 1e-12);
  await crew.run(workshop, PRODUCTS, MANY, context, (done) => report(done / MANY));
  await crew.run(workshop, SOLVED, Math.ceil(first.length / SLICE), context);
}

/** Builder over fitted products that were made. */
export function fittedRepulsion(workshop: RepulsionWorkshop, crew: Crew<unknown>): RepulsionBuilder {
  const { size, total, orbitals, occupied, coulomb, exchange } = workshop.plan,
    square = size * size;
  return {
    async build(density, spins, withExchange, context) {
      total.set(density);
      spins.forEach((s, k) => {
        occupied[k] = withExchange ? s.count : 0;
        orbitals.set(s.factor, k * square);
      });
      await crew.run(workshop, MATRICES, SUMMED_PARTS, context);
      const packed = summed(coulomb, workshop.plan.first.length);
      const all = withExchange ? summed(exchange, spins.length * square) : exchange;
      const unpacked = new Float64Array(square);
      unpackInto(unpacked, packed, 0, workshop.plan);
      return {
        coulomb: unpacked,
        exchange: withExchange ? spins.map((_, k) => all.slice(k * square, (k + 1) * square)) : [],
      };
    },
  };
}

/** Rows first … first + rows of L⁻¹ B, those above being solved. */
function solveBlock(
  l: Float64Array,
  b: Float64Array,
  count: number,
  columns: number,
  first: number,
  rows: number,
): void {
  const block = b.subarray(first * columns, (first + rows) * columns);
  if (first) {
    const left = new Float64Array(rows * first);
    for (let i = 0; i < rows; i++) for (let k = 0; k < first; k++) left[i * first + k] = -l[(first + i) * count + k]!;
    addProduct(left, b, rows, first, columns, block);
  }
  for (let i = 0; i < rows; i++) {
    const row = i * columns,
      factors = (first + i) * count + first;
    for (let k = 0; k < i; k++) {
      const x = l[factors + k]!,
        above = k * columns;
      for (let j = 0; j < columns; j++) block[row + j]! -= x * block[above + j]!;
    }
    const inverse = 1 / l[factors + i]!;
    for (let j = 0; j < columns; j++) block[row + j]! *= inverse;
  }
}
