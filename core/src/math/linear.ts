/** Dense symmetric positive-definite systems; matrices are full, row-major Float64Arrays of n×n. */

/**
 * Cholesky factor L of a symmetric matrix in place (lower triangle), Golub & Van Loan 4.2.
 * Returns the indices whose pivot fell below `tolerance` times the original diagonal: directions the data do not determine.
 * Such pivots are replaced by the diagonal itself, which leaves a zero shift and no spread to the others.
 */
export function choleskyInPlace(a: Float64Array, n: number, tolerance = 1e-10): number[] {
  const weak: number[] = [];
  for (let j = 0; j < n; j++) {
    const rowJ = j * n;
    let d = a[rowJ + j]!;
    const original = d;
    for (let k = 0; k < j; k++) d -= a[rowJ + k]! * a[rowJ + k]!;
    if (!(d > tolerance * Math.abs(original)) || original <= 0) {
      weak.push(j);
      for (let k = 0; k < j; k++) a[rowJ + k] = 0;
      a[rowJ + j] = 1e150;
      for (let i = j + 1; i < n; i++) a[i * n + j] = 0;
      continue;
    }
    const root = Math.sqrt(d);
    const inverse = 1 / root;
    a[rowJ + j] = root;
    for (let i = j + 1; i < n; i++) {
      const rowI = i * n;
      let sum = a[rowI + j]!;
      for (let k = 0; k < j; k++) sum -= a[rowI + k]! * a[rowJ + k]!;
      a[rowI + j] = sum * inverse;
    }
  }
  return weak;
}

/** Solves L Lᵀ x = b for a factor from choleskyInPlace. */
export function choleskySolve(l: Float64Array, n: number, b: Float64Array): Float64Array {
  const x = Float64Array.from(b);
  for (let i = 0; i < n; i++) {
    let sum = x[i]!;
    for (let k = 0; k < i; k++) sum -= l[i * n + k]! * x[k]!;
    x[i] = sum / l[i * n + i]!;
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = x[i]!;
    for (let k = i + 1; k < n; k++) sum -= l[k * n + i]! * x[k]!;
    x[i] = sum / l[i * n + i]!;
  }
  return x;
}

/** Inverse of L Lᵀ as a full symmetric matrix. */
export function choleskyInverse(l: Float64Array, n: number): Float64Array {
  // Rows of the transposed inverse factor are kept contiguous, so both loops run along memory.
  const inv = new Float64Array(n * n);
  for (let j = 0; j < n; j++) {
    inv[j * n + j] = 1 / l[j * n + j]!;
    for (let i = j + 1; i < n; i++) {
      let sum = 0;
      const rowL = i * n,
        rowI = j * n;
      for (let k = j; k < i; k++) sum += l[rowL + k]! * inv[rowI + k]!;
      inv[rowI + i] = -sum / l[rowL + i]!;
    }
  }
  const out = new Float64Array(n * n);
  for (let i = 0; i < n; i++)
    for (let j = i; j < n; j++) {
      let sum = 0;
      const a = i * n,
        b = j * n;
      for (let k = j; k < n; k++) sum += inv[a + k]! * inv[b + k]!;
      out[a + j] = sum;
      out[b + i] = sum;
    }
  return out;
}
