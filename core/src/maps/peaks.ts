/** Maxima and minima of a map, one of each symmetry-equivalent set. */
import { metricTensor, type Cell } from '../crystal/cell.ts';
import { allOperators, type SpaceGroup } from '../crystal/space-group.ts';
import type { Vec3 } from '../math/matrix3.ts';
import type { DensityMap } from './fourier.ts';

export interface Peak {
  readonly position: Vec3;
  /** e Å⁻³ at the interpolated extremum. */
  readonly height: number;
}

/** Height and place of the extremum through three points at −1, 0, 1. */
function parabola(l: number, m: number, r: number): { shift: number; gain: number } {
  const curvature = l - 2 * m + r;
  if (!curvature) return { shift: 0, gain: 0 };
  const shift = Math.max(-0.5, Math.min(0.5, (0.5 * (l - r)) / curvature));
  return { shift, gain: 0.5 * (r - l) * shift + 0.5 * curvature * shift * shift };
}

/** Local maxima above `threshold` (after multiplying by `sign`), highest first, interpolated by parabolas along the axes. */
export function localMaxima(map: DensityMap, threshold: number, sign: 1 | -1 = 1, most = Infinity): Peak[] {
  const { nx, ny, nz } = map.grid;
  const v = map.values;
  const found: Peak[] = [];
  for (let z = 0; z < nz; z++) {
    const zm = ((z + nz - 1) % nz) * ny,
      z0 = z * ny,
      zp = ((z + 1) % nz) * ny;
    for (let y = 0; y < ny; y++) {
      const ym = (y + ny - 1) % ny,
        yp = (y + 1) % ny;
      for (let x = 0; x < nx; x++) {
        const here = sign * v[x + nx * (z0 + y)]!;
        if (here < threshold) continue;
        const xm = (x + nx - 1) % nx,
          xp = (x + 1) % nx;
        let top = true;
        for (const zz of [zm, z0, zp]) {
          for (const yy of [ym, y, yp]) {
            const row = nx * (zz + yy);
            if (sign * v[row + xm]! > here || sign * v[row + x]! > here || sign * v[row + xp]! > here) {
              top = false;
              break;
            }
          }
          if (!top) break;
        }
        if (!top) continue;
        const px = parabola(sign * v[xm + nx * (z0 + y)]!, here, sign * v[xp + nx * (z0 + y)]!);
        const py = parabola(sign * v[x + nx * (z0 + ym)]!, here, sign * v[x + nx * (z0 + yp)]!);
        const pz = parabola(sign * v[x + nx * (zm + y)]!, here, sign * v[x + nx * (zp + y)]!);
        found.push({
          position: [(x + px.shift) / nx, (y + py.shift) / ny, (z + pz.shift) / nz],
          height: sign * (here + px.gain + py.gain + pz.gain),
        });
      }
    }
  }
  found.sort((p, q) => sign * (q.height - p.height));
  return found.length > most ? found.slice(0, most) : found;
}

/** One peak of each equivalent set; peaks nearer than `separation` Å to a higher one (or its copies) are taken as the same. */
export function uniquePeaks(
  peaks: readonly Peak[],
  cell: Cell,
  group: SpaceGroup,
  most: number,
  separation = 0.5,
): Peak[] {
  const g = metricTensor(cell);
  const operators = allOperators(group);
  const kept: Peak[] = [];
  const limit = separation * separation;
  const rounds = [1 / cell.a, 1 / cell.b, 1 / cell.c].map((x) => x * separation * 1.8);
  // Copies of accepted peaks in coarse boxes, so each new peak meets only its neighbours.
  const n = [
    Math.max(1, Math.floor(1 / rounds[0]!)),
    Math.max(1, Math.floor(1 / rounds[1]!)),
    Math.max(1, Math.floor(1 / rounds[2]!)),
  ] as const;
  const boxes = new Map<number, Vec3[]>();
  const wrap = (x: number): number => x - Math.floor(x);
  const box = (p: Vec3, d: readonly [number, number, number] = [0, 0, 0]): number => {
    const i = (Math.floor(wrap(p[0]) * n[0]) + d[0] + n[0]) % n[0],
      j = (Math.floor(wrap(p[1]) * n[1]) + d[1] + n[1]) % n[1],
      k = (Math.floor(wrap(p[2]) * n[2]) + d[2] + n[2]) % n[2];
    return i + n[0] * (j + n[1] * k);
  };
  const near = (p: Vec3): boolean => {
    for (let i = -1; i <= 1; i++)
      for (let j = -1; j <= 1; j++)
        for (let k = -1; k <= 1; k++)
          for (const q of boxes.get(box(p, [i, j, k])) ?? []) {
            const d = [p[0] - q[0], p[1] - q[1], p[2] - q[2]].map((x) => x - Math.round(x)) as [number, number, number];
            if (
              d[0] * d[0] * g[0] +
                d[1] * d[1] * g[4] +
                d[2] * d[2] * g[8] +
                2 * (d[0] * d[1] * g[1] + d[0] * d[2] * g[2] + d[1] * d[2] * g[5]) <
              limit
            )
              return true;
          }
    return false;
  };
  for (const p of peaks) {
    if (kept.length >= most) break;
    if (near(p.position)) continue;
    kept.push(p);
    for (const { r, t } of operators) {
      const [x, y, z] = p.position;
      const q: Vec3 = [
        wrap(r[0] * x + r[1] * y + r[2] * z + t[0]),
        wrap(r[3] * x + r[4] * y + r[5] * z + t[1]),
        wrap(r[6] * x + r[7] * y + r[8] * z + t[2]),
      ];
      const key = box(q);
      const list = boxes.get(key);
      if (list) list.push(q);
      else boxes.set(key, [q]);
    }
  }
  return kept;
}
