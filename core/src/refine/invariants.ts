/** What site symmetry leaves free of a vector or a displacement tensor. */
import { multiply3, type Mat3, toMat3 } from '../math/matrix3.ts';
import { metricTensor, reciprocalLengths, type Cell } from '../crystal/cell.ts';
import { siteSymmetry, type SpaceGroup } from '../crystal/space-group.ts';
import type { AnisotropicU } from '../crystal/structure.ts';

/** Basis (rows) of the vectors left unchanged by every matrix of a group, in reduced row echelon form of the projector's columns. */
export function invariantBasis(matrices: readonly (readonly number[])[], n: number): number[][] {
  const projector = new Array<number>(n * n).fill(0);
  for (const m of matrices) m.forEach((x, i) => (projector[i]! += x / matrices.length));
  const rows = Array.from({ length: n }, (_, j) => Array.from({ length: n }, (_, i) => projector[i * n + j]!));
  const basis: number[][] = [];
  let lead = 0;
  for (const _ of rows) {
    while (lead < n) {
      const pivot = rows
        .slice(basis.length)
        .reduce(
          (best, r, i) => (Math.abs(r[lead]!) > Math.abs(rows[best]![lead]!) ? i + basis.length : best),
          basis.length,
        );
      if (Math.abs(rows[pivot]?.[lead] ?? 0) > 1e-6) {
        const at = basis.length;
        [rows[at], rows[pivot]] = [rows[pivot]!, rows[at]!];
        const k = 1 / rows[at]![lead]!;
        rows[at] = rows[at]!.map((x) => x * k);
        rows.forEach((r, i) => {
          if (i === at) return;
          const f = r[lead]!;
          for (let c = 0; c < n; c++) r[c]! -= f * rows[at]![c]!;
        });
        basis.push(rows[at]!);
        lead++;
        break;
      }
      lead++;
    }
    if (lead >= n || basis.length === n) break;
  }
  // Elimination after a row was stored changes it in place, so the stored rows are read again here.
  return basis.map((_, i) => rows[i]!.map((x) => (Math.abs(x) < 1e-9 ? 0 : x)));
}

/** 6×6 matrix carrying U (CIF order 11 22 33 12 13 23) to its image under a rotation. */
export function displacementRotation(cell: Cell, r: Mat3): number[] {
  const gs = reciprocalLengths(cell);
  const pairs = [
    [0, 0],
    [1, 1],
    [2, 2],
    [0, 1],
    [0, 2],
    [1, 2],
  ] as const;
  const out = new Array<number>(36).fill(0);
  pairs.forEach(([p, q], column) => {
    const beta = new Array<number>(9).fill(0);
    beta[3 * p + q] = beta[3 * q + p] = gs[p]! * gs[q]!;
    const rt: Mat3 = [r[0], r[3], r[6], r[1], r[4], r[7], r[2], r[5], r[8]];
    const image = multiply3(r, multiply3(toMat3(beta), rt));
    pairs.forEach(([i, j], row) => (out[6 * row + column] = image[3 * i + j]! / (gs[i]! * gs[j]!)));
  });
  return out;
}

/** Independent displacement components at a site: rows span the tensors its symmetry allows. */
export function displacementBasis(
  cell: Cell,
  group: SpaceGroup,
  position: readonly [number, number, number],
): AnisotropicU[] {
  const { operators } = siteSymmetry(group, metricTensor(cell), position);
  return invariantBasis(
    operators.map((o) => displacementRotation(cell, o.r)),
    6,
  ) as unknown as AnisotropicU[];
}

/** Basis (rows) of the vectors left unchanged by every matrix of a set that need not be a group: the null space of all M − 1 together. */
export function commonInvariants(matrices: readonly (readonly number[])[], n: number): number[][] {
  const rows = matrices.flatMap((m) =>
    Array.from({ length: n }, (_, i) => Array.from({ length: n }, (_u, j) => m[n * i + j]! - (i === j ? 1 : 0))),
  );
  const pivots: number[] = [];
  let at = 0;
  for (let column = 0; column < n; column++) {
    let best = at;
    for (let r = at; r < rows.length; r++)
      if (Math.abs(rows[r]![column]!) > Math.abs(rows[best]?.[column] ?? 0)) best = r;
    if (Math.abs(rows[best]?.[column] ?? 0) < 1e-6) continue;
    [rows[at], rows[best]] = [rows[best]!, rows[at]!];
    const k = 1 / rows[at]![column]!;
    rows[at] = rows[at]!.map((x) => x * k);
    for (let r = 0; r < rows.length; r++) {
      const f = rows[r]![column]!;
      if (r !== at && f) rows[r] = rows[r]!.map((x, c) => x - f * rows[at]![c]!);
    }
    pivots.push(column);
    at++;
  }
  // One vector for each column without a pivot: itself one, the pivots as they must follow.
  return Array.from({ length: n }, (_, c) => c)
    .filter((c) => !pivots.includes(c))
    .map((free) =>
      Array.from({ length: n }, (_, i) => {
        if (i === free) return 1;
        const row = pivots.indexOf(i);
        const x = row < 0 ? 0 : -rows[row]![free]!;
        return Math.abs(x) < 1e-9 ? 0 : x;
      }),
    );
}
