/**
 * How much light reaches a place: from the lamp, whose size softens shadows (Cook, Porter & Carpenter 1984, Computer Graphics 18,
 * 137), and from all around, less where things stand close (ambient occlusion). Directions are spread by the golden angle, so that
 * any few of them are spread too.
 */
import type { Vec3 } from '../math/matrix3.ts';
import type { BoxTree } from './ray-boxes.ts';
import { LIFT } from './ray-trail.ts';

/** Half angle of the lamp as it is seen, radians: the softness of its shadows. */
const SOFT = 0.12;
/** Å: how far shade reaches, and how far the lamp is. */
const SHADE_REACH = 3.5,
  FAR = 1e4;
const GOLDEN_TURN = 2 * Math.PI * 0.6180339887;

/** Numbers that are the same for the same place: pictures come out alike however they are cut into tiles. */
export function hashed(x: number, y: number, k: number): number {
  let h = Math.imul(x + 1, 374761393) ^ Math.imul(y + 1, 668265263) ^ Math.imul(k + 1, 2246822519);
  h = Math.imul(h ^ (h >>> 13), 1274126177);
  return ((h ^ (h >>> 16)) >>> 0) / 4294967296;
}

/** Which of all rays of a place are sent. */
export interface RayShare {
  readonly first: number;
  readonly count: number;
  readonly of: number;
}

export class Lamp {
  private readonly u: Vec3;
  private readonly v: Vec3;

  constructor(
    private readonly tree: BoxTree,
    readonly towards: Vec3,
  ) {
    const [u, v] = across(towards[0], towards[1], towards[2]);
    this.u = u;
    this.v = v;
  }

  /** Share of the lamp's light at x y z, by some of its rays; `ix`, `iy`, `seed` shake them within their parts. */
  direct(x: number, y: number, z: number, ix: number, iy: number, seed: number, rays: RayShare): number {
    const [lx, ly, lz] = this.towards;
    if (rays.of === 1) return this.tree.through(x, y, z, lx, ly, lz, LIFT, FAR);
    const { u, v } = this;
    let sum = 0;
    for (let k = rays.first; k < rays.first + rays.count; k++) {
      const r = SOFT * Math.sqrt((k + hashed(iy, ix, seed + k)) / rays.of);
      const angle = GOLDEN_TURN * k + hashed(ix, iy, seed + k);
      const p = r * Math.cos(angle),
        q = r * Math.sin(angle);
      const wx = lx + p * u[0] + q * v[0],
        wy = ly + p * u[1] + q * v[1],
        wz = lz + p * u[2] + q * v[2];
      const unit = 1 / Math.sqrt(wx * wx + wy * wy + wz * wz);
      sum += this.tree.through(x, y, z, wx * unit, wy * unit, wz * unit, LIFT, FAR);
    }
    return sum / rays.count;
  }

  /** Share of the half space over a place, along its normal, that nothing near stands in (weighted by the cosine). */
  around(
    x: number,
    y: number,
    z: number,
    nx: number,
    ny: number,
    nz: number,
    ix: number,
    iy: number,
    seed: number,
    rays: RayShare,
  ): number {
    const [u, v] = across(nx, ny, nz);
    let sum = 0;
    for (let k = rays.first; k < rays.first + rays.count; k++) {
      const square = (k + hashed(iy, ix, seed + 40 + k)) / rays.of;
      const angle = GOLDEN_TURN * k + hashed(ix, iy, seed + 40 + k);
      const r = Math.sqrt(square),
        up = Math.sqrt(1 - square);
      const p = r * Math.cos(angle),
        q = r * Math.sin(angle);
      sum += this.tree.through(
        x,
        y,
        z,
        up * nx + p * u[0] + q * v[0],
        up * ny + p * u[1] + q * v[1],
        up * nz + p * u[2] + q * v[2],
        LIFT,
        SHADE_REACH,
      );
    }
    return sum / rays.count;
  }
}

/** Two unit vectors at right angles to a unit vector and to each other. */
function across(x: number, y: number, z: number): [Vec3, Vec3] {
  // Away from the axis that it is nearest to.
  const u: Vec3 = Math.abs(x) < 0.7 ? [0, z, -y] : [-z, 0, x];
  const length = 1 / Math.hypot(u[0], u[1], u[2]);
  const [a, b, c] = [u[0] * length, u[1] * length, u[2] * length];
  return [
    [a, b, c],
    [y * c - z * b, z * a - x * c, x * b - y * a],
  ];
}
