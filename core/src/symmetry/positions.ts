/** General and special positions of a group, from the fixed sets of its operations (after Grosse-Kunstleve & Adams 2002, Acta Cryst. A58, 60). */
import { metricTensor } from '../crystal/cell.ts';
import { operatorToXyz, type Operator } from '../crystal/operator.ts';
import { crystalClass } from '../crystal/point-group.ts';
import { allOperators, groupOrder, siteSymmetry, type SpaceGroup } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, IDENTITY3, multiply3, type Mat3, type Vec3, toMat3, toVec3 } from '../math/matrix3.ts';
import { fractionWords } from './elements.ts';

export interface SpecialPosition {
  /** Sites of the kind in one cell. */
  readonly multiplicity: number;
  /** Crystal class of the operations that keep the site: "1", "-1", "m", "2/m". */
  readonly siteSymmetry: string;
  /** One point of the kind in words: "x, ¼, z". */
  readonly coordinates: string;
  /** Dimension of the set: 0 for a point, 1 a line, 2 a plane, 3 the general position. */
  readonly freedom: number;
  /** x = projection · x + shift for any site of the kind at this place. */
  readonly projection: Mat3;
  readonly shift: Vec3;
  /** Coordinates of all equivalent places, in x, y, z notation. */
  readonly equivalent: readonly string[];
}

/** A point, line, plane or all of space: what operations keep. */
export interface Flat {
  projection: Mat3;
  shift: Vec3;
  freedom: number;
}

const near = (x: number): boolean => Math.abs(x - Math.round(x)) < 1e-5;
const wrapped = (x: number): number => {
  const y = x - Math.floor(x + 1e-6);
  return Math.abs(y) < 1e-6 ? 0 : y;
};
/** Points no special set passes through. */
const PROBES: Vec3[] = [
  [0.1234567, 0.2718281, 0.3183098],
  [0.4321987, 0.1414213, 0.2236067],
];

/** The set kept by a finite group of operations: projection and shift by averaging. */
export function flatOf(operators: readonly Operator[]): Flat {
  const p = new Array<number>(9).fill(0),
    s = [0, 0, 0];
  for (const o of operators) {
    o.r.forEach((x, i) => (p[i]! += x / operators.length));
    o.t.forEach((x, i) => (s[i]! += x / operators.length));
  }
  const tidy = (x: number): number => {
    const y = Math.round(x * 1440) / 1440;
    return Math.abs(y - x) < 1e-6 ? y + 0 : x;
  };
  return {
    projection: toMat3(p.map(tidy)),
    shift: toVec3(s.map(tidy)),
    freedom: Math.round(p[0]! + p[4]! + p[8]!),
  };
}

const pointOn = (f: Flat, x: Vec3): Vec3 => {
  const y = apply3(f.projection, x);
  return [y[0] + f.shift[0], y[1] + f.shift[1], y[2] + f.shift[2]];
};

/** Operations, lattice translations included, that keep a point exactly. */
export function keepers(all: readonly Operator[], x: Vec3): Operator[] {
  const out: Operator[] = [];
  for (const o of all) {
    const y = apply3(o.r, x);
    const d = [0, 1, 2].map((i) => y[i]! + o.t[i]! - x[i]!);
    if (d.every(near)) out.push({ r: o.r, t: toVec3([0, 1, 2].map((i) => o.t[i]! - Math.round(d[i]!))) });
  }
  return out;
}

/** Names the kind that a set of points belongs to: a set and its images under the group have one name. */
export function flatKeys(group: SpaceGroup): (f: Flat) => string {
  // The smallest of the images' descriptions.
  return (f) => {
    let smallest: string | undefined;
    for (const o of group.representatives) {
      // Which set it is: its direction space, and where it lies across that.
      const conjugate = multiply3(multiply3(o.r, f.projection), inverseOf(o, group.representatives));
      const across = toMat3(IDENTITY3.map((x, i) => x - conjugate[i]!));
      const directions = conjugate.map((x) => Math.round(x * 12)).join();
      const steps = [0, 1, 2].map((i) => smallestStep(across, i));
      const [x, y, z] = apply3(o.r, f.shift);
      for (const c of group.centring) {
        const at = apply3(across, [x + o.t[0] + c[0], y + o.t[1] + c[1], z + o.t[2] + c[2]]);
        const place = at.map((v, i) => Math.round(latticeFree(v, steps[i]!) * 720) % 720).join();
        const key = `${directions}|${place}`;
        if (smallest === undefined || key < smallest) smallest = key;
      }
    }
    return smallest!;
  };
}

/** Every kind of position, the general one first, then by falling multiplicity. Symmetry-equivalent sets are listed once. */
export function specialPositions(group: SpaceGroup): SpecialPosition[] {
  const all = allOperators(group);
  const order = groupOrder(group);
  const kinds = new Map<string, Flat>();
  const keyOf = flatKeys(group);
  const candidates: Flat[] = [];
  const seen = new Set<string>();
  const offer = (operators: readonly Operator[]): void => {
    const f = flatOf(operators);
    const home = pointOn(f, PROBES[0]!);
    // Completed to everything that keeps a generic point of the set.
    const complete = keepers(all, home);
    const g = flatOf(complete);
    const shift = toVec3(g.shift.map((x) => x));
    const id = `${g.projection.map((x) => Math.round(x * 24)).join()}|${shift.map((x) => Math.round(x * 1440)).join()}`;
    if (seen.has(id)) return;
    seen.add(id);
    candidates.push({ ...g, shift });
  };
  offer([{ r: IDENTITY3, t: [0, 0, 0] }]);
  const steps = [-1, 0, 1, 2];
  const singles: { o: Operator; f: Flat }[] = [];
  for (const o of all)
    for (const i of steps)
      for (const j of steps)
        for (const k of steps) {
          const t: Vec3 = [o.t[0] + i, o.t[1] + j, o.t[2] + k];
          const powers = finitePowers({ r: o.r, t });
          if (!powers || powers.length < 2) continue;
          const f = flatOf(powers);
          // Sets outside the cell are lattice copies of ones inside.
          if (pointOn(f, [0.5, 0.5, 0.5]).some((x) => x < -1e-6 || x > 1 + 1e-6)) continue;
          const before = candidates.length;
          offer(powers);
          if (candidates.length > before) singles.push({ o: { r: o.r, t }, f: candidates[candidates.length - 1]! });
        }
  // Intersections of lines and planes give the lines and points of higher symmetry; most meet where others have met.
  const met = new Set<string>();
  for (let a = 0; a < singles.length; a++)
    for (let b = 0; b < a; b++) {
      if (!singles[a]!.f.freedom || !singles[b]!.f.freedom) continue;
      const x = meet(singles[a]!.f, singles[b]!.f);
      const place = x?.map((v) => Math.round(v * 1e5)).join();
      if (x && place && !met.has(place)) {
        met.add(place);
        const complete = keepers(all, x);
        if (complete.length > 1) offer(complete);
      }
    }
  for (const f of candidates) {
    const key = keyOf(f);
    const known = kinds.get(key);
    if (!known || tidiness(f) < tidiness(known)) kinds.set(key, f);
  }
  const list = [...kinds.values()].map((f): SpecialPosition => {
    const x = pointOn(f, PROBES[1]!);
    const kept = keepers(all, x);
    const multiplicity = order / kept.length;
    const equivalent = new Map<string, string>();
    for (const o of all) {
      const y = apply3(o.r, x).map((v, i) => wrapped(v + o.t[i]!));
      const key = y.map((v) => Math.round(v * 1e5)).join();
      if (!equivalent.has(key))
        equivalent.set(
          key,
          operatorToXyz({
            r: multiply3(o.r, f.projection),
            t: toVec3(apply3(o.r, f.shift).map((v, i) => wrapped(v + o.t[i]!))),
          }),
        );
    }
    return {
      multiplicity,
      siteSymmetry: crystalClass(kept.map((o) => o.r)),
      coordinates: coordinateWords(f),
      freedom: f.freedom,
      projection: f.projection,
      shift: f.shift,
      equivalent: [...equivalent.values()],
    };
  });
  return list.sort(
    (p, q) =>
      q.freedom - p.freedom ||
      q.multiplicity - p.multiplicity ||
      p.siteSymmetry.localeCompare(q.siteSymmetry) ||
      p.coordinates.localeCompare(q.coordinates),
  );
}

/** The part of a coordinate across a set that lattice translations cannot change: they enter through (1 − P), whose smallest entry is the step. */
const latticeFree = (x: number, step: number): number => x - step * Math.floor(x / step + 1e-6);

/** Least that a lattice translation moves a coordinate by, with `across` = 1 − P. */
function smallestStep(across: Mat3, row: number): number {
  const entries = [0, 1, 2].map((j) => Math.abs(across[3 * row + j]!)).filter((x) => x > 1e-6);
  return entries.length ? Math.min(1, ...entries) : 1;
}

const inverses = new WeakMap<readonly Operator[], Map<string, Mat3>>();
function inverseOf(o: Operator, all: readonly Operator[]): Mat3 {
  let known = inverses.get(all);
  if (!known) inverses.set(all, (known = new Map()));
  const key = o.r.join();
  let found = known.get(key);
  if (!found) known.set(key, (found = all.find((q) => multiply3(q.r, o.r).every((x, i) => x === IDENTITY3[i]))!.r));
  return found;
}

const tidiness = (f: Flat): number =>
  f.shift.reduce((s, x) => s + Math.abs(x), 0) +
  (f.shift.some((x) => x < -1e-6) ? 10 : 0) +
  f.projection.filter((x) => x < -1e-6).length;

/** Powers of an operation up to the identity; undefined where it moves on (screws, glides). */
function finitePowers(o: Operator): Operator[] | undefined {
  const out: Operator[] = [{ r: IDENTITY3, t: [0, 0, 0] }];
  let r: Mat3 = o.r,
    t: Vec3 = o.t;
  for (let k = 0; k < 6; k++) {
    if (r.every((x, i) => x === IDENTITY3[i])) return t.every((x) => Math.abs(x) < 1e-6) ? out : undefined;
    out.push({ r, t });
    const u = apply3(o.r, t);
    t = [u[0] + o.t[0], u[1] + o.t[1], u[2] + o.t[2]];
    r = multiply3(o.r, r);
  }
  return undefined;
}

/** A point common to two sets; undefined where they do not meet. */
function meet(a: Flat, b: Flat): Vec3 | undefined {
  // Alternating projections converge to a common point where there is one.
  let x: Vec3 = [0.21, 0.34, 0.13];
  for (let k = 0; k < 60; k++) x = pointOn(b, pointOn(a, x));
  for (let k = 0; k < 400; k++) {
    const y = pointOn(b, pointOn(a, x));
    if (y.every((v, i) => Math.abs(v - x[i]!) < 1e-12)) break;
    x = y;
  }
  const other = pointOn(a, x);
  return other.every((v, i) => Math.abs(v - x[i]!) < 1e-6)
    ? toVec3(
        x.map((v) => {
          const n = Math.round(v * 144) / 144;
          return Math.abs(n - v) < 1e-6 ? n + 0 : v;
        }),
      )
    : undefined;
}

/** "x, ¼, z", "x, −x, ½". */
function coordinateWords(f: Flat): string {
  // Reduced by columns: the first coordinate that is free names the parameter.
  const basis: number[][] = [];
  for (let j = 0; j < 3; j++) {
    const v = [f.projection[j]!, f.projection[3 + j]!, f.projection[6 + j]!];
    const w = basis.reduce((u, b) => {
      const lead = b.findIndex((x) => Math.abs(x) > 1e-6);
      return u.map((x, i) => x - (u[lead]! / b[lead]!) * b[i]!);
    }, v);
    if (w.some((x) => Math.abs(x) > 1e-6)) {
      const lead = w.findIndex((x) => Math.abs(x) > 1e-6);
      basis.push(w.map((x) => x / w[lead]!));
    }
  }
  // Fully reduced, so that each parameter stands in one leading coordinate only.
  for (let i = basis.length - 1; i >= 0; i--) {
    const lead = basis[i]!.findIndex((x) => Math.abs(x) > 1e-6);
    for (let k = 0; k < i; k++) {
      const c = basis[k]![lead]!;
      basis[k] = basis[k]!.map((x, q) => x - c * basis[i]![q]!);
    }
  }
  const leads = basis.map((b) => b.findIndex((x) => Math.abs(x) > 1e-6));
  const origin = [...f.shift];
  basis.forEach((b, n) => {
    const k = origin[leads[n]!]!;
    b.forEach((x, i) => (origin[i]! -= k * x));
  });
  return [0, 1, 2]
    .map((i) => {
      let text = '';
      basis.forEach((b, n) => {
        const c = b[i]!;
        if (Math.abs(c) < 1e-6) return;
        const size = Math.abs(c);
        text += `${c < 0 ? '−' : text ? '+' : ''}${Math.abs(size - 1) < 1e-6 ? '' : fractionWords(size)}${'xyz'[leads[n]!]}`;
      });
      const shift = text ? origin[i]! - Math.round(origin[i]! - 0.5 + 0.5 + 1e-9) : wrapped(origin[i]!);
      if (!text) return fractionWords(shift);
      return Math.abs(shift) < 1e-6 ? text : `${text}${shift < 0 ? '−' : '+'}${fractionWords(Math.abs(shift))}`;
    })
    .join(', ');
}

/** Indices of the sites that stand on a kind of position, within `tolerance` Å. */
export function sitesOn(s: Structure, position: SpecialPosition, tolerance = 0.02): number[] {
  const all = allOperators(s.spaceGroup),
    g = metricTensor(s.cell);
  return s.sites.flatMap((site, i) => {
    if (siteSymmetry(s.spaceGroup, g, site.position, tolerance).multiplicity !== position.multiplicity) return [];
    const here = all.some((o) => {
      const y = toVec3(apply3(o.r, site.position).map((x, k) => x + o.t[k]!));
      // Only the lattice copies matter for which the set passes nearby.
      for (let a = -1; a <= 1; a++)
        for (let b = -1; b <= 1; b++)
          for (let c = -1; c <= 1; c++) {
            const w: Vec3 = [wrapped(y[0]) + a, wrapped(y[1]) + b, wrapped(y[2]) + c];
            const on = pointOn(position as Flat, w);
            const d = [on[0] - w[0], on[1] - w[1], on[2] - w[2]];
            let q = 0;
            for (let m = 0; m < 3; m++) for (let n = 0; n < 3; n++) q += d[m]! * d[n]! * g[3 * m + n]!;
            if (q < tolerance * tolerance) return true;
          }
      return false;
    });
    return here ? [i] : [];
  });
}
