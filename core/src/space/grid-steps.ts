/** Points of a grid over a cell, z fastest: their indices, and the ways between them. */
import type { Mat3, Vec3 } from '../math/matrix3.ts';

/** Steps of a grid as vectors, Å. */
export interface Steps {
  readonly n: readonly [number, number, number];
  readonly places: Places;
  readonly a: Vec3;
  readonly b: Vec3;
  readonly c: Vec3;
}

/** Steps of a grid of `n` points, `m` the orthogonalisation. */
export function stepsOf(m: Mat3, n: readonly [number, number, number]): Steps {
  const step = (k: number): Vec3 => [m[k]! / n[k]!, m[3 + k]! / n[k]!, m[6 + k]! / n[k]!];
  return { n, places: new Places(n), a: step(0), b: step(1), c: step(2) };
}

/** Indices of grid points, z fastest, of steps that lead up to a cell beyond either end. */
export class Places {
  private readonly x: Int32Array;
  private readonly y: Int32Array;
  private readonly z: Int32Array;

  constructor(readonly n: readonly [number, number, number]) {
    const [p, q, r] = n;
    const table = (size: number, step: number): Int32Array =>
      Int32Array.from({ length: 3 * size }, (_, i) => (i % size) * step);
    this.x = table(p, q * r);
    this.y = table(q, r);
    this.z = table(r, 1);
  }

  of(i: number, j: number, k: number): number {
    const { n } = this;
    return this.x[i + n[0]]! + this.y[j + n[1]]! + this.z[k + n[2]]!;
  }
}

/** Every grid step within a length (Å) of a grid point. */
export class Neighbourhood {
  readonly count: number;
  readonly di: Int32Array;
  readonly dj: Int32Array;
  readonly dk: Int32Array;
  /** Å */
  readonly x: Float64Array;
  readonly y: Float64Array;
  readonly z: Float64Array;

  constructor({ n, a, b, c }: Steps, reach: number) {
    const list: [number, number, number][] = [];
    const most = n.map((size, k) => Math.min(Math.ceil(size / 2), this.span([a, b, c], k, reach)));
    for (let i = -most[0]!; i <= most[0]!; i++)
      for (let j = -most[1]!; j <= most[1]!; j++)
        for (let k = -most[2]!; k <= most[2]!; k++) {
          const x = i * a[0] + j * b[0] + k * c[0],
            y = i * a[1] + j * b[1] + k * c[1],
            z = i * a[2] + j * b[2] + k * c[2];
          if (x * x + y * y + z * z <= reach * reach) list.push([i, j, k]);
        }
    this.count = list.length;
    this.di = Int32Array.from(list, (v) => v[0]);
    this.dj = Int32Array.from(list, (v) => v[1]);
    this.dk = Int32Array.from(list, (v) => v[2]);
    const along = (k: 0 | 1 | 2): Float64Array =>
      Float64Array.from(list, (v) => v[0] * a[k] + v[1] * b[k] + v[2] * c[k]);
    this.x = along(0);
    this.y = along(1);
    this.z = along(2);
  }

  /** Steps along one axis of the grid that a ball can reach over: its radius over the distance of the planes across. */
  private span(steps: readonly Vec3[], k: number, reach: number): number {
    const [u, v] = [steps[(k + 1) % 3]!, steps[(k + 2) % 3]!];
    const n: Vec3 = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    const s = steps[k]!;
    const between = Math.abs(n[0] * s[0] + n[1] * s[1] + n[2] * s[2]) / Math.hypot(n[0], n[1], n[2]);
    return Math.ceil(reach / between);
  }
}

/** Steps to the neighbours of a point over its faces, and over faces, edges and corners. */
export const FACES: readonly Vec3[] = [[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]]; // prettier-ignore

export const CORNERS: readonly Vec3[] = [-1, 0, 1].flatMap((x) =>
  [-1, 0, 1].flatMap((y) => [-1, 0, 1].flatMap((z): Vec3[] => (x || y || z ? [[x, y, z]] : []))),
);
