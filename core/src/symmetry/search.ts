/** Operations that a model nearly has and its space group does not: every rotation of the lattice with every translation that carries one atom onto another of its kind. */
import { metricTensor } from '../crystal/cell.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { metricSymmetry, primitiveBasis } from '../crystal/lattice.ts';
import { rotationKey, type Operator } from '../crystal/operator.ts';
import { allOperators } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, IDENTITY3, inverse3, type Mat3, type Vec3, toVec3 } from '../math/matrix3.ts';

export interface FoundOperation {
  readonly operator: Operator;
  /** Å, over the atoms that fit. */
  readonly maxDeviation: number;
  readonly rms: number;
  /** Share of the electrons of the compared atoms that fits within the tolerance. */
  readonly fit: number;
  /** Sites that do not fit, with the distance to the nearest of their kind, Å. */
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

/** Finds the nearest atom of an element quickly: the cell's contents sorted into boxes of about 2 Å. */
export class CellLookup {
  readonly g: Mat3;
  private readonly n: Vec3;
  private readonly boxes = new Map<string, { x: Vec3; site: number }[]>();
  readonly atoms: { x: Vec3; site: number; element: string }[] = [];

  constructor(s: Structure, sites: readonly number[]) {
    this.g = metricTensor(s.cell);
    this.n = toVec3([s.cell.a, s.cell.b, s.cell.c].map((l) => Math.max(1, Math.floor(l / 2.2))));
    const operators = allOperators(s.spaceGroup);
    for (const site of sites) {
      const { element, position } = s.sites[site]!;
      const seen: Vec3[] = [];
      for (const o of operators) {
        const y = apply3(o.r, position);
        const x = toVec3(
          [0, 1, 2].map((i) => {
            const v = y[i]! + o.t[i]!;
            return v - Math.floor(v);
          }),
        );
        if (seen.some((p) => p.every((v, i) => Math.abs(v - x[i]! - Math.round(v - x[i]!)) < 1e-4))) continue;
        seen.push(x);
        this.atoms.push({ x, site, element });
        const key = this.box(element, x);
        const list = this.boxes.get(key);
        if (list) list.push({ x, site });
        else this.boxes.set(key, [{ x, site }]);
      }
    }
  }

  private box(element: string, x: Vec3): string {
    return `${element}|${x.map((v, i) => Math.min(this.n[i]! - 1, Math.floor((v - Math.floor(v)) * this.n[i]!))).join()}`;
  }

  /** The nearest atom of the element within about 2 Å, and the vector to it. */
  nearest(element: string, x: Vec3): { distance: number; site: number; delta: Vec3 } | undefined {
    let best: { distance: number; site: number; delta: Vec3 } | undefined;
    const { g, n } = this;
    const base = x.map((v, i) => Math.floor((v - Math.floor(v)) * n[i]!));
    const reach = n.map((m) => (m < 3 ? Math.floor(m / 2) : 1));
    for (let i = -reach[0]!; i <= reach[0]!; i++)
      for (let j = -reach[1]!; j <= reach[1]!; j++)
        for (let k = -reach[2]!; k <= reach[2]!; k++) {
          const list = this.boxes.get(
            `${element}|${[(base[0]! + i + n[0]) % n[0], (base[1]! + j + n[1]) % n[1], (base[2]! + k + n[2]) % n[2]].join()}`,
          );
          for (const a of list ?? []) {
            const d = [a.x[0] - x[0], a.x[1] - x[1], a.x[2] - x[2]].map((v) => v - Math.round(v)) as unknown as [
              number,
              number,
              number,
            ];
            const q =
              d[0] * d[0] * g[0] +
              d[1] * d[1] * g[4] +
              d[2] * d[2] * g[8] +
              2 * (d[0] * d[1] * g[1] + d[0] * d[2] * g[2] + d[1] * d[2] * g[5]);
            if (!best || q < best.distance) best = { distance: q, site: a.site, delta: d };
          }
        }
    return best && { ...best, distance: Math.sqrt(best.distance) };
  }
}

/** How well one operation maps the model onto itself; the translation is adjusted to fit best. */
export function testOperation(
  s: Structure,
  lookup: CellLookup,
  compared: readonly number[],
  start: Operator,
  tolerance: number,
): FoundOperation | undefined {
  let t = start.t;
  const weights = compared.map((i) => elementOf(s.sites[i]!.element).z);
  const total = weights.reduce((p, q) => p + q, 0);
  const images = compared.map((i) => apply3(start.r, s.sites[i]!.position));
  for (let pass = 0; pass < 3; pass++) {
    const sum = [0, 0, 0];
    let weight = 0,
      lost = 0;
    for (const [k, i] of compared.entries()) {
      const y = images[k]!;
      const found = lookup.nearest(s.sites[i]!.element, [y[0] + t[0], y[1] + t[1], y[2] + t[2]]);
      if (!found || found.distance > 2.5 * tolerance) {
        lost += weights[k]!;
        if (lost > 0.3 * total) return undefined;
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
    count = 0;
  const misfits: { site: number; distance: number }[] = [];
  for (const [k, i] of compared.entries()) {
    const y = images[k]!;
    const found = lookup.nearest(s.sites[i]!.element, [y[0] + t[0], y[1] + t[1], y[2] + t[2]]);
    const distance = found?.distance ?? Infinity;
    if (distance > tolerance) {
      misfits.push({ site: i, distance });
      continue;
    }
    fits += weights[k]!;
    max = Math.max(max, distance);
    square += distance * distance;
    count++;
  }
  return {
    operator: { r: start.r, t },
    maxDeviation: max,
    rms: Math.sqrt(square / Math.max(1, count)),
    fit: fits / total,
    misfits: misfits.sort((p, q) => q.distance - p.distance),
  };
}

/** Operations outside the group, pure translations among them, that carry at least `leastFit` of the model onto itself within `tolerance` Å. One of each is kept per rotation and translation class of the lattice. */
export function searchOperations(s: Structure, tolerance = 0.25, leastFit = 0.8, angle = 1.2): FoundOperation[] {
  const compared = comparedSites(s);
  if (!compared.length) return [];
  const lookup = new CellLookup(
    s,
    s.sites.map((_, i) => i).filter((i) => !isHydrogen(s.sites[i]!.element)),
  );
  const counts = new Map<string, number>();
  for (const i of compared) counts.set(s.sites[i]!.element, (counts.get(s.sites[i]!.element) ?? 0) + 1);
  // The rarest element gives the fewest trials; a second atom stands by in case the first does not fit.
  const rarest = [...compared].sort(
    (p, q) =>
      counts.get(s.sites[p]!.element)! - counts.get(s.sites[q]!.element)! ||
      elementOf(s.sites[q]!.element).z - elementOf(s.sites[p]!.element).z,
  );
  const anchors = rarest.slice(0, 3);
  const order = [...anchors, ...compared.filter((i) => !anchors.includes(i))];
  const own = allOperators(s.spaceGroup);
  const g = lookup.g;
  const split = latticePart(s.spaceGroup.centring);
  const apart = (a: Vec3, b: Vec3): number => {
    const d = split([a[0] - b[0], a[1] - b[1], a[2] - b[2]]).rest;
    return Math.sqrt(
      Math.max(
        0,
        d[0] * d[0] * g[0] +
          d[1] * d[1] * g[4] +
          d[2] * d[2] * g[8] +
          2 * (d[0] * d[1] * g[1] + d[0] * d[2] * g[2] + d[1] * d[2] * g[5]),
      ),
    );
  };
  const rotations = new Map<string, Mat3>([[rotationKey(IDENTITY3), IDENTITY3]]);
  for (const r of metricSymmetry(s.cell, s.spaceGroup.centring, angle).rotations)
    if (r.every((x) => Number.isInteger(x))) rotations.set(rotationKey(r), r);
  for (const o of own) rotations.set(rotationKey(o.r), o.r);
  const found: FoundOperation[] = [];
  for (const r of rotations.values()) {
    const known = own.filter((o) => rotationKey(o.r) === rotationKey(r)).map((o) => o.t);
    const tried: Vec3[] = [];
    for (const anchor of anchors) {
      const image = apply3(r, s.sites[anchor]!.position);
      for (const a of lookup.atoms) {
        if (a.element !== s.sites[anchor]!.element) continue;
        const t: Vec3 = [a.x[0] - image[0], a.x[1] - image[1], a.x[2] - image[2]];
        if (
          known.some((k) => apart(k, t) < Math.max(0.6, 2 * tolerance)) ||
          tried.some((k) => apart(k, t) < 0.7 * tolerance)
        )
          continue;
        tried.push(t);
        // A handful of atoms tells most wrong operations at once.
        let misses = 0;
        const probe = Math.min(order.length, 10);
        for (let k = 0; k < probe; k++) {
          const y = apply3(r, s.sites[order[k]!]!.position);
          const n = lookup.nearest(s.sites[order[k]!]!.element, [y[0] + t[0], y[1] + t[1], y[2] + t[2]]);
          if (!n || n.distance > 2.5 * tolerance) misses++;
        }
        if (misses > 0.4 * probe) continue;
        const f = testOperation(s, lookup, compared, { r, t }, tolerance);
        if (
          f &&
          f.fit >= leastFit &&
          !known.some((k) => apart(k, f.operator.t) < Math.max(0.6, 2 * tolerance)) &&
          !found.some(
            (o) => rotationKey(o.operator.r) === rotationKey(r) && apart(o.operator.t, f.operator.t) < 2 * tolerance,
          )
        )
          found.push(f);
      }
    }
  }
  return found.sort((p, q) => q.fit - p.fit || p.rms - q.rms);
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
