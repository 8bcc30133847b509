/**
 * Coulomb and exchange matrices by density fitting: (ab|cd) ≈ Σ B_ab^P B_cd^P with B = (ab|Q) L⁻ᵀ and L Lᵀ = (P|Q)
 * (Eichkorn et al. 1995; Weigend 2002).
 */
import { choleskyInPlace } from '../math/linear.ts';
import type { TaskContext } from '../task-context.ts';
import type { Shell } from './gaussian.ts';
import { addProduct, product } from '../math/dense-product.ts';
import { transposed } from './matrices.ts';
import { RepulsionBlock } from './repulsion.ts';
import { singleOf, type HermitePair } from './shell-pairs.ts';
import type { Repulsion, RepulsionBuilder, SpinDensity } from './spin-density.ts';

/** Index of (a, b), a ≥ b, among the pairs of functions. */
const pairIndex = (a: number, b: number): number => (a >= b ? (a * (a + 1)) / 2 + b : (b * (b + 1)) / 2 + a);

/** (P|Q) of the fitting functions, lower triangle by Cholesky. */
function fittingFactor(singles: readonly HermitePair[], count: number): Float64Array {
  const metric = new Float64Array(count * count);
  const block = new RepulsionBlock();
  singles.forEach((a, i) => {
    for (const b of singles.slice(0, i + 1)) {
      const values = block.between(a, b);
      for (let p = 0; p < a.rows; p++)
        for (let q = 0; q < b.rows; q++) {
          metric[(a.firstRow + p) * count + b.firstRow + q] = values[p * b.rows + q]!;
          metric[(b.firstRow + q) * count + a.firstRow + p] = values[p * b.rows + q]!;
        }
    }
  });
  choleskyInPlace(metric, count, 1e-12);
  return metric;
}

/** (P|ab) of every fitting function and pair of functions: count × pairs. */
async function threeIndex(
  pairs: readonly HermitePair[],
  singles: readonly HermitePair[],
  count: number,
  width: number,
  context: TaskContext,
  report: (share: number) => void,
): Promise<Float64Array> {
  const out = new Float64Array(count * width);
  const block = new RepulsionBlock();
  for (let n = 0; n < pairs.length; n++) {
    if (n % 64 === 0) report(n / pairs.length);
    await context.breath();
    const pair = pairs[n]!;
    for (const single of singles) {
      const values = block.between(pair, single);
      for (let i = 0; i < pair.rows; i++)
        for (let j = 0; j < pair.columns; j++) {
          const to = pairIndex(pair.firstRow + i, pair.firstColumn + j);
          const from = (i * pair.columns + j) * single.rows;
          for (let p = 0; p < single.rows; p++) out[(single.firstRow + p) * width + to] = values[from + p]!;
        }
    }
  }
  return out;
}

/** Rows solved together, and columns that pass the kernel at once. */
const ROWS = 48,
  SLICE = 2048;

/** B ← L⁻¹ B in place, rows of length `width`: what is solved is taken off a block of rows by one product, the rest in order. */
async function solveRows(
  l: Float64Array,
  b: Float64Array,
  count: number,
  width: number,
  context: TaskContext,
): Promise<void> {
  for (let from = 0; from < width; from += SLICE) {
    const columns = Math.min(SLICE, width - from);
    const solved = new Float64Array(count * columns);
    for (let i = 0; i < count; i++) solved.set(b.subarray(i * width + from, i * width + from + columns), i * columns);
    for (let first = 0; first < count; first += ROWS) {
      await context.breath();
      solveBlock(l, solved, count, columns, first, Math.min(ROWS, count - first));
    }
    for (let i = 0; i < count; i++) b.set(solved.subarray(i * columns, (i + 1) * columns), i * width + from);
  }
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

/** Elements of the table that a molecule of so many functions and fitting functions needs. */
export const fittedElements = (size: number, count: number): number => (count * size * (size + 1)) / 2;

/** Builder over fitted products; the table is made once. */
export async function fittedRepulsion(
  pairs: readonly HermitePair[],
  size: number,
  fitting: readonly Shell[],
  context: TaskContext,
  report: (share: number) => void = () => undefined,
): Promise<RepulsionBuilder> {
  const singles = fitting.map(singleOf);
  const count = singles.reduce((n, s) => n + s.rows, 0),
    width = (size * (size + 1)) / 2;
  const l = fittingFactor(singles, count);
  const table = await threeIndex(pairs, singles, count, width, context, report);
  await solveRows(l, table, count, width, context);
  return {
    async build(total, spins, withExchange, inner) {
      const coulomb = coulombOf(table, total, size, count, width);
      const exchange: Float64Array[] = [];
      if (withExchange) for (const s of spins) exchange.push(await exchangeOf(table, s, size, count, width, inner));
      return { coulomb, exchange } satisfies Repulsion;
    },
  };
}

/** J = Σ_P B^P (B^P · D). */
function coulombOf(table: Float64Array, total: Float64Array, size: number, count: number, width: number): Float64Array {
  const packed = new Float64Array(width),
    sum = new Float64Array(width);
  for (let a = 0; a < size; a++)
    for (let b = 0; b <= a; b++) packed[pairIndex(a, b)] = (a === b ? 1 : 2) * total[a * size + b]!;
  for (let p = 0; p < count; p++) {
    const row = p * width;
    let charge = 0;
    for (let i = 0; i < width; i++) charge += table[row + i]! * packed[i]!;
    for (let i = 0; i < width; i++) sum[i]! += charge * table[row + i]!;
  }
  const out = new Float64Array(size * size);
  for (let a = 0; a < size; a++) for (let b = 0; b < size; b++) out[a * size + b] = sum[pairIndex(a, b)]!;
  return out;
}

/** K = Σ_P (B^P C)(B^P C)ᵀ. */
async function exchangeOf(
  table: Float64Array,
  spin: SpinDensity,
  size: number,
  count: number,
  width: number,
  context: TaskContext,
): Promise<Float64Array> {
  const out = new Float64Array(size * size),
    full = new Float64Array(size * size);
  for (let p = 0; p < count; p++) {
    await context.breath();
    const row = p * width;
    for (let a = 0, at = row; a < size; a++)
      for (let b = 0; b <= a; b++, at++) {
        full[a * size + b] = table[at]!;
        full[b * size + a] = table[at]!;
      }
    const half = product(full, spin.factor, size, size, spin.count);
    addProduct(half, transposed(half, size, spin.count), size, spin.count, size, out);
  }
  return out;
}
