/**
 * Parameters: independent values q → physical values p = p0 + M (q − q0), M sparse.
 * Site symmetry, shared values and every later constraint are rows of M; the least-squares loop knows nothing of them.
 */
import { multiply3, type Mat3 } from '../math/matrix3.ts';
import { metricTensor, reciprocalLengths, type Cell } from '../crystal/cell.ts';
import { siteSymmetry, type SpaceGroup } from '../crystal/space-group.ts';
import type { AnisotropicU, Structure } from '../crystal/structure.ts';

/** Physical layout: overall scale, extinction, then per site x y z, occupancy, and six displacement values (the first alone for U_iso). */
export const SCALE = 0;
export const EXTINCTION = 1;
export const FIRST_SITE = 2;
export const PER_SITE = 10;
export const siteOffset = (site: number): number => FIRST_SITE + PER_SITE * site;
export const OCCUPANCY = 3;
export const DISPLACEMENT = 4;

export interface ConstraintMap {
  readonly physical: number;
  readonly independent: number;
  /** Row i holds entries from start[i] to start[i+1]. */
  readonly start: Int32Array;
  readonly column: Int32Array;
  readonly value: Float64Array;
}

export class ConstraintBuilder {
  private readonly rows: { column: number; value: number }[][];
  private next = 0;

  constructor(private readonly physical: number) {
    this.rows = Array.from({ length: physical }, () => []);
  }

  /** A new independent parameter driving physical ones with the given coefficients. */
  add(terms: readonly (readonly [physical: number, coefficient: number])[]): number {
    for (const [i, value] of terms) if (Math.abs(value) > 1e-12) this.rows[i]!.push({ column: this.next, value });
    return this.next++;
  }

  build(): ConstraintMap {
    const start = new Int32Array(this.physical + 1);
    this.rows.forEach((r, i) => (start[i + 1] = start[i]! + r.length));
    return {
      physical: this.physical, independent: this.next, start,
      column: Int32Array.from(this.rows.flatMap((r) => r.map((e) => e.column))), value: Float64Array.from(this.rows.flatMap((r) => r.map((e) => e.value))),
    };
  }
}

/** Shift of the physical values for a shift of the independent ones. */
export function expandShift(map: ConstraintMap, shift: Float64Array): Float64Array {
  const out = new Float64Array(map.physical);
  for (let i = 0; i < map.physical; i++) for (let e = map.start[i]!; e < map.start[i + 1]!; e++) out[i]! += map.value[e]! * shift[map.column[e]!]!;
  return out;
}

/** Basis (rows) of the vectors left unchanged by every matrix of a group, in reduced row echelon form of the projector's columns. */
export function invariantBasis(matrices: readonly (readonly number[])[], n: number): number[][] {
  const projector = new Array<number>(n * n).fill(0);
  for (const m of matrices) m.forEach((x, i) => (projector[i]! += x / matrices.length));
  const rows = Array.from({ length: n }, (_, j) => Array.from({ length: n }, (_, i) => projector[i * n + j]!));
  const basis: number[][] = [];
  let lead = 0;
  for (const _ of rows) {
    while (lead < n) {
      const pivot = rows.slice(basis.length).reduce((best, r, i) => (Math.abs(r[lead]!) > Math.abs(rows[best]![lead]!) ? i + basis.length : best), basis.length);
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
  const pairs = [[0, 0], [1, 1], [2, 2], [0, 1], [0, 2], [1, 2]] as const;
  const out = new Array<number>(36).fill(0);
  pairs.forEach(([p, q], column) => {
    const beta = new Array<number>(9).fill(0);
    beta[3 * p + q] = beta[3 * q + p] = gs[p]! * gs[q]!;
    const rt: Mat3 = [r[0], r[3], r[6], r[1], r[4], r[7], r[2], r[5], r[8]];
    const image = multiply3(r, multiply3(beta as unknown as Mat3, rt));
    pairs.forEach(([i, j], row) => (out[6 * row + column] = image[3 * i + j]! / (gs[i]! * gs[j]!)));
  });
  return out;
}

/** Independent displacement components at a site: rows span the tensors its symmetry allows. */
export function displacementBasis(cell: Cell, group: SpaceGroup, position: readonly [number, number, number]): AnisotropicU[] {
  const { operators } = siteSymmetry(group, metricTensor(cell), position);
  return invariantBasis(operators.map((o) => displacementRotation(cell, o.r)), 6) as unknown as AnisotropicU[];
}

/** Which values are refined beside coordinates and displacements. */
export interface FreeValues {
  extinction: boolean;
  /** Indices of sites whose occupancy is free. */
  occupancies?: readonly number[];
  /** Indices of sites held entirely. */
  fixed?: ReadonlySet<number>;
}

/** Constraint map of a structure: what site symmetry leaves free. */
export function constraintMap(s: Structure, free: FreeValues): ConstraintMap {
  const builder = new ConstraintBuilder(FIRST_SITE + PER_SITE * s.sites.length);
  builder.add([[SCALE, 1]]);
  if (free.extinction) builder.add([[EXTINCTION, 1]]);
  const metric = metricTensor(s.cell);
  const occupancies = new Set(free.occupancies ?? []);
  s.sites.forEach((site, i) => {
    if (free.fixed?.has(i)) return;
    const at = siteOffset(i);
    const { operators } = siteSymmetry(s.spaceGroup, metric, site.position);
    const single = operators.length === 1;
    const basis = single ? [[1, 0, 0], [0, 1, 0], [0, 0, 1]] : invariantBasis(operators.map((o) => o.r), 3);
    for (const v of basis) builder.add(v.map((x, k) => [at + k, x] as const));
    if (occupancies.has(i)) builder.add([[at + OCCUPANCY, 1]]);
    if (site.displacement.kind === 'iso') builder.add([[at + DISPLACEMENT, 1]]);
    else {
      const tensors = single ? [0, 1, 2, 3, 4, 5].map((k) => [0, 1, 2, 3, 4, 5].map((m) => (m === k ? 1 : 0))) : invariantBasis(operators.map((o) => displacementRotation(s.cell, o.r)), 6);
      for (const v of tensors) builder.add(v.map((x, k) => [at + DISPLACEMENT + k, x] as const));
    }
  });
  return builder.build();
}

/** Physical values of a structure. */
export function physicalValues(s: Structure, scale: number, extinction: number): Float64Array {
  const p = new Float64Array(FIRST_SITE + PER_SITE * s.sites.length);
  p[SCALE] = scale;
  p[EXTINCTION] = extinction;
  s.sites.forEach((site, i) => {
    const at = siteOffset(i);
    site.position.forEach((x, k) => (p[at + k] = x));
    p[at + OCCUPANCY] = site.occupancy;
    if (site.displacement.kind === 'iso') p[at + DISPLACEMENT] = site.displacement.u;
    else site.displacement.u.forEach((x, k) => (p[at + DISPLACEMENT + k] = x));
  });
  return p;
}
