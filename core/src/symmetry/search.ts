/** Operations that a model nearly has and its space group does not: every rotation of the lattice with every translation that carries one atom onto another of its kind. */
import { metricTensor, transformCell, type Cell } from '../crystal/cell.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { congruence, metricSymmetry, niggliReduce, primitiveBasis } from '../crystal/lattice.ts';
import { changeBasis, rotationKey, type RotationKey, type Operator } from '../crystal/operator.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, IDENTITY3, inverse3, multiply3, toMat3, toVec3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { atomsOfPrimitiveCell, CellLookup, lengthOf, shortest, type CellAtom } from './cell-lookup.ts';

export interface FoundOperation {
  readonly operator: Operator;
  /** Å, over the atoms that come within twice the tolerance. */
  readonly maxDeviation: number;
  readonly rms: number;
  /** Share of the electrons of the compared atoms that fits within the tolerance. */
  readonly fit: number;
  /** Sites beyond the tolerance, with the distance to the nearest of their kind, Å. */
  readonly misfits: readonly { readonly site: number; readonly distance: number }[];
}

/** Sites compared: no hydrogens, and of disordered assemblies the fullest place only. */
export function comparedSites(s: Structure): number[] {
  const best = new Map<string, { group: string; occupancy: number }>();
  for (const x of s.sites)
    if (x.disorder) {
      const known = best.get(x.disorder.assembly);
      if (!known || x.occupancy > known.occupancy + 1e-6)
        best.set(x.disorder.assembly, { group: x.disorder.group, occupancy: x.occupancy });
    }
  return s.sites.flatMap((x, i) =>
    !isHydrogen(x.element) && (!x.disorder || best.get(x.disorder.assembly)!.group === x.disorder.group) ? [i] : [],
  );
}

/**
 * A crystal seen through one lattice: all its atoms in a reduced primitive cell of that lattice, which may be finer than its own
 * (its atoms then lie upon one another, as nearly as the finer lattice holds).
 */
export interface LatticeView {
  /** Columns: the primitive axes in terms of the present ones. */
  readonly basis: Mat3;
  readonly cell: Cell;
  /** Operations of the present group in these axes, one of each rotation. */
  readonly own: readonly Operator[];
  readonly lookup: CellLookup;
  readonly compared: readonly CellAtom[];
  /** Å: translations nearer than this are the same operation. */
  readonly reach: number;
}

const rounded = (m: Mat3): Mat3 => toMat3(m.map((x) => (Math.abs(x - Math.round(x)) < 1e-7 ? Math.round(x) + 0 : x)));

/** The crystal in a primitive cell of the lattice with these centring translations (in the present axes). Every atom of the cell counts: an operation that carries the asymmetric unit onto atoms need not do so with its copies. */
export function viewThrough(s: Structure, centring: readonly Vec3[], tolerance: number): LatticeView {
  const primitive = primitiveBasis(centring);
  const basis = rounded(multiply3(primitive, niggliReduce(congruence(metricTensor(s.cell), primitive)).p));
  const into = inverse3(basis);
  const cell = transformCell(s.cell, basis);
  const inView = (sites: readonly number[]): CellAtom[] =>
    atomsOfPrimitiveCell(s, sites).map((a) => ({ ...a, x: apply3(into, a.x) }));
  const heavy = s.sites.flatMap((x, i) => (isHydrogen(x.element) ? [] : [i]));
  return {
    basis,
    cell,
    own: s.spaceGroup.representatives.map((o) => {
      const moved = changeBasis(o, basis, [0, 0, 0]);
      return { r: rounded(moved.r), t: moved.t };
    }),
    lookup: new CellLookup(cell, inView(heavy)),
    compared: inView(comparedSites(s)),
    reach: Math.min(Math.max(0.8, 3 * tolerance), 0.24 * Math.min(cell.a, cell.b, cell.c)),
  };
}

/** Electrons of an atom as full as it is. */
const weightOf = (a: CellAtom): number => elementOf(a.element).z * a.occupancy;

/** Atoms up to so many times the tolerance away are displaced, not missing: a distortion is told with its size. */
const NEARLY = 2;

/** How well one operation maps the model onto itself; the translation is adjusted to fit best. Undefined where less than `leastFit` of the atoms, or of their electrons, comes near. */
export function testOperation(
  view: LatticeView,
  start: Operator,
  tolerance: number,
  leastFit: number,
): FoundOperation | undefined {
  const { compared, lookup } = view;
  const weights = compared.map(weightOf);
  const total = weights.reduce((p, q) => p + q, 0);
  const images = compared.map((a) => apply3(start.r, a.x));
  const place = (k: number, t: Vec3): Vec3 => {
    const y = images[k]!;
    return [y[0] + t[0], y[1] + t[1], y[2] + t[2]];
  };
  let t = start.t;
  for (let pass = 0; pass < 3; pass++) {
    const sum = [0, 0, 0];
    let weight = 0,
      lost = 0;
    for (const [k, a] of compared.entries()) {
      const found = lookup.nearest(a.element, place(k, t), a.occupancy);
      if (!found || found.distance > 2.5 * tolerance) {
        lost += weights[k]!;
        if (lost > Math.max(0.3, 1 - leastFit) * total) return undefined;
        continue;
      }
      found.delta.forEach((v, q) => (sum[q]! += weights[k]! * v));
      weight += weights[k]!;
    }
    if (!weight) return undefined;
    t = [t[0] + sum[0]! / weight, t[1] + sum[1]! / weight, t[2] + sum[2]! / weight];
  }
  let max = 0,
    square = 0,
    fits = 0,
    near = 0,
    count = 0;
  const misfits = new Map<number, number>();
  for (const [k, a] of compared.entries()) {
    const distance = lookup.nearest(a.element, place(k, t), a.occupancy)?.distance ?? Infinity;
    if (distance > tolerance) misfits.set(a.site, Math.max(distance, misfits.get(a.site) ?? 0));
    else fits += weights[k]!;
    if (distance > NEARLY * tolerance) continue;
    near += weights[k]!;
    max = Math.max(max, distance);
    square += distance * distance;
    count++;
  }
  // By electrons alone a few heavy atoms would speak for all.
  if (Math.min(near / total, count / compared.length) < leastFit) return undefined;
  return {
    operator: { r: start.r, t },
    maxDeviation: max,
    rms: Math.sqrt(square / Math.max(1, count)),
    fit: fits / total,
    misfits: [...misfits].map(([site, distance]) => ({ site, distance })).sort((p, q) => q.distance - p.distance),
  };
}

/** The rarest kind gives the fewest trials; two more atoms stand by in case the first does not fit. */
function anchorsOf(compared: readonly CellAtom[]): CellAtom[] {
  const counts = new Map<string, number>();
  for (const a of compared) counts.set(a.element, (counts.get(a.element) ?? 0) + 1);
  return [...compared]
    .sort((p, q) => counts.get(p.element)! - counts.get(q.element)! || elementOf(q.element).z - elementOf(p.element).z)
    .slice(0, 3);
}

/** A handful of atoms, spread over the list: they tell most wrong operations at once. */
function probesOf(compared: readonly CellAtom[]): CellAtom[] {
  const count = Math.min(compared.length, 12);
  return Array.from({ length: count }, (_, i) => compared[Math.floor((i * compared.length) / count)]!);
}

/** Operations outside the group that have one of these rotations, and carry at least `leastFit` of the model onto itself within twice the `tolerance` (Å); one of each rotation and translation. In the axes of the view. */
export function operationsOf(
  view: LatticeView,
  rotations: readonly Mat3[],
  tolerance: number,
  leastFit: number,
): FoundOperation[] {
  const { compared, lookup, own } = view;
  if (!compared.length) return [];
  const anchors = anchorsOf(compared),
    probes = probesOf(compared);
  const apart = (a: Vec3, b: Vec3): number => lengthOf(lookup.g, shortest([a[0] - b[0], a[1] - b[1], a[2] - b[2]]));
  const same = Math.min(Math.max(0.6, 2 * tolerance), view.reach);
  const misses = (r: Mat3, t: Vec3): number =>
    probes.filter((a) => {
      const y = apply3(r, a.x);
      const n = lookup.nearest(a.element, [y[0] + t[0], y[1] + t[1], y[2] + t[2]], a.occupancy);
      return !n || n.distance > 2.5 * tolerance;
    }).length;
  const found: FoundOperation[] = [];
  for (const r of rotations) {
    const key = rotationKey(r);
    const known = own.filter((o) => rotationKey(o.r) === key).map((o) => o.t);
    const tried: Vec3[] = [];
    const here: FoundOperation[] = [];
    for (const anchor of anchors) {
      const image = apply3(r, anchor.x);
      for (const a of lookup.atoms) {
        if (a.element !== anchor.element) continue;
        const t: Vec3 = [a.x[0] - image[0], a.x[1] - image[1], a.x[2] - image[2]];
        if (known.some((k) => apart(k, t) < same) || tried.some((k) => apart(k, t) < 0.7 * tolerance)) continue;
        tried.push(t);
        if (misses(r, t) > 0.4 * probes.length) continue;
        const f = testOperation(view, { r, t }, tolerance, leastFit);
        if (!f || known.some((k) => apart(k, f.operator.t) < same)) continue;
        if (!here.some((o) => apart(o.operator.t, f.operator.t) < Math.min(2 * tolerance, view.reach))) here.push(f);
      }
    }
    found.push(...here);
  }
  return found.sort((p, q) => q.fit - p.fit || p.rms - q.rms);
}

/** Rotations that the lattice of a view allows within `angle` degrees, those of the group among them, in the axes of the view. */
export function rotationsOfView(view: LatticeView, angle = 2): Mat3[] {
  const rotations = new Map<RotationKey, Mat3>([[rotationKey(IDENTITY3), IDENTITY3]]);
  for (const r of metricSymmetry(view.cell, [], angle).rotations) rotations.set(rotationKey(r), r);
  for (const o of view.own) rotations.set(rotationKey(o.r), o.r);
  return [...rotations.values()];
}

/** Pure translations that carry at least `leastFit` of the model onto itself and are none of its lattice, in the present axes. */
export function searchTranslations(s: Structure, tolerance = 0.25, leastFit = 0.8): FoundOperation[] {
  const view = viewThrough(s, s.spaceGroup.centring, tolerance);
  return operationsOf(view, [IDENTITY3], tolerance, leastFit).map((f) => ({
    ...f,
    operator: { r: IDENTITY3, t: toVec3(apply3(view.basis, f.operator.t).map((x) => x - Math.round(x))) },
  }));
}

/** Nearest lattice vector (centring counted) to a difference of translations, and what is left, fractional. */
export function latticePart(centring: readonly Vec3[]): (d: Vec3) => { lattice: Vec3; rest: Vec3 } {
  const p = primitiveBasis(centring),
    q = inverse3(p);
  return (d) => {
    const n = toVec3(apply3(q, d).map(Math.round));
    const lattice = apply3(p, n);
    return { lattice, rest: [d[0] - lattice[0], d[1] - lattice[1], d[2] - lattice[2]] };
  };
}
