/** Integer matrices: Smith normal form and linear congruences, for origin shifts and changes of lattice. */

export interface SmithForm {
  /** Unimodular, rows × rows. */
  u: number[][];
  /** Diagonal entries, min(rows, columns) of them. */
  d: number[];
  /** Unimodular, columns × columns. */
  v: number[][];
}

/** Of two integers, never negative (Euclid). */
export const greatestCommonDivisor = (a: number, b: number): number =>
  b ? greatestCommonDivisor(b, a % b) : Math.abs(a);

const identity = (n: number): number[][] =>
  Array.from({ length: n }, (_, i) => Array.from({ length: n }, (_, j) => (i === j ? 1 : 0)));

/** Smith normal form D = U A V by elementary row and column operations (Cohen 1993, algorithm 2.4.14 without the divisibility step, which congruences do not need). */
export function smithForm(matrix: readonly (readonly number[])[]): SmithForm {
  const a = matrix.map((row) => [...row]);
  const rows = a.length,
    columns = a[0]!.length;
  const u = identity(rows),
    v = identity(columns);
  const rank = Math.min(rows, columns);
  for (let k = 0; k < rank; k++) {
    for (;;) {
      // The smallest non-zero entry becomes the pivot, so every pass shrinks the remainders.
      let pi = -1,
        pj = -1;
      for (let i = k; i < rows; i++)
        for (let j = k; j < columns; j++)
          if (a[i]![j] && (pi < 0 || Math.abs(a[i]![j]!) < Math.abs(a[pi]![pj]!))) [pi, pj] = [i, j];
      if (pi < 0) break;
      [a[k], a[pi]] = [a[pi]!, a[k]!];
      [u[k], u[pi]] = [u[pi]!, u[k]!];
      for (const m of [a, v]) for (const row of m) [row[k], row[pj]] = [row[pj]!, row[k]!];
      const pivot = a[k]![k]!;
      let clean = true;
      for (let i = k + 1; i < rows; i++) {
        const f = Math.round(a[i]![k]! / pivot);
        if (f) {
          for (let j = 0; j < columns; j++) a[i]![j]! -= f * a[k]![j]!;
          for (let j = 0; j < rows; j++) u[i]![j]! -= f * u[k]![j]!;
        }
        if (a[i]![k]) clean = false;
      }
      for (let j = k + 1; j < columns; j++) {
        const f = Math.round(a[k]![j]! / pivot);
        if (f) {
          for (let i = 0; i < rows; i++) a[i]![j]! -= f * a[i]![k]!;
          for (let i = 0; i < columns; i++) v[i]![j]! -= f * v[i]![k]!;
        }
        if (a[k]![j]) clean = false;
      }
      if (clean) break;
    }
  }
  return { u, d: Array.from({ length: rank }, (_, i) => a[i]![i]!), v };
}

/** One solution x of A x ≡ b (mod 1), or undefined where there is none; tolerance on the right-hand side 1e−4. */
export function solveCongruence(a: readonly (readonly number[])[], b: readonly number[]): number[] | undefined {
  const { u, d, v } = smithForm(a);
  const columns = a[0]!.length;
  const y = new Array<number>(columns).fill(0);
  for (let i = 0; i < a.length; i++) {
    const value = u[i]!.reduce((sum, f, j) => sum + f * b[j]!, 0);
    if (i < d.length && d[i]) y[i] = value / d[i]!;
    else if (Math.abs(value - Math.round(value)) > 1e-4) return undefined;
  }
  return v.map((row) => row.reduce((sum, f, j) => sum + f * y[j]!, 0));
}
