/** Restraints of a model as rows of the normal equations, with analytic derivatives. Distances in Å, displacements in Å². */
import { isHome } from '../crystal/atom-ref.ts';
import { metricTensor, orthogonalization, reciprocalLengths } from '../crystal/cell.ts';
import { NO_CONTROLS, type Restraint } from '../crystal/controls.ts';
import { allOperators, operatorsNear } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import { meets } from '../geometry/parents.ts';
import {
  add,
  apply3,
  cross,
  dot,
  eigenSymmetric3,
  multiply3,
  norm,
  normalize,
  scale,
  subtract,
  transpose3,
  type Mat3,
  type Vec3,
  toMat3,
  toVec3,
} from '../math/matrix3.ts';
import { DISPLACEMENT, OCCUPANCY, siteOffset } from './parameters.ts';
import { distanceRestraint, linearRestraint, type RestraintRow } from './restraints.ts';

/** A row that remembers the restraint it came from. */
export interface ModelRow extends RestraintRow {
  readonly restraint: string;
}

type Gradient = [number, number][];

interface Frame {
  readonly s: Structure;
  readonly m: Mat3;
  readonly mt: Mat3;
  /** Cartesian U components (xx yy zz xy xz yz) from the CIF six. */
  readonly toCartesian: readonly (readonly number[])[];
}

const PAIRS = [
  [0, 0],
  [1, 1],
  [2, 2],
  [0, 1],
  [0, 2],
  [1, 2],
] as const;

function frameOf(s: Structure): Frame {
  const m = orthogonalization(s.cell);
  const [a, b, c] = reciprocalLengths(s.cell);
  const n = multiply3(m, [a, 0, 0, 0, b, 0, 0, 0, c]);
  const toCartesian = PAIRS.map(([i, j]) =>
    PAIRS.map(([p, q]) => n[3 * i + p]! * n[3 * j + q]! + (p === q ? 0 : n[3 * i + q]! * n[3 * j + p]!)),
  );
  return { s, m, mt: transpose3(m), toCartesian };
}

const positionAt = (f: Frame, p: Float64Array, site: number): Vec3 =>
  apply3(f.m, [p[siteOffset(site)]!, p[siteOffset(site) + 1]!, p[siteOffset(site) + 2]!]);

/** Adds a Cartesian derivative as derivatives by fractional coordinates. */
function pushPosition(f: Frame, gradient: Gradient, site: number, d: Vec3): void {
  apply3(f.mt, d).forEach((x, k) => gradient.push([siteOffset(site) + k, x]));
}

/** Cartesian U of a site: value as a matrix. */
function tensorAt(f: Frame, p: Float64Array, site: number): Mat3 {
  const at = siteOffset(site) + DISPLACEMENT;
  if (f.s.sites[site]!.displacement.kind === 'iso') return [p[at]!, 0, 0, 0, p[at]!, 0, 0, 0, p[at]!];
  const v = f.toCartesian.map((row) => row.reduce((sum, c, k) => sum + c * p[at + k]!, 0));
  return [v[0]!, v[3]!, v[4]!, v[3]!, v[1]!, v[5]!, v[4]!, v[5]!, v[2]!];
}

/** Adds ∂/∂U of Σ c_ij U_ij (c symmetric, over the six Cartesian components with off-diagonals counted once) times `sign`. */
function pushTensor(f: Frame, gradient: Gradient, site: number, six: readonly number[], sign: number): void {
  const at = siteOffset(site) + DISPLACEMENT;
  if (f.s.sites[site]!.displacement.kind === 'iso') {
    gradient.push([at, sign * (six[0]! + six[1]! + six[2]!)]);
    return;
  }
  for (let k = 0; k < 6; k++) {
    const d = six.reduce((sum, c, r) => sum + c * f.toCartesian[r]![k]!, 0);
    if (d) gradient.push([at + k, sign * d]);
  }
}

/** Coefficients over (xx yy zz xy xz yz) of vᵀ U w. */
const bilinear = (v: Vec3, w: Vec3): number[] => [
  v[0] * w[0],
  v[1] * w[1],
  v[2] * w[2],
  v[0] * w[1] + v[1] * w[0],
  v[0] * w[2] + v[2] * w[0],
  v[1] * w[2] + v[2] * w[1],
];
const quadratic = (u: Mat3, v: Vec3, w: Vec3): number => dot(v, apply3(u, w));

/** Bonded pairs and (when wanted) pairs bonded to a common third site, among the given sites of one disorder group. */
export function bondedPairs(
  s: Structure,
  sites: readonly number[],
  oneThree: boolean,
): { pairs: [number, number][]; ends: [number, number][] } {
  const inside = new Set(sites);
  const near = new Map<number, Set<number>>();
  for (const b of bonds(s)) {
    if (
      !inside.has(b.from) ||
      !inside.has(b.to) ||
      b.from === b.to ||
      !meets(s.sites[b.from]!.disorder, s.sites[b.to]!.disorder)
    )
      continue;
    if (!isHome(b)) continue;
    (near.get(b.from) ?? near.set(b.from, new Set()).get(b.from)!).add(b.to);
  }
  const pairs: [number, number][] = [],
    ends: [number, number][] = [];
  const seen = new Set<string>();
  for (const [i, list] of near)
    for (const j of list)
      if (i < j) {
        pairs.push([i, j]);
        seen.add(`${i},${j}`);
      }
  if (oneThree)
    for (const [, list] of near) {
      const l = [...list];
      for (let a = 0; a < l.length; a++)
        for (let b = a + 1; b < l.length; b++) {
          const [i, j] = l[a]! < l[b]! ? [l[a]!, l[b]!] : [l[b]!, l[a]!];
          if (!seen.has(`${i},${j}`)) {
            seen.add(`${i},${j}`);
            ends.push([i, j]);
          }
        }
    }
  return { pairs, ends };
}

const AS_IT_STANDS = { r: [1, 0, 0, 0, 1, 0, 0, 0, 1] as readonly number[], t: [0, 0, 0] as Vec3 };

/**
 * The copy of the second site that a distance speaks of: as it stands where that is within bonding or 1,3 reach, else the nearest
 * by symmetry. (The nearest alone would be wrong in disorder, where copies that never exist together overlap.)
 */
function imageFor(s: Structure, i: number, j: number, kind: Restraint['kind']): { r: readonly number[]; t: Vec3 } {
  const g = metricTensor(s.cell);
  const d = subtract(s.sites[j]!.position, s.sites[i]!.position);
  const own = Math.sqrt(dot(d, apply3(toMat3(g), d)));
  if (kind === 'same geometry' || (kind !== 'keep apart' && own < 3.4)) return AS_IT_STANDS;
  const { operator } = operatorsNear(
    allOperators(s.spaceGroup),
    g,
    s.sites[j]!.position as [number, number, number],
    s.sites[i]!.position,
  );
  return { r: operator.r, t: operator.t };
}

const difference = (row: string, text: string, su: number, first: RestraintRow, second: RestraintRow): ModelRow => ({
  restraint: row,
  text,
  target: 0,
  su,
  evaluate(p) {
    const a = first.evaluate(p),
      b = second.evaluate(p);
    return {
      value: a.value - b.value,
      gradient: [...a.gradient, ...b.gradient.map(([i, d]) => [i, -d] as [number, number])],
    };
  },
});

/** Rows of one restraint; sites that are missing are passed over. */
function rowsOf(f: Frame, r: Restraint, index: ReadonlyMap<string, number>): ModelRow[] {
  const { s } = f;
  const name = (i: number): string => s.sites[i]!.label;
  const sites = 'sites' in r ? (r.sites as readonly string[]).flatMap((id) => index.get(id) ?? []) : [];
  const pairs =
    'pairs' in r
      ? r.pairs.flatMap(([p, q]): [number, number][] =>
          index.has(p) && index.has(q) ? [[index.get(p)!, index.get(q)!]] : [],
        )
      : [];
  const distance = (i: number, j: number, target: number): RestraintRow =>
    distanceRestraint(s, i, j, target, r.su, imageFor(s, i, j, r.kind));
  switch (r.kind) {
    case 'distance':
    case 'distance 1,3':
      return pairs.map(([i, j]) => ({ ...distance(i, j, r.target), restraint: r.id }));
    case 'keep apart':
      return pairs.map(([i, j]) => {
        const d = distance(i, j, r.target);
        return {
          ...d,
          restraint: r.id,
          evaluate: (p) => {
            const e = d.evaluate(p);
            return e.value < r.target ? e : { value: r.target, gradient: [] };
          },
        };
      });
    case 'equal distance': {
      // Each against the mean of all: the rows sum to zero, which costs nothing.
      const rows = pairs.map(([i, j]) => distance(i, j, 0));
      return rows.map((_, k) => ({
        restraint: r.id,
        text: `${name(pairs[k]![0])}–${name(pairs[k]![1])} as the others`,
        target: 0,
        su: r.su,
        evaluate(p) {
          const all = rows.map((x) => x.evaluate(p));
          const gradient: Gradient = [];
          all.forEach((e, m) => {
            const c = (m === k ? 1 : 0) - 1 / rows.length;
            for (const [i, d] of e.gradient) gradient.push([i, c * d]);
          });
          return { value: all[k]!.value - all.reduce((sum, e) => sum + e.value, 0) / rows.length, gradient };
        },
      }));
    }
    case 'same geometry': {
      const first = r.first.map((id) => index.get(id)),
        second = r.second.map((id) => index.get(id));
      const match = new Map<number, number>();
      first.forEach((i, k) => {
        if (i !== undefined && second[k] !== undefined) match.set(i, second[k]!);
      });
      const { pairs: near, ends } = bondedPairs(s, [...match.keys()], true);
      return [...near.map((x) => [x, r.su] as const), ...ends.map((x) => [x, 2 * r.su] as const)].map(
        ([[i, j], su]) => {
          const a = match.get(i)!,
            b = match.get(j)!;
          return difference(
            r.id,
            `${name(a)}–${name(b)} as ${name(i)}–${name(j)}`,
            su,
            distance(i, j, 0),
            distance(a, b, 0),
          );
        },
      );
    }
    case 'planar':
      return planarRows(f, r.id, sites, r.su);
    case 'chiral volume':
      return sites.length === 4 ? [chiralRow(f, r.id, sites as [number, number, number, number], r.target, r.su)] : [];
    case 'similar displacement': {
      const { pairs: near } = bondedPairs(s, sites, false);
      const list = near.length ? near : sites.slice(1).map((j): [number, number] => [sites[0]!, j]);
      return list.flatMap(([i, j]) =>
        PAIRS.map((_, k): ModelRow => ({
          restraint: r.id,
          text: `U of ${name(i)} as of ${name(j)}`,
          target: 0,
          su: r.su,
          evaluate(p) {
            const unit = PAIRS.map((__, q) => (q === k ? 1 : 0));
            const [a, b] = PAIRS[k]!;
            const gradient: Gradient = [];
            pushTensor(f, gradient, i, unit, 1);
            pushTensor(f, gradient, j, unit, -1);
            return { value: tensorAt(f, p, i)[3 * a + b]! - tensorAt(f, p, j)[3 * a + b]!, gradient };
          },
        })),
      );
    }
    case 'near isotropic':
      return sites
        .filter((i) => s.sites[i]!.displacement.kind === 'aniso')
        .flatMap((i) =>
          PAIRS.map(([a, b], k): ModelRow => ({
            restraint: r.id,
            text: `${name(i)} nearly isotropic`,
            target: 0,
            su: r.su,
            evaluate(p) {
              const u = tensorAt(f, p, i);
              const coefficients = PAIRS.map((_, q) => (q === k ? 1 : 0) - (a === b && q < 3 ? 1 / 3 : 0));
              const gradient: Gradient = [];
              pushTensor(f, gradient, i, coefficients, 1);
              return { value: u[3 * a + b]! - (a === b ? (u[0] + u[4] + u[8]) / 3 : 0), gradient };
            },
          })),
        );
    case 'rigid bond':
    case 'enhanced rigid bond': {
      const { pairs: near, ends } = bondedPairs(s, sites, true);
      return [...near, ...ends].flatMap(([i, j]) =>
        rigidBondRows(f, r.id, i, j, r.su, r.kind === 'enhanced rigid bond'),
      );
    }
    case 'occupancy':
      return sites.map((i) => ({
        ...linearRestraint(`occupancy of ${name(i)}`, [[siteOffset(i) + OCCUPANCY, 1]], r.target, r.su),
        restraint: r.id,
      }));
    case 'displacement':
      return sites.map((i): ModelRow => ({
        restraint: r.id,
        text: `U of ${name(i)}`,
        target: r.target,
        su: r.su,
        evaluate(p) {
          const u = tensorAt(f, p, i);
          const gradient: Gradient = [];
          pushTensor(f, gradient, i, [1 / 3, 1 / 3, 1 / 3, 0, 0, 0], 1);
          return { value: (u[0] + u[4] + u[8]) / 3, gradient };
        },
      }));
  }
}

/** Distance of each site from the mean plane of all. First order in the deviations: in-plane motion and turning of the plane are projected out. */
function planarRows(f: Frame, restraint: string, sites: readonly number[], su: number): ModelRow[] {
  if (sites.length < 4) return [];
  const n = sites.length;
  const plane = (
    p: Float64Array,
  ): { points: Vec3[]; normal: Vec3; centre: Vec3; project(i: number, j: number): number } => {
    const points = sites.map((i) => positionAt(f, p, i));
    const centre = scale(
      points.reduce((a, b) => add(a, b), [0, 0, 0] as Vec3),
      1 / n,
    );
    const t = new Array<number>(9).fill(0);
    for (const x of points) {
      const d = subtract(x, centre);
      for (let a = 0; a < 3; a++) for (let b = 0; b < 3; b++) t[3 * a + b]! += d[a]! * d[b]!;
    }
    const e = eigenSymmetric3(toMat3(t));
    const axes = [e.vectors[1], e.vectors[2]];
    const uv = points.map((x) => axes.map((v) => dot(subtract(x, centre), v)));
    const square = axes.map((_, a) => uv.reduce((sum, w) => sum + w[a]! ** 2, 0) || 1);
    return {
      points,
      centre,
      normal: e.vectors[0],
      project: (i, j) =>
        (i === j ? 1 : 0) - 1 / n - (uv[i]![0]! * uv[j]![0]!) / square[0]! - (uv[i]![1]! * uv[j]![1]!) / square[1]!,
    };
  };
  return sites.map((site, i): ModelRow => ({
    restraint,
    text: `${f.s.sites[site]!.label} in the plane`,
    target: 0,
    su,
    evaluate(p) {
      const { points, normal, centre, project } = plane(p);
      const gradient: Gradient = [];
      sites.forEach((other, j) => pushPosition(f, gradient, other, scale(normal, project(i, j))));
      return { value: dot(normal, subtract(points[i]!, centre)), gradient };
    },
  }));
}

/** (a−c)·[(b−c)×(d−c)], Å³, c the first site. */
function chiralRow(
  f: Frame,
  restraint: string,
  [c, a, b, d]: [number, number, number, number],
  target: number,
  su: number,
): ModelRow {
  return {
    restraint,
    text: `chiral volume of ${f.s.sites[c]!.label}`,
    target,
    su,
    evaluate(p) {
      const o = positionAt(f, p, c),
        u = subtract(positionAt(f, p, a), o),
        v = subtract(positionAt(f, p, b), o),
        w = subtract(positionAt(f, p, d), o);
      const gu = cross(v, w),
        gv = cross(w, u),
        gw = cross(u, v);
      const gradient: Gradient = [];
      pushPosition(f, gradient, a, gu);
      pushPosition(f, gradient, b, gv);
      pushPosition(f, gradient, d, gw);
      pushPosition(f, gradient, c, scale(add(add(gu, gv), gw), -1));
      return { value: dot(u, gu), gradient };
    },
  };
}

/**
 * Mean-square displacements of two bonded (or 1,3) sites along their line equal (Hirshfeld 1976, Acta Cryst. A32, 239);
 * enhanced: also the two components that mix the line with directions across it (Thorn et al. 2012, Acta Cryst. A68, 448).
 */
function rigidBondRows(f: Frame, restraint: string, i: number, j: number, su: number, enhanced: boolean): ModelRow[] {
  const label = `${f.s.sites[i]!.label}–${f.s.sites[j]!.label}`;
  const make = (which: 0 | 1 | 2): ModelRow => ({
    restraint,
    text: `${label} rigid${which ? ' across' : ''}`,
    target: 0,
    su,
    evaluate(p) {
      const d = subtract(positionAt(f, p, j), positionAt(f, p, i));
      const length = norm(d),
        n = scale(d, 1 / length);
      // Axis least along the bond starts the cross directions; it is held while the step is worked out.
      const smallest = [0, 1, 2].reduce((best, k) => (Math.abs(n[k]!) < Math.abs(n[best]!) ? k : best), 0);
      const e: Vec3 = [smallest === 0 ? 1 : 0, smallest === 1 ? 1 : 0, smallest === 2 ? 1 : 0];
      const w = subtract(e, scale(n, dot(e, n))),
        x = normalize(w),
        y = cross(n, x);
      const a = tensorAt(f, p, i),
        b = tensorAt(f, p, j);
      const delta = toMat3(a.map((v, k) => v - b[k]!));
      const other = which === 0 ? n : which === 1 ? x : y;
      const gradient: Gradient = [];
      const six = bilinear(n, other);
      pushTensor(f, gradient, i, six, 1);
      pushTensor(f, gradient, j, six, -1);
      const slope = toVec3(
        [0, 1, 2].map((k) => {
          const unit: Vec3 = [k === 0 ? 1 : 0, k === 1 ? 1 : 0, k === 2 ? 1 : 0];
          const dn = scale(subtract(unit, scale(n, n[k]!)), 1 / length);
          if (which === 0) return 2 * quadratic(delta, n, dn);
          const dw = scale(add(scale(n, dot(e, dn)), scale(dn, dot(e, n))), -1);
          const dx = scale(subtract(dw, scale(x, dot(x, dw))), 1 / norm(w));
          const change = which === 1 ? dx : add(cross(dn, x), cross(n, dx));
          return quadratic(delta, dn, other) + quadratic(delta, n, change);
        }),
      );
      pushPosition(f, gradient, j, slope);
      pushPosition(f, gradient, i, scale(slope, -1));
      return { value: quadratic(delta, n, other), gradient };
    },
  });
  return enhanced ? [make(0), make(1), make(2)] : [make(0)];
}

/** All rows of a model: its restraints that are switched on, and the shape of hydrogens that are free but restrained. */
export function modelRestraints(s: Structure, withOff = false): ModelRow[] {
  const controls = s.controls ?? NO_CONTROLS;
  if (!controls.restraints.length && !controls.hydrogens.some((g) => g.hold === 'restrained')) return [];
  const f = frameOf(s);
  const index = new Map(s.sites.map((x, i) => [x.id, i]));
  const out = controls.restraints.filter((r) => withOff || !r.off).flatMap((r) => rowsOf(f, r, index));
  for (const g of controls.hydrogens) {
    if (g.hold !== 'restrained') continue;
    const parent = index.get(g.parent),
      hydrogens = g.hydrogens.flatMap((h) => index.get(h) ?? []);
    if (parent === undefined) continue;
    for (const h of hydrogens) out.push({ ...distanceRestraint(s, parent, h, g.length, 0.02), restraint: g.id });
    const apart = 2 * g.length * Math.sin((g.shape === 'water' ? 104.5 : 109.5) * (Math.PI / 360));
    for (let a = 0; a < hydrogens.length; a++)
      for (let b = a + 1; b < hydrogens.length; b++)
        out.push({
          ...distanceRestraint(
            s,
            hydrogens[a]!,
            hydrogens[b]!,
            g.shape === 'planar NH2' ? g.length * Math.sqrt(3) : apart,
            0.04,
          ),
          restraint: g.id,
        });
  }
  return out;
}

/** Where a restraint stands: r.m.s. misfit in units of its s.u., and the row farthest off. */
export interface RestraintStanding {
  readonly id: string;
  readonly rows: number;
  readonly rms: number;
  readonly worst: { readonly text: string; readonly value: number; readonly target: number; readonly misfit: number };
}

/** Every restraint, the switched-off ones too, at the structure's present values; farthest off first. */
export function restraintStandings(s: Structure, physical: Float64Array): RestraintStanding[] {
  const by = new Map<string, { n: number; square: number; worst: RestraintStanding['worst'] }>();
  for (const row of modelRestraints(s, true)) {
    const { value } = row.evaluate(physical);
    const misfit = (value - row.target) / row.su;
    const now = by.get(row.restraint) ?? {
      n: 0,
      square: 0,
      worst: { text: row.text, value, target: row.target, misfit },
    };
    now.n++;
    now.square += misfit * misfit;
    if (Math.abs(misfit) > Math.abs(now.worst.misfit))
      now.worst = { text: row.text, value, target: row.target, misfit };
    by.set(row.restraint, now);
  }
  return [...by]
    .map(([id, x]) => ({ id, rows: x.n, rms: Math.sqrt(x.square / x.n), worst: x.worst }))
    .sort((p, q) => Math.abs(q.worst.misfit) - Math.abs(p.worst.misfit));
}

/** The usual s.u. of a kind of restraint, Å or Å². */
export const usualSu: Record<Restraint['kind'], number> = {
  distance: 0.02,
  'distance 1,3': 0.04,
  'equal distance': 0.02,
  planar: 0.02,
  'chiral volume': 0.1,
  'same geometry': 0.02,
  'rigid bond': 0.005,
  'enhanced rigid bond': 0.004,
  'similar displacement': 0.02,
  'near isotropic': 0.05,
  'keep apart': 0.02,
  occupancy: 0.02,
  displacement: 0.01,
};
