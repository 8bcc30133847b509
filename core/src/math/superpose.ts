/** Best rigid superposition of two point sets by the quaternion method (Horn 1987, J. Opt. Soc. Am. A 4, 629). */
import { add, apply3, scale, subtract, toMat3, type Mat3, type Vec3 } from './matrix3.ts';

/** Eigenvalues (ascending) and unit eigenvectors (rows) of a symmetric n×n matrix by Jacobi rotations. */
export function eigenSymmetric(matrix: readonly number[], n: number): { values: number[]; vectors: number[][] } {
  const a: number[] = [...matrix];
  const v: number[] = Array.from({ length: n * n }, (_, i) => (i % (n + 1) === 0 ? 1 : 0));
  for (let sweep = 0; sweep < 60; sweep++) {
    let off = 0;
    for (let i = 0; i < n; i++) for (let j = i + 1; j < n; j++) off += a[i * n + j]! ** 2;
    if (off < 1e-24) break;
    for (let p = 0; p < n; p++)
      for (let q = p + 1; q < n; q++) {
        const apq = a[p * n + q]!;
        if (Math.abs(apq) < 1e-300) continue;
        const theta = (a[q * n + q]! - a[p * n + p]!) / (2 * apq);
        const t = Math.sign(theta || 1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1)),
          c = 1 / Math.sqrt(t * t + 1),
          s = t * c;
        for (let k = 0; k < n; k++) {
          const x = a[k * n + p]!,
            y = a[k * n + q]!;
          a[k * n + p] = c * x - s * y;
          a[k * n + q] = s * x + c * y;
        }
        for (let k = 0; k < n; k++) {
          const x = a[p * n + k]!,
            y = a[q * n + k]!;
          a[p * n + k] = c * x - s * y;
          a[q * n + k] = s * x + c * y;
          const w = v[p * n + k]!,
            z = v[q * n + k]!;
          v[p * n + k] = c * w - s * z;
          v[q * n + k] = s * w + c * z;
        }
      }
  }
  const order = Array.from({ length: n }, (_, i) => i).sort((i, j) => a[i * n + i]! - a[j * n + j]!);
  return { values: order.map((i) => a[i * n + i]!), vectors: order.map((i) => v.slice(i * n, i * n + n)) };
}

export function rotationOfQuaternion([w, x, y, z]: readonly [number, number, number, number]): Mat3 {
  return [
    1 - 2 * (y * y + z * z),
    2 * (x * y - w * z),
    2 * (x * z + w * y),
    2 * (x * y + w * z),
    1 - 2 * (x * x + z * z),
    2 * (y * z - w * x),
    2 * (x * z - w * y),
    2 * (y * z + w * x),
    1 - 2 * (x * x + y * y),
  ];
}

export interface Superposition {
  readonly rotation: Mat3;
  readonly from: Vec3;
  readonly to: Vec3;
  readonly rms: number;
}

export const middle = (points: readonly Vec3[]): Vec3 =>
  scale(
    points.reduce((s, p) => add(s, p), [0, 0, 0] as Vec3),
    1 / Math.max(1, points.length),
  );

/** The proper rotation (about the centroids) that brings `points` nearest to `targets`. */
export function superpose(points: readonly Vec3[], targets: readonly Vec3[]): Superposition {
  const from = middle(points),
    to = middle(targets);
  const s = new Array<number>(9).fill(0);
  let square = 0;
  points.forEach((p, i) => {
    const a = subtract(p, from),
      b = subtract(targets[i]!, to);
    for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) s[3 * r + c]! += a[r]! * b[c]!;
    square += a[0] ** 2 + a[1] ** 2 + a[2] ** 2 + b[0] ** 2 + b[1] ** 2 + b[2] ** 2;
  });
  const [xx, xy, xz, yx, yy, yz, zx, zy, zz] = toMat3(s);
  const n = [
    xx + yy + zz,
    yz - zy,
    zx - xz,
    xy - yx,
    yz - zy,
    xx - yy - zz,
    xy + yx,
    zx + xz,
    zx - xz,
    xy + yx,
    -xx + yy - zz,
    yz + zy,
    xy - yx,
    zx + xz,
    yz + zy,
    -xx - yy + zz,
  ];
  const { values, vectors } = eigenSymmetric(n, 4);
  return {
    rotation: rotationOfQuaternion(vectors[3] as [number, number, number, number]),
    from,
    to,
    rms: Math.sqrt(Math.max(0, square - 2 * values[3]!) / points.length),
  };
}

export const applySuperposition = (s: Superposition, p: Vec3): Vec3 =>
  add(apply3(s.rotation, subtract(p, s.from)), s.to);

/**
 * The largest Σ q·R p over all proper rotations R, from the sums s = Σ p qᵀ (row by row): the largest root of the
 * characteristic polynomial of Horn's matrix by Newton's method from above (Theobald 2005, Acta Cryst. A61, 478).
 * `above` is no smaller than it, such as half of Σ p² + Σ q². Ends early, with what is no larger than `worthless`, once the
 * root is known to be so: the steps only ever go down.
 */
export function largestOverlap(s: ArrayLike<number>, above: number, worthless = -Infinity): number {
  // One by one: an iterator over them costs more than the rest.
  const xx = s[0]!,
    xy = s[1]!,
    xz = s[2]!,
    yx = s[3]!,
    yy = s[4]!,
    yz = s[5]!,
    zx = s[6]!,
    zy = s[7]!,
    zz = s[8]!;
  const square = xx * xx + xy * xy + xz * xz + yx * yx + yy * yy + yz * yz + zx * zx + zy * zy + zz * zz;
  const determinant = xx * (yy * zz - yz * zy) - xy * (yx * zz - yz * zx) + xz * (yx * zy - yy * zx);
  // Horn's matrix, symmetric and without a trace.
  const a = xx + yy + zz,
    b = xx - yy - zz,
    c = -xx + yy - zz,
    d = -xx - yy + zz;
  const e = yz - zy,
    f = zx - xz,
    g = xy - yx,
    h = xy + yx,
    i = zx + xz,
    j = yz + zy;
  const c2 = -2 * square,
    c1 = -8 * determinant,
    c0 = determinant4(a, e, f, g, b, h, i, c, j, d);
  let root = above;
  for (let step = 0; step < 80; step++) {
    const r2 = root * root;
    const value = r2 * r2 + c2 * r2 + c1 * root + c0,
      slope = 4 * r2 * root + 2 * c2 * root + c1;
    if (!(slope > 0)) break;
    const next = root - value / slope;
    if (next <= worthless || Math.abs(next - root) < 1e-13 * above) return next;
    root = next;
  }
  return root;
}

/** Of the symmetric matrix with the diagonal a, b, c, d and above it e, f, g / h, i / j. */
function determinant4(
  a: number,
  e: number,
  f: number,
  g: number,
  b: number,
  h: number,
  i: number,
  c: number,
  j: number,
  d: number,
): number {
  return (
    a * determinant3(b, h, i, h, c, j, i, j, d) -
    e * determinant3(e, h, i, f, c, j, g, j, d) +
    f * determinant3(e, b, i, f, h, j, g, i, d) -
    g * determinant3(e, b, h, f, h, c, g, i, j)
  );
}

const determinant3 = (
  a: number,
  b: number,
  c: number,
  d: number,
  e: number,
  f: number,
  g: number,
  h: number,
  i: number,
): number => a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
