/**
 * Parameters: independent values q → physical values p = p0 + M (q − q0), M sparse.
 * Site symmetry, shared values and every later constraint are rows of M; the least-squares loop knows nothing of them.
 */
import {
  add,
  apply3,
  cross,
  inverse3,
  multiply3,
  norm,
  normalize,
  scale,
  subtract,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';
import { metricTensor, orthogonalization, reciprocalLengths, type Cell } from '../crystal/cell.ts';
import { NO_CONTROLS, type OccupancyTie } from '../crystal/controls.ts';
import { parentSurroundings } from '../geometry/parents.ts';
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

  /** Lets a physical parameter follow another: its row becomes `factor` times the other's, added to what it has. */
  follow(leader: number, follower: number, factor = 1): void {
    for (const e of this.rows[leader]!) this.rows[follower]!.push({ column: e.column, value: e.value * factor });
  }

  build(): ConstraintMap {
    const start = new Int32Array(this.physical + 1);
    this.rows.forEach((r, i) => (start[i + 1] = start[i]! + r.length));
    return {
      physical: this.physical,
      independent: this.next,
      start,
      column: Int32Array.from(this.rows.flatMap((r) => r.map((e) => e.column))),
      value: Float64Array.from(this.rows.flatMap((r) => r.map((e) => e.value))),
    };
  }
}

/** Shift of the physical values for a shift of the independent ones. */
export function expandShift(map: ConstraintMap, shift: Float64Array): Float64Array {
  const out = new Float64Array(map.physical);
  for (let i = 0; i < map.physical; i++)
    for (let e = map.start[i]!; e < map.start[i + 1]!; e++) out[i]! += map.value[e]! * shift[map.column[e]!]!;
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
    const image = multiply3(r, multiply3(beta as unknown as Mat3, rt));
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

/** Which values are refined beside what the model's controls say. */
export interface FreeValues {
  extinction: boolean;
  /** Indices of sites whose occupancy is free on its own. */
  occupancies?: readonly number[];
  /** Indices of sites held entirely. */
  fixed?: ReadonlySet<number>;
  /** Number of twin fractions, refined when present. */
  twins?: number;
}

/** Coefficients of U_eq in the six CIF components. */
export function equivalentCoefficients(cell: Cell): readonly number[] {
  const g = metricTensor(cell),
    r = reciprocalLengths(cell);
  const c = (i: number, j: number): number => (r[i]! * r[j]! * g[3 * i + j]!) / 3;
  return [c(0, 0), c(1, 1), c(2, 2), 2 * c(0, 1), 2 * c(0, 2), 2 * c(1, 2)];
}

/** First of the twin fractions in the physical layout. */
export const twinOffset = (sites: number): number => FIRST_SITE + PER_SITE * sites;

/** A rigid group in the map: its sites and the first of its six columns (shift in Å, then turn in radians, Cartesian, about `centre`). */
export interface RigidColumns {
  readonly sites: readonly number[];
  readonly column: number;
}

/** Constraint map of a structure: what site symmetry and the model's controls leave free. */
export function constraintMap(
  s: Structure,
  free: FreeValues,
): ConstraintMap & { readonly rigid: readonly RigidColumns[] } {
  const controls = s.controls ?? NO_CONTROLS;
  const builder = new ConstraintBuilder(twinOffset(s.sites.length) + (free.twins ?? 0));
  builder.add([[SCALE, 1]]);
  if (free.extinction) builder.add([[EXTINCTION, 1]]);
  const metric = metricTensor(s.cell);
  const index = new Map(s.sites.map((x, i) => [x.id, i]));
  const known = (ids: readonly string[]): number[] => ids.flatMap((id) => index.get(id) ?? []);
  const heldPosition = new Set<number>(),
    heldDisplacement = new Set<number>(),
    heldOccupancy = new Set<number>();
  const followPosition: [number, number][] = [],
    followDisplacement: [number, number][] = [];
  const rigidSets: number[][] = [];
  for (const c of controls.constraints) {
    const sites = known(c.sites);
    if (c.kind === 'fixed') {
      for (const i of sites)
        for (const what of c.what)
          (what === 'position' ? heldPosition : what === 'displacement' ? heldDisplacement : heldOccupancy).add(i);
    } else if (c.kind === 'rigid group') {
      if (sites.length > 2) {
        rigidSets.push(sites);
        for (const i of sites) heldPosition.add(i);
      }
    } else
      for (const i of sites.slice(1)) {
        if (c.kind === 'shared position') {
          if (!heldPosition.has(i)) {
            heldPosition.add(i);
            followPosition.push([sites[0]!, i]);
          }
        } else if (
          s.sites[i]!.displacement.kind === s.sites[sites[0]!]!.displacement.kind &&
          !heldDisplacement.has(i)
        ) {
          heldDisplacement.add(i);
          followDisplacement.push([sites[0]!, i]);
        }
      }
  }
  const ueq = equivalentCoefficients(s.cell);
  const rides: [parent: number, hydrogen: number][] = [],
    shares: [parent: number, hydrogen: number, factor: number][] = [],
    turns: { parent: number; hydrogens: number[]; axis: Vec3 }[] = [];
  for (const g of controls.hydrogens) {
    const parent = index.get(g.parent);
    if (parent === undefined) continue;
    const hydrogens = known(g.hydrogens);
    for (const h of hydrogens) {
      if (g.hold === 'riding' || g.hold === 'rotating') {
        heldPosition.add(h);
        rides.push([parent, h]);
      }
      if (g.uFactor > 0 && s.sites[h]!.displacement.kind === 'iso') {
        heldDisplacement.add(h);
        shares.push([parent, h, g.uFactor]);
      }
    }
    if (g.hold === 'rotating') {
      const axis = turningAxis(s, parent, hydrogens);
      if (axis) turns.push({ parent, hydrogens, axis });
    }
  }
  const single = new Set(free.occupancies ?? []);
  s.sites.forEach((site, i) => {
    if (free.fixed?.has(i)) return;
    const at = siteOffset(i);
    const { operators } = siteSymmetry(s.spaceGroup, metric, site.position);
    const general = operators.length === 1;
    if (!heldPosition.has(i)) {
      const basis = general
        ? [
            [1, 0, 0],
            [0, 1, 0],
            [0, 0, 1],
          ]
        : invariantBasis(
            operators.map((o) => o.r),
            3,
          );
      for (const v of basis) builder.add(v.map((x, k) => [at + k, x] as const));
    }
    if (single.has(i)) builder.add([[at + OCCUPANCY, 1]]);
    if (heldDisplacement.has(i)) return;
    if (site.displacement.kind === 'iso') builder.add([[at + DISPLACEMENT, 1]]);
    else {
      const tensors = general
        ? [0, 1, 2, 3, 4, 5].map((k) => [0, 1, 2, 3, 4, 5].map((m) => (m === k ? 1 : 0)))
        : invariantBasis(
            operators.map((o) => displacementRotation(s.cell, o.r)),
            6,
          );
      for (const v of tensors) builder.add(v.map((x, k) => [at + DISPLACEMENT + k, x] as const));
    }
  });
  occupancyColumns(s, controls.occupancies, index, heldOccupancy, builder);
  const toFractional = inverse3(orthogonalization(s.cell)),
    toCartesian = orthogonalization(s.cell);
  const unit = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ] as const;
  const rigid = rigidSets.map((sites): RigidColumns => {
    const xyz = sites.map((i) => apply3(toCartesian, s.sites[i]!.position));
    const centre = scale(
      xyz.reduce((p, q) => add(p, q), [0, 0, 0] as Vec3),
      1 / sites.length,
    );
    const spread = (f: (r: Vec3) => Vec3): number =>
      builder.add(
        sites.flatMap((i, m) =>
          apply3(toFractional, f(subtract(xyz[m]!, centre))).map((x, k) => [siteOffset(i) + k, x] as const),
        ),
      );
    const column = spread(() => unit[0]);
    spread(() => unit[1]);
    spread(() => unit[2]);
    for (const axis of unit) spread((r) => cross(axis, r));
    return { sites, column };
  });
  for (const [leader, i] of followPosition)
    for (let k = 0; k < 3; k++) builder.follow(siteOffset(leader) + k, siteOffset(i) + k);
  for (const [leader, i] of followDisplacement)
    for (let k = 0; k < 6; k++) builder.follow(siteOffset(leader) + DISPLACEMENT + k, siteOffset(i) + DISPLACEMENT + k);
  for (const [parent, h] of rides)
    for (let k = 0; k < 3; k++) builder.follow(siteOffset(parent) + k, siteOffset(h) + k);
  for (const { parent, hydrogens, axis } of turns) {
    const p = apply3(toCartesian, s.sites[parent]!.position);
    builder.add(
      hydrogens.flatMap((h) =>
        apply3(toFractional, cross(axis, subtract(apply3(toCartesian, s.sites[h]!.position), p))).map(
          (x, k) => [siteOffset(h) + k, x] as const,
        ),
      ),
    );
  }
  for (const [parent, h, factor] of shares) {
    const to = siteOffset(h) + DISPLACEMENT,
      from = siteOffset(parent) + DISPLACEMENT;
    if (s.sites[parent]!.displacement.kind === 'iso') builder.follow(from, to, factor);
    else ueq.forEach((c, k) => builder.follow(from + k, to, c * factor));
  }
  for (let t = 0; t < (free.twins ?? 0); t++) builder.add([[twinOffset(s.sites.length) + t, 1]]);
  return { ...builder.build(), rigid };
}

/** One number for each group of an assembly, the last being one minus the others; one number for sites that share theirs. */
function occupancyColumns(
  s: Structure,
  ties: readonly OccupancyTie[],
  index: ReadonlyMap<string, number>,
  held: ReadonlySet<number>,
  builder: ConstraintBuilder,
): void {
  for (const tie of ties) {
    if (tie.kind === 'shared') {
      const sites = tie.sites.flatMap((id) => index.get(id) ?? []).filter((i) => !held.has(i));
      if (sites.length) builder.add(sites.map((i) => [siteOffset(i) + OCCUPANCY, 1] as const));
      continue;
    }
    if (tie.held) continue;
    const groups = tie.groups
      .map((g) =>
        s.sites.flatMap((x, i) =>
          x.disorder?.assembly === tie.assembly && x.disorder.group === g && !held.has(i) ? [i] : [],
        ),
      )
      .filter((g) => g.length);
    if (groups.length === 1) builder.add(groups[0]!.map((i) => [siteOffset(i) + OCCUPANCY, 1] as const));
    else
      for (const g of groups.slice(0, -1))
        builder.add([
          ...g.map((i) => [siteOffset(i) + OCCUPANCY, 1] as const),
          ...groups.at(-1)!.map((i) => [siteOffset(i) + OCCUPANCY, -1] as const),
        ]);
  }
}

/** Axis about which the hydrogens of a parent turn: the mean direction of methyl-like groups, the bond for a single hydrogen. */
function turningAxis(s: Structure, parent: number, hydrogens: readonly number[]): Vec3 | undefined {
  const m = orthogonalization(s.cell);
  const p = apply3(m, s.sites[parent]!.position);
  const around = parentSurroundings(s, parent, s.sites[hydrogens[0]!]?.disorder);
  const first = around[0];
  if (first) return normalize(subtract(apply3(m, first.position), p));
  const sum = hydrogens.reduce((t, h) => add(t, subtract(apply3(m, s.sites[h]!.position), p)), [0, 0, 0] as Vec3);
  return norm(sum) > 0.2 ? normalize(sum) : undefined;
}

/** Physical values of a structure. */
export function physicalValues(
  s: Structure,
  overall: number,
  extinction: number,
  twins: readonly number[] = [],
): Float64Array {
  const p = new Float64Array(twinOffset(s.sites.length) + twins.length);
  p.set(twins, twinOffset(s.sites.length));
  p[SCALE] = overall;
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
