/**
 * Solids as rows of numbers, which rays meet without anything being made on the way. The same as `meet` of ray-solids, which tests
 * compare it with.
 */
import { meetOpenBall, type Solid } from './ray-solids.ts';

/** Numbers of one solid. */
const STRIDE = 15;
const KINDS = ['ellipsoid', 'cylinder', 'triangle'] as const;

/** The numbers that decide where a ray meets a solid. */
function numbersOf(s: Solid): readonly number[] {
  if (s.kind === 'ellipsoid') return [...s.into, ...s.centre, ...(s.open ?? [])];
  return s.kind === 'cylinder' ? [...s.from, ...s.axis, s.length, s.radius] : [...s.a, ...s.ab, ...s.ac];
}

export class SolidRows {
  readonly opacities: Float64Array;
  private readonly kinds: Uint8Array;
  private readonly numbers: Float64Array;

  constructor(readonly solids: readonly Solid[]) {
    this.kinds = Uint8Array.from(solids, (s) => KINDS.indexOf(s.kind));
    this.opacities = Float64Array.from(solids, (s) => s.opacity);
    this.numbers = new Float64Array(STRIDE * solids.length);
    solids.forEach((s, i) => this.numbers.set(numbersOf(s), STRIDE * i));
  }

  /** Whether a ray that enters solid `i` also leaves it: a triangle has no inside. */
  hasInside(i: number): boolean {
    return this.kinds[i] !== 2;
  }

  /** Where along a ray (from o, unit d) solid `i` is met beyond `least`, Å; Infinity where it is not. */
  meets(i: number, ox: number, oy: number, oz: number, dx: number, dy: number, dz: number, least: number): number {
    const kind = this.kinds[i]!;
    if (kind === 0) return meetEllipsoid(this.numbers, STRIDE * i, ox, oy, oz, dx, dy, dz, least);
    if (kind === 1) return meetCylinder(this.numbers, STRIDE * i, ox, oy, oz, dx, dy, dz, least);
    return meetTriangle(this.numbers, STRIDE * i, ox, oy, oz, dx, dy, dz, least);
  }
}

function meetEllipsoid(
  n: Float64Array,
  at: number,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  least: number,
): number {
  const wx = ox - n[at + 9]!,
    wy = oy - n[at + 10]!,
    wz = oz - n[at + 11]!;
  const m0 = n[at]!, m1 = n[at + 1]!, m2 = n[at + 2]!; // prettier-ignore
  const m3 = n[at + 3]!, m4 = n[at + 4]!, m5 = n[at + 5]!; // prettier-ignore
  const m6 = n[at + 6]!, m7 = n[at + 7]!, m8 = n[at + 8]!; // prettier-ignore
  const px = m0 * wx + m1 * wy + m2 * wz,
    py = m3 * wx + m4 * wy + m5 * wz,
    pz = m6 * wx + m7 * wy + m8 * wz;
  const vx = m0 * dx + m1 * dy + m2 * dz,
    vy = m3 * dx + m4 * dy + m5 * dz,
    vz = m6 * dx + m7 * dy + m8 * dz;
  const a = vx * vx + vy * vy + vz * vz,
    b = px * vx + py * vy + pz * vz,
    c = px * px + py * py + pz * pz - 1;
  const root = b * b - a * c;
  if (root < 0) return Infinity;
  const half = Math.sqrt(root);
  const near = (-b - half) / a,
    far = (-b + half) / a;
  const sx = n[at + 12]!;
  if (sx !== 0) return meetOpenBall(px, py, pz, vx, vy, vz, near, far, sx, n[at + 13]!, n[at + 14]!, least);
  if (near > least) return near;
  return far > least ? far : Infinity;
}

function meetCylinder(
  n: Float64Array,
  at: number,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  least: number,
): number {
  const wx = ox - n[at]!,
    wy = oy - n[at + 1]!,
    wz = oz - n[at + 2]!;
  const ax = n[at + 3]!,
    ay = n[at + 4]!,
    az = n[at + 5]!;
  const length = n[at + 6]!,
    square = n[at + 7]! * n[at + 7]!;
  const dv = dx * ax + dy * ay + dz * az,
    wv = wx * ax + wy * ay + wz * az;
  const a = 1 - dv * dv,
    b = wx * dx + wy * dy + wz * dz - wv * dv,
    c = wx * wx + wy * wy + wz * wz - wv * wv - square;
  let best = Infinity;
  if (a > 1e-12) {
    const root = b * b - a * c;
    if (root < 0) return Infinity;
    const half = Math.sqrt(root);
    const near = (-b - half) / a,
      far = (-b + half) / a;
    const nearAlong = wv + near * dv,
      farAlong = wv + far * dv;
    if (near > least && nearAlong >= 0 && nearAlong <= length) best = near;
    else if (far > least && farAlong >= 0 && farAlong <= length) best = far;
  }
  // Flat ends.
  if (Math.abs(dv) > 1e-9)
    for (let k = 0; k < 2; k++) {
      const end = k ? length : 0;
      const t = (end - wv) / dv;
      if (t <= least || t >= best) continue;
      const x = wx + dx * t,
        y = wy + dy * t,
        z = wz + dz * t;
      if (x * x + y * y + z * z - end * end <= square) best = t;
    }
  return best;
}

function meetTriangle(
  n: Float64Array,
  at: number,
  ox: number,
  oy: number,
  oz: number,
  dx: number,
  dy: number,
  dz: number,
  least: number,
): number {
  const bx = n[at + 3]!,
    by = n[at + 4]!,
    bz = n[at + 5]!;
  const cx = n[at + 6]!,
    cy = n[at + 7]!,
    cz = n[at + 8]!;
  const px = dy * cz - dz * cy,
    py = dz * cx - dx * cz,
    pz = dx * cy - dy * cx;
  const det = bx * px + by * py + bz * pz;
  if (Math.abs(det) < 1e-14) return Infinity;
  const wx = ox - n[at]!,
    wy = oy - n[at + 1]!,
    wz = oz - n[at + 2]!;
  const u = (wx * px + wy * py + wz * pz) / det;
  if (u < 0 || u > 1) return Infinity;
  const qx = wy * bz - wz * by,
    qy = wz * bx - wx * bz,
    qz = wx * by - wy * bx;
  const v = (dx * qx + dy * qy + dz * qz) / det;
  if (v < 0 || u + v > 1) return Infinity;
  const t = (cx * qx + cy * qy + cz * qz) / det;
  return t > least ? t : Infinity;
}
