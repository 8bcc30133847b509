/**
 * The type of a space group and the way to its reference setting, from operators alone
 * (after Grosse-Kunstleve 1999, Acta Cryst. A55, 383: conventional axes from the rotations, origin shift from a
 * system of congruences).
 */
import {
  determinant3,
  IDENTITY3,
  inverse3,
  multiply3,
  type Mat3,
  type Vec3,
  toMat3,
  toVec3,
  negative3,
} from '../math/matrix3.ts';
import { solveCongruence } from '../math/integer.ts';
import {
  changeBasis,
  operatorKey,
  operatorToXyz,
  rotationAxis,
  rotationKey,
  rotationType,
  type Operator,
} from './operator.ts';
import { centringInBasis, niggliReduce, primitiveBasis } from './lattice.ts';
import { crystalClass, crystalSystem, rotationsOf, type CrystalSystem } from './point-group.ts';
import { groupOfSetting, referenceSetting, SETTINGS, type Setting } from './settings.ts';
import { allOperators, spaceGroupFromOperators, type SpaceGroup } from './space-group.ts';

export interface Identification {
  setting: Setting;
  /** Columns: axes of the reference setting in the given basis. */
  p: Mat3;
  /** Origin of the reference setting in the given basis. */
  origin: Vec3;
}

const fromColumns = (u: Vec3, v: Vec3, w: Vec3): Mat3 => [u[0], v[0], w[0], u[1], v[1], w[1], u[2], v[2], w[2]];

/** Metric left invariant by the group: the average of R^T M R over the rotations. */
function invariantMetric(rotations: readonly Mat3[]): Mat3 {
  const g = new Array<number>(9).fill(0);
  // Distinct starting lengths keep accidental symmetry out of the average.
  const start: Mat3 = [1, 0.13, 0.07, 0.13, 1.31, 0.11, 0.07, 0.11, 1.73];
  for (const r of rotations) {
    const t: Mat3 = [r[0], r[3], r[6], r[1], r[4], r[7], r[2], r[5], r[8]];
    multiply3(t, multiply3(start, r)).forEach((x, i) => (g[i]! += x));
  }
  return toMat3(g);
}

/** Short lattice vectors (Cartesian-free: ranked by the invariant metric) in a primitive basis. */
function shortVectors(metric: Mat3): Vec3[] {
  const out: { v: Vec3; q: number }[] = [];
  for (let i = -3; i <= 3; i++)
    for (let j = -3; j <= 3; j++)
      for (let k = -3; k <= 3; k++) {
        if (!i && !j && !k) continue;
        const q =
          i * i * metric[0] +
          j * j * metric[4] +
          k * k * metric[8] +
          2 * (i * j * metric[1] + i * k * metric[2] + j * k * metric[5]);
        out.push({ v: [i, j, k], q });
      }
  return out.sort((a, b) => a.q - b.q).map((x) => x.v);
}

const parallel = (u: Vec3, v: Vec3): boolean =>
  u[0] * v[1] === u[1] * v[0] && u[0] * v[2] === u[2] * v[0] && u[1] * v[2] === u[2] * v[1];
const properPart = (r: Mat3): Mat3 => (determinant3(r) < 0 ? negative3(r) : r);
const image = (r: Mat3, v: Vec3): Vec3 => [
  r[0] * v[0] + r[1] * v[1] + r[2] * v[2],
  r[3] * v[0] + r[4] * v[1] + r[5] * v[2],
  r[6] * v[0] + r[7] * v[1] + r[8] * v[2],
];
const negative = (v: Vec3): Vec3 => [-v[0] + 0, -v[1] + 0, -v[2] + 0];
const sum = (u: Vec3, v: Vec3): Vec3 => [u[0] + v[0], u[1] + v[1], u[2] + v[2]];

/** Candidate conventional bases (columns) for rotations given in a reduced primitive basis. */
function conventionalBases(rotations: readonly Mat3[], system: CrystalSystem, metric: Mat3): Mat3[] {
  const vectors = shortVectors(metric);
  const proper = rotations.map(properPart);
  const shortestAlong = (axis: Vec3): Vec3 => vectors.find((v) => parallel(v, axis)) ?? axis;
  const perpendicular = (r: Mat3): Vec3[] => {
    // The invariant plane of a rotation of order n is where the sum of its powers vanishes.
    let power = IDENTITY3 as Mat3;
    const total = new Array<number>(9).fill(0);
    for (let k = 0; k < rotationType(r); k++) {
      power.forEach((x, i) => (total[i]! += x));
      power = multiply3(r, power);
    }
    return vectors.filter((v) => image(toMat3(total), v).every((x) => x === 0));
  };
  const axesOf = (order: number): { axis: Vec3; r: Mat3 }[] => {
    const found: { axis: Vec3; r: Mat3 }[] = [];
    for (const r of proper) {
      if (rotationType(r) !== order) continue;
      const axis = rotationAxis(r);
      if (!found.some((f) => parallel(f.axis, axis))) found.push({ axis, r });
    }
    return found;
  };
  const right = (m: Mat3): Mat3 => (determinant3(m) > 0 ? m : negative3(m));
  const bases: Mat3[] = [];
  if (system === 'triclinic') return [IDENTITY3];
  if (system === 'monoclinic') {
    const { axis, r } = axesOf(2)[0]!;
    const b = shortestAlong(axis);
    const plane = perpendicular(r).slice(0, 24);
    const a0 = plane[0]!;
    const c0 = plane.find((v) => !parallel(v, a0))!;
    for (let i = -1; i <= 1; i++)
      for (let j = -1; j <= 1; j++)
        for (let k = -1; k <= 1; k++)
          for (let l = -1; l <= 1; l++) {
            if (Math.abs(i * l - j * k) !== 1) continue;
            const mix = (x: number, y: number): Vec3 => [
              x * a0[0] + y * c0[0],
              x * a0[1] + y * c0[1],
              x * a0[2] + y * c0[2],
            ];
            const m = fromColumns(mix(i, j), b, mix(k, l));
            if (determinant3(m) > 0) bases.push(m);
          }
    return bases;
  }
  if (system === 'orthorhombic') {
    const [u, v, w] = axesOf(2).map((x) => shortestAlong(x.axis)) as [Vec3, Vec3, Vec3];
    return [
      [u, v, w],
      [v, u, w],
      [w, u, v],
      [w, v, u],
      [v, w, u],
      [u, w, v],
    ].map(([x, y, z]) => right(fromColumns(x!, y!, z!)));
  }
  if (system === 'tetragonal') {
    const { axis, r } = axesOf(4)[0]!;
    const c = shortestAlong(axis);
    const a = perpendicular(r)[0]!;
    const a2 = sum(a, image(r, a));
    for (const [x, y] of [
      [a, image(r, a)],
      [a2, image(r, a2)],
    ] as [Vec3, Vec3][])
      bases.push(right(fromColumns(x, y, c)));
    return [...bases, ...bases.map((m) => multiply3(m, [1, 0, 0, 0, -1, 0, 0, 0, -1]))];
  }
  if (system === 'trigonal' || system === 'hexagonal') {
    const { axis, r } = axesOf(3)[0]!;
    const c = shortestAlong(axis);
    const plane = perpendicular(r);
    const a = plane[0]!;
    const b = image(r, a);
    // Shortest vectors, then the cell turned by 30° and three times as large, which R lattices and the two -3m axes need.
    const turned: [Vec3, Vec3] = [
      [a[0] - b[0], a[1] - b[1], a[2] - b[2]],
      [0, 0, 0],
    ];
    turned[1] = image(r, turned[0]);
    for (const [x, y] of [[a, b], turned] as [Vec3, Vec3][])
      for (const z of [c, negative(c)])
        for (const [p, q] of [
          [x, y],
          [negative(x), negative(y)],
          [y, x],
          [negative(y), negative(x)],
        ] as [Vec3, Vec3][]) {
          const m = fromColumns(p, q, z);
          if (determinant3(m) > 0) bases.push(m);
        }
    return bases;
  }
  const order = axesOf(4).length ? 4 : 2;
  const [u, v, w] = axesOf(order).map((x) => shortestAlong(x.axis)) as [Vec3, Vec3, Vec3];
  for (const m of [fromColumns(u, v, w), fromColumns(v, u, w)]) bases.push(right(m));
  return bases;
}

/** Origin shift s (in the common basis) that carries `from` to `to`, both with the same rotations and centring; undefined when there is none. */
export function originShift(from: SpaceGroup, to: SpaceGroup): Vec3 | undefined {
  const target = new Map(to.representatives.map((o) => [rotationKey(o.r), o]));
  const prim = primitiveBasis(from.centring);
  const q = inverse3(prim);
  const rows: number[][] = [];
  const right: number[] = [];
  for (const o of from.representatives) {
    const other = target.get(rotationKey(o.r));
    if (!other) return undefined;
    const r = multiply3(q, multiply3(o.r, prim)).map(Math.round);
    const d = [o.t[0] - other.t[0], o.t[1] - other.t[1], o.t[2] - other.t[2]];
    for (let i = 0; i < 3; i++) {
      // t′ = t + (R − I)s must equal the tabulated translation up to the lattice.
      rows.push([0, 1, 2].map((j) => r[3 * i + j]! - (i === j ? 1 : 0)));
      right.push(-(q[3 * i]! * d[0]! + q[3 * i + 1]! * d[1]! + q[3 * i + 2]! * d[2]!));
    }
  }
  const s = solveCongruence(rows, right);
  if (!s) return undefined;
  return toVec3(
    [0, 1, 2].map((i) => {
      const x = prim[3 * i]! * s[0]! + prim[3 * i + 1]! * s[1]! + prim[3 * i + 2]! * s[2]!;
      return x - Math.floor(x + 1e-9);
    }),
  );
}

const signature = (g: SpaceGroup): string => `${g.representatives.length}|${g.centring.length}`;
let tabulated: Map<string, Setting[]> | undefined;

/** Settings with as many operators and translations as a group has. */
function settingsLike(g: SpaceGroup): readonly Setting[] {
  if (!tabulated) {
    tabulated = new Map();
    for (const s of SETTINGS) {
      const key = signature(groupOfSetting(s));
      tabulated.set(key, [...(tabulated.get(key) ?? []), s]);
    }
  }
  return tabulated.get(signature(g)) ?? [];
}

/** The tabulated setting that has just these operators, if there is one. */
export function exactSetting(g: SpaceGroup): Setting | undefined {
  const keys = new Set(allOperators(g).map(operatorKey));
  const isIt = (s: Setting): boolean => {
    const other = groupOfSetting(s);
    return (
      signature(other) === signature(g) &&
      other.representatives.every((o) => keys.has(operatorKey(o))) &&
      other.centring.every((t) => keys.has(operatorKey({ r: IDENTITY3, t })))
    );
  };
  // Where the type is known, a few settings are looked at and not all 530 worked out.
  const known = g.number ? SETTINGS.find((s) => s.number === g.number && isIt(s)) : undefined;
  if (known || (g.number && g.code === '*')) return known;
  return settingsLike(g).find(isIt);
}

const referencesByClass = new Map<string, Setting[]>();
function references(classSymbol: string): Setting[] {
  if (!referencesByClass.size)
    for (let n = 1; n <= 230; n++) {
      const s = referenceSetting(n);
      const c = crystalClass(rotationsOf(groupOfSetting(s)));
      referencesByClass.set(c, [...(referencesByClass.get(c) ?? []), s]);
    }
  return referencesByClass.get(classSymbol) ?? [];
}

/** Type of a group in any basis, with the transformation to the reference setting; throws RangeError when it is not a space group. */
export function identifyGroup(g: SpaceGroup): Identification {
  const lattice = primitiveBasis(g.centring);
  const q0 = inverse3(lattice);
  const rotations0 = rotationsOf(g).map((r) => toMat3(multiply3(q0, multiply3(r, lattice)).map(Math.round)));
  const reduction = niggliReduce(invariantMetric(rotations0));
  const reduced = multiply3(lattice, reduction.p);
  const q1 = inverse3(reduction.p);
  const rotations = rotations0.map((r) =>
    toMat3(multiply3(q1, multiply3(r, reduction.p)).map((x) => Math.round(x) + 0)),
  );
  const classSymbol = crystalClass(rotations);
  const candidates = references(classSymbol).map((s) => ({ s, group: groupOfSetting(s) }));
  for (const basis of conventionalBases(rotations, crystalSystem(classSymbol), reduction.metric)) {
    const p = multiply3(reduced, basis);
    const centring = centringInBasis(reduced, p);
    const seen = g.representatives.map((o) => changeBasis(o, p));
    if (seen.some((o) => o.r.some((x) => !Number.isInteger(x)))) continue;
    const here = spaceGroupFromOperators([...seen, ...centring.map((t): Operator => ({ r: IDENTITY3, t }))]);
    const centringKeys = new Set(here.centring.map((t) => operatorKey({ r: IDENTITY3, t })));
    for (const { s, group } of candidates) {
      if (
        group.centring.length !== here.centring.length ||
        !group.centring.every((t) => centringKeys.has(operatorKey({ r: IDENTITY3, t })))
      )
        continue;
      const shift = originShift(here, group);
      if (!shift) continue;
      const origin: Vec3 = toVec3(
        [0, 1, 2].map((i) => p[3 * i]! * shift[0] + p[3 * i + 1]! * shift[1] + p[3 * i + 2]! * shift[2]),
      );
      return { setting: s, p, origin };
    }
  }
  throw new RangeError('The operators form no space group that could be identified.');
}

/** Fills number, symbol, Hall symbol and code of a group given by its operators. */
export function nameGroup(g: SpaceGroup): SpaceGroup {
  const exact = exactSetting(g);
  if (exact) return { ...g, number: exact.number, symbol: exact.symbol, hall: exact.hall, code: exact.code };
  const { setting, p, origin } = identifyGroup(g);
  // Hall's notation for any other setting: the reference symbol followed by the change of coordinates.
  const change = operatorToXyz({ r: p, t: origin });
  return { ...g, number: setting.number, symbol: setting.symbol, hall: `${setting.hall} (${change})`, code: '*' };
}
