/**
 * Lattices: primitive bases, Niggli reduction (Křivý & Gruber 1976, Acta Cryst. A32, 297; with the tolerance handling of
 * Grosse-Kunstleve et al. 2004, Acta Cryst. A60, 1) and metric symmetry by two-fold search (Le Page 1982, J. Appl. Cryst. 15, 255).
 */
import {
  apply3,
  cross,
  determinant3,
  dot,
  IDENTITY3,
  inverse3,
  multiply3,
  norm,
  type Mat3,
  type Vec3,
  toMat3,
  toVec3,
  negative3,
} from '../math/matrix3.ts';
import { axisVectors, cellVolume, metricTensor, type Cell } from './cell.ts';
import { closeRotations } from './point-group.ts';

const rounded = (m: Mat3): Mat3 => toMat3(m.map((x) => (Math.abs(x - Math.round(x)) < 1e-7 ? Math.round(x) + 0 : x)));

const UNITS: readonly Vec3[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];

/** Whether the axes and these translations are whole in the basis of the columns. */
function holds(basis: Mat3, translations: readonly Vec3[]): boolean {
  const q = inverse3(basis);
  return [...UNITS, ...translations].every((t) => apply3(q, t).every((x) => Math.abs(x - Math.round(x)) < 1e-6));
}

/** Columns are a primitive basis of the lattice with the given centring translations (the zero vector may be included). */
export function primitiveBasis(centring: readonly Vec3[]): Mat3 {
  const candidates: Vec3[] = [];
  for (const c of [[0, 0, 0] as Vec3, ...centring])
    for (let i = -1; i <= 1; i++)
      for (let j = -1; j <= 1; j++)
        for (let k = -1; k <= 1; k++) {
          const v: Vec3 = [c[0] + i, c[1] + j, c[2] + k];
          if (v.some((x) => Math.abs(x) > 1e-9)) candidates.push(v);
        }
  candidates.sort((p, q) => dot(p, p) - dot(q, q) || q[0] - p[0] || q[1] - p[1] || q[2] - p[2]);
  const target = 1 / (centring.filter((c) => c.some((x) => Math.abs(x) > 1e-9)).length + 1);
  for (let i = 0; i < candidates.length; i++)
    for (let j = i + 1; j < candidates.length; j++)
      for (let k = j + 1; k < candidates.length; k++) {
        const [u, v, w] = [candidates[i]!, candidates[j]!, candidates[k]!];
        const m: Mat3 = [u[0], v[0], w[0], u[1], v[1], w[1], u[2], v[2], w[2]];
        const det = determinant3(m);
        if (Math.abs(Math.abs(det) - target) < 1e-6 && holds(m, centring)) return det > 0 ? m : negative3(m);
      }
  throw new RangeError('These centring translations do not make a lattice.');
}

export interface Reduction {
  /** Columns: the reduced axes in terms of the given ones; determinant > 0. */
  p: Mat3;
  /** Reduced metric. */
  metric: Mat3;
}

/** Niggli-reduced basis of a primitive cell given by its metric tensor. */
export function niggliReduce(g: Mat3): Reduction {
  let p: Mat3 = IDENTITY3;
  let [A, B, C, xi, eta, zeta] = [g[0], g[4], g[8], 2 * g[5], 2 * g[2], 2 * g[1]];
  const eps = 1e-5 * Math.cbrt(Math.max(1e-30, determinant3(g)));
  const lt = (x: number, y: number): boolean => x < y - eps;
  const eq = (x: number, y: number): boolean => !lt(x, y) && !lt(y, x);
  const step = (m: Mat3): void => {
    p = multiply3(p, m);
  };
  for (let pass = 0; pass < 200; pass++) {
    if (lt(B, A) || (eq(A, B) && lt(Math.abs(eta), Math.abs(xi)))) {
      [A, B] = [B, A];
      [xi, eta] = [eta, xi];
      step([0, -1, 0, -1, 0, 0, 0, 0, -1]);
    }
    if (lt(C, B) || (eq(B, C) && lt(Math.abs(zeta), Math.abs(eta)))) {
      [B, C] = [C, B];
      [eta, zeta] = [zeta, eta];
      step([-1, 0, 0, 0, 0, -1, 0, -1, 0]);
      continue;
    }
    const positive = [xi, eta, zeta].filter((x) => lt(0, x)).length;
    const zero = [xi, eta, zeta].filter((x) => eq(x, 0)).length;
    let [i, j, k] = [1, 1, 1];
    if (positive === 3 || (zero === 0 && positive === 1)) {
      if (lt(xi, 0)) i = -1;
      if (lt(eta, 0)) j = -1;
      if (lt(zeta, 0)) k = -1;
    } else {
      if (lt(0, xi)) i = -1;
      if (lt(0, eta)) j = -1;
      if (lt(0, zeta)) k = -1;
      if (i * j * k < 0) {
        if (eq(xi, 0)) i = -i;
        else if (eq(eta, 0)) j = -j;
        else if (eq(zeta, 0)) k = -k;
      }
    }
    if (i * j * k > 0 && (i < 0 || j < 0 || k < 0)) {
      step([i, 0, 0, 0, j, 0, 0, 0, k]);
      [xi, eta, zeta] = [xi * j * k, eta * i * k, zeta * i * j];
    }
    if (lt(B, Math.abs(xi)) || (eq(xi, B) && lt(2 * eta, zeta)) || (eq(xi, -B) && lt(zeta, 0))) {
      const s = Math.sign(xi);
      step([1, 0, 0, 0, 1, -s, 0, 0, 1]);
      [C, eta, xi] = [B + C - xi * s, eta - zeta * s, xi - 2 * B * s];
      continue;
    }
    if (lt(A, Math.abs(eta)) || (eq(eta, A) && lt(2 * xi, zeta)) || (eq(eta, -A) && lt(zeta, 0))) {
      const s = Math.sign(eta);
      step([1, 0, -s, 0, 1, 0, 0, 0, 1]);
      [C, xi, eta] = [A + C - eta * s, xi - zeta * s, eta - 2 * A * s];
      continue;
    }
    if (lt(A, Math.abs(zeta)) || (eq(zeta, A) && lt(2 * xi, eta)) || (eq(zeta, -A) && lt(eta, 0))) {
      const s = Math.sign(zeta);
      step([1, -s, 0, 0, 1, 0, 0, 0, 1]);
      [B, xi, zeta] = [A + B - zeta * s, xi - eta * s, zeta - 2 * A * s];
      continue;
    }
    const sum = xi + eta + zeta + A + B;
    if (lt(sum, 0) || (eq(sum, 0) && lt(0, 2 * (A + eta) + zeta))) {
      step([1, 0, 1, 0, 1, 1, 0, 0, 1]);
      [C, xi, eta] = [sum + C, 2 * B + xi + zeta, 2 * A + eta + zeta];
      continue;
    }
    break;
  }
  return { p: rounded(p), metric: [A, zeta / 2, eta / 2, zeta / 2, B, xi / 2, eta / 2, xi / 2, C] };
}

export interface TwoFold {
  /** Direct-space direction in the basis searched. */
  axis: Vec3;
  rotation: Mat3;
  /** Angle in degrees between the direct row and the reciprocal row that ought to coincide. */
  deviation: number;
}

/** Two-fold axes of a lattice within `tolerance` degrees; the cell must be Niggli-reduced. */
export function latticeTwoFolds(cell: Cell, tolerance: number): TwoFold[] {
  const [a, b, c] = axisVectors(cell);
  const volume = cellVolume(cell);
  const as = toVec3(cross(b, c).map((x) => x / volume)),
    bs = toVec3(cross(c, a).map((x) => x / volume)),
    cs = toVec3(cross(a, b).map((x) => x / volume));
  const found: TwoFold[] = [];
  const range = [-2, -1, 0, 1, 2];
  const seen = new Set<string>();
  for (const u of range)
    for (const v of range)
      for (const w of range)
        for (const h of range)
          for (const k of range)
            for (const l of range) {
              const n = u * h + v * k + w * l;
              if (Math.abs(n) !== 1 && Math.abs(n) !== 2) continue;
              const s = Math.sign(n);
              const t: Vec3 = [
                u * a[0] + v * b[0] + w * c[0],
                u * a[1] + v * b[1] + w * c[1],
                u * a[2] + v * b[2] + w * c[2],
              ];
              const r: Vec3 = [
                h * as[0] + k * bs[0] + l * cs[0],
                h * as[1] + k * bs[1] + l * cs[1],
                h * as[2] + k * bs[2] + l * cs[2],
              ];
              const deviation = (Math.atan2(norm(cross(t, r)), Math.abs(dot(t, r))) * 180) / Math.PI;
              if (deviation > tolerance) continue;
              // x ↦ 2 (t·r*) t/(t·r) − x in fractional terms; integral for |n| = 1, 2.
              const uvw = [u, v, w],
                hkl = [h, k, l];
              const m = [0, 1, 2].flatMap((i) =>
                [0, 1, 2].map((j) => (2 * uvw[i]! * hkl[j]! * s) / Math.abs(n) - (i === j ? 1 : 0)),
              );
              if (m.some((x) => !Number.isInteger(x))) continue;
              const key = m.join(',');
              if (seen.has(key)) continue;
              seen.add(key);
              found.push({ axis: [u, v, w], rotation: toMat3(m.map((x) => x + 0)), deviation });
            }
  return found.sort((p, q) => p.deviation - q.deviation);
}

export interface MetricSymmetry {
  /** Rotations of the lattice in the given cell's basis, inversion included. */
  rotations: Mat3[];
  /** Largest deviation of a two-fold, degrees. */
  deviation: number;
  /** Columns: reduced axes in the given basis. */
  toReduced: Mat3;
}

/** Holohedry of the lattice of a cell with given centring, found in the reduced basis and expressed in the given one. */
export function metricSymmetry(cell: Cell, centring: readonly Vec3[] = [], tolerance = 0.6): MetricSymmetry {
  const prim = primitiveBasis(centring);
  const g = metricTensor(cell);
  const gp = congruence(g, prim);
  const { p, metric } = niggliReduce(gp);
  const basis = multiply3(prim, p);
  const twoFolds = latticeTwoFolds(cellOf(metric), tolerance);
  let kept = twoFolds;
  let rotations: Mat3[] = [];
  // Two-folds that only nearly fit may generate an impossible group; the worst are dropped until it closes.
  for (;;) {
    try {
      rotations = closeRotations([...kept.map((x) => x.rotation), [-1, 0, 0, 0, -1, 0, 0, 0, -1]]);
      break;
    } catch {
      kept = kept.slice(0, -1);
    }
  }
  const q = inverse3(basis);
  return {
    rotations: rotations.map((r) => rounded(multiply3(basis, multiply3(r, q)))),
    deviation: kept.reduce((m, x) => Math.max(m, x.deviation), 0),
    toReduced: rounded(basis),
  };
}

/** Pᵀ G P. */
export function congruence(g: Mat3, p: Mat3): Mat3 {
  const t: Mat3 = [p[0], p[3], p[6], p[1], p[4], p[7], p[2], p[5], p[8]];
  return multiply3(t, multiply3(g, p));
}

function cellOf(g: Mat3): Cell {
  const [a, b, c] = [Math.sqrt(g[0]), Math.sqrt(g[4]), Math.sqrt(g[8])];
  const deg = (x: number): number => (Math.acos(Math.max(-1, Math.min(1, x))) * 180) / Math.PI;
  return { a, b, c, alpha: deg(g[5] / (b * c)), beta: deg(g[2] / (a * c)), gamma: deg(g[1] / (a * b)) };
}

/** Centring translations of the lattice spanned by the columns of `lattice` when described in the basis of the columns of p. */
export function centringInBasis(lattice: Mat3, p: Mat3): Vec3[] {
  const q = inverse3(p);
  const m = multiply3(q, lattice);
  const n = Math.round(1 / Math.abs(determinant3(m)));
  const found = new Map<string, Vec3>();
  for (let i = -n; i <= n && found.size < n; i++)
    for (let j = -n; j <= n; j++)
      for (let k = -n; k <= n; k++) {
        const v = toVec3(
          apply3(m, [i, j, k]).map((x) => {
            const y = x - Math.floor(x + 1e-6);
            return Math.abs(y) < 1e-6 ? 0 : Math.round(y * 144) / 144;
          }),
        );
        found.set(v.map((x) => Math.round(x * 1000)).join(), v);
      }
  return [...found.values()].sort((u, v) => u[0] + u[1] + u[2] - v[0] - v[1] - v[2]);
}
