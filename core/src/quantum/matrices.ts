/** Dense matrices as row-major Float64Arrays: the few operations the self-consistent field needs. */
import { EigenvalueDecomposition, Matrix } from 'ml-matrix';
import { product } from '../math/dense-product.ts';

/** Transpose of an m × n matrix. */
export function transposed(a: Float64Array, m: number, n: number): Float64Array {
  const out = new Float64Array(a.length);
  for (let i = 0; i < m; i++) for (let j = 0; j < n; j++) out[j * m + i] = a[i * n + j]!;
  return out;
}

/** A Aᵀ of an m × n matrix. */
export function outerSquare(a: Float64Array, m: number, n: number): Float64Array {
  return product(a, transposed(a, m, n), m, n, m);
}

/** Σ of the products of corresponding elements: the trace of A B for symmetric ones. */
export function contracted(a: Float64Array, b: Float64Array): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += a[i]! * b[i]!;
  return sum;
}

/** Σ of matrices with factors. */
export function weighted(matrices: readonly Float64Array[], factors: readonly number[]): Float64Array {
  const out = new Float64Array(matrices[0]!.length);
  matrices.forEach((a, k) => {
    const f = factors[k]!;
    for (let i = 0; i < out.length; i++) out[i]! += f * a[i]!;
  });
  return out;
}

/** Eigenvalues, rising, and eigenvectors (columns) of a symmetric matrix. */
export function eigen(a: Float64Array, n: number): { values: Float64Array; vectors: Float64Array } {
  const found = new EigenvalueDecomposition(Matrix.from1DArray(n, n, a), { assumeSymmetric: true });
  const order = Array.from(found.realEigenvalues.keys()).sort(
    (i, j) => found.realEigenvalues[i]! - found.realEigenvalues[j]!,
  );
  const vectors = new Float64Array(n * n);
  const v = found.eigenvectorMatrix;
  for (let i = 0; i < n; i++) order.forEach((from, j) => (vectors[i * n + j] = v.get(i, from)));
  return { values: Float64Array.from(order, (i) => found.realEigenvalues[i]!), vectors };
}

/**
 * X with Xᵀ S X = 1: canonical orthogonalisation, combinations that hardly differ left out (Löwdin 1970). Returns the n × kept
 * matrix and the number kept.
 */
export function orthogonaliser(s: Float64Array, n: number, least = 1e-7): { x: Float64Array; kept: number } {
  const { values, vectors } = eigen(s, n);
  const used = Array.from(values.keys()).filter((j) => values[j]! > least);
  const x = new Float64Array(n * used.length);
  for (let i = 0; i < n; i++)
    used.forEach((j, k) => (x[i * used.length + k] = vectors[i * n + j]! / Math.sqrt(values[j]!)));
  return { x, kept: used.length };
}

/** Xᵀ A X for X of n × m and a square A. */
export function within(a: Float64Array, x: Float64Array, n: number, m: number): Float64Array {
  return product(transposed(x, n, m), product(a, x, n, n, m), m, n, m);
}

/** F D S − S D F in the orthogonal basis of the columns of X: zero where orbitals are stationary (Pulay 1982). */
export function commutator(
  f: Float64Array,
  d: Float64Array,
  s: Float64Array,
  n: number,
  { x, kept }: { readonly x: Float64Array; readonly kept: number },
): Float64Array {
  const fds = product(product(f, d, n, n, n), s, n, n, n),
    back = transposed(fds, n, n);
  return within(
    fds.map((value, i) => value - back[i]!),
    x,
    n,
    kept,
  );
}
