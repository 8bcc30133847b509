/** 3-vectors and row-major 3×3 matrices as plain tuples: small enough that copying is cheaper than cleverness. */
export type Vec3 = readonly [number, number, number];
export type Mat3 = readonly [number, number, number, number, number, number, number, number, number];

/** Numbers of an array as a vector. Throws RangeError where there are not three. */
export function toVec3(list: ArrayLike<number>): Vec3 {
  if (list.length !== 3) throw new RangeError(`A vector has three components, not ${list.length}.`);
  return list as unknown as Vec3;
}

/** Numbers of an array, by rows, as a matrix. Throws RangeError where there are not nine. */
export function toMat3(list: ArrayLike<number>): Mat3 {
  if (list.length !== 9) throw new RangeError(`A matrix has nine entries, not ${list.length}.`);
  return list as unknown as Mat3;
}

export const IDENTITY3: Mat3 = [1, 0, 0, 0, 1, 0, 0, 0, 1];

/** Row-major product a·b. */
export function multiply3(a: Mat3, b: Mat3): Mat3 {
  const out: number[] = [];
  for (let i = 0; i < 3; i++)
    for (let j = 0; j < 3; j++) out.push(a[3 * i]! * b[j]! + a[3 * i + 1]! * b[3 + j]! + a[3 * i + 2]! * b[6 + j]!);
  return out as unknown as Mat3;
}

/** m·v with v a column. */
export const apply3 = (m: Mat3, v: Vec3): Vec3 => [
  m[0] * v[0] + m[1] * v[1] + m[2] * v[2],
  m[3] * v[0] + m[4] * v[1] + m[5] * v[2],
  m[6] * v[0] + m[7] * v[1] + m[8] * v[2],
];

/** −m, with no negative zeros. */
export const negative3 = (m: Mat3): Mat3 => [
  0 - m[0],
  0 - m[1],
  0 - m[2],
  0 - m[3],
  0 - m[4],
  0 - m[5],
  0 - m[6],
  0 - m[7],
  0 - m[8],
];

export const transpose3 = (m: Mat3): Mat3 => [m[0], m[3], m[6], m[1], m[4], m[7], m[2], m[5], m[8]];

export const determinant3 = (m: Mat3): number =>
  m[0] * (m[4] * m[8] - m[5] * m[7]) - m[1] * (m[3] * m[8] - m[5] * m[6]) + m[2] * (m[3] * m[7] - m[4] * m[6]);

/** Inverse; throws RangeError when the determinant vanishes. */
export function inverse3(m: Mat3): Mat3 {
  const det = determinant3(m);
  if (Math.abs(det) < 1e-14) throw new RangeError('The 3×3 matrix is singular and has no inverse.');
  const d = 1 / det;
  return [
    (m[4] * m[8] - m[5] * m[7]) * d,
    (m[2] * m[7] - m[1] * m[8]) * d,
    (m[1] * m[5] - m[2] * m[4]) * d,
    (m[5] * m[6] - m[3] * m[8]) * d,
    (m[0] * m[8] - m[2] * m[6]) * d,
    (m[2] * m[3] - m[0] * m[5]) * d,
    (m[3] * m[7] - m[4] * m[6]) * d,
    (m[1] * m[6] - m[0] * m[7]) * d,
    (m[0] * m[4] - m[1] * m[3]) * d,
  ];
}

export const trace3 = (m: Mat3): number => m[0] + m[4] + m[8];
export const dot = (a: Vec3, b: Vec3): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const cross = (a: Vec3, b: Vec3): Vec3 => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
export const add = (a: Vec3, b: Vec3): Vec3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
export const subtract = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const scale = (a: Vec3, k: number): Vec3 => [a[0] * k, a[1] * k, a[2] * k];
export const norm = (a: Vec3): number => Math.sqrt(dot(a, a));
export const normalize = (a: Vec3): Vec3 => scale(a, 1 / (norm(a) || 1));

export interface Eigen3 {
  /** Ascending. */
  values: Vec3;
  /** Unit eigenvectors in the order of the values. */
  vectors: [Vec3, Vec3, Vec3];
}

const PAIRS: readonly (readonly [number, number])[] = [
  [0, 1],
  [0, 2],
  [1, 2],
];

/** The order, smallest first, of three numbers by index. */
function ascending(x: number, y: number, z: number): [number, number, number] {
  if (x <= y) {
    if (y <= z) return [0, 1, 2];
    return x <= z ? [0, 2, 1] : [2, 0, 1];
  }
  if (x <= z) return [1, 0, 2];
  return y <= z ? [1, 2, 0] : [2, 1, 0];
}

/** Eigenvalues and vectors of a symmetric 3×3 matrix by cyclic Jacobi rotations (Golub & Van Loan, 8.5). */
export function eigenSymmetric3(m: Mat3): Eigen3 {
  const a = [m[0], m[1], m[2], m[1], m[4], m[5], m[2], m[5], m[8]] as number[];
  const v = [1, 0, 0, 0, 1, 0, 0, 0, 1];
  for (let sweep = 0; sweep < 30; sweep++) {
    const off = Math.abs(a[1]!) + Math.abs(a[2]!) + Math.abs(a[5]!);
    if (off < 1e-15 * (Math.abs(a[0]!) + Math.abs(a[4]!) + Math.abs(a[8]!)) || off === 0) break;
    for (const [p, q] of PAIRS) {
      const apq = a[3 * p + q]!;
      if (apq === 0) continue;
      const theta = (a[4 * q]! - a[4 * p]!) / (2 * apq);
      const t = Math.sign(theta || 1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1));
      const c = 1 / Math.sqrt(t * t + 1);
      const s = t * c;
      for (let k = 0; k < 3; k++) {
        const x = a[3 * k + p]!,
          y = a[3 * k + q]!;
        a[3 * k + p] = c * x - s * y;
        a[3 * k + q] = s * x + c * y;
      }
      for (let k = 0; k < 3; k++) {
        const x = a[3 * p + k]!,
          y = a[3 * q + k]!;
        a[3 * p + k] = c * x - s * y;
        a[3 * q + k] = s * x + c * y;
        const vx = v[3 * k + p]!,
          vy = v[3 * k + q]!;
        v[3 * k + p] = c * vx - s * vy;
        v[3 * k + q] = s * vx + c * vy;
      }
    }
  }
  const [i, j, k] = ascending(a[0]!, a[4]!, a[8]!);
  const vector = (n: number): Vec3 => [v[n]!, v[3 + n]!, v[6 + n]!];
  return { values: [a[4 * i]!, a[4 * j]!, a[4 * k]!], vectors: [vector(i), vector(j), vector(k)] };
}

/** A rotation by an angle (radians) about a unit axis, applied to a vector (Rodrigues). */
export function turn(v: Vec3, axis: Vec3, angle: number): Vec3 {
  const c = Math.cos(angle),
    s = Math.sin(angle),
    d = (axis[0] * v[0] + axis[1] * v[1] + axis[2] * v[2]) * (1 - c);
  return [
    v[0] * c + (axis[1] * v[2] - axis[2] * v[1]) * s + axis[0] * d,
    v[1] * c + (axis[2] * v[0] - axis[0] * v[2]) * s + axis[1] * d,
    v[2] * c + (axis[0] * v[1] - axis[1] * v[0]) * s + axis[2] * d,
  ];
}
