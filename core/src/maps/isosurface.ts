/** Contour surfaces by naive surface nets (Gibson 1998, MICCAI, 888): one vertex a mixed cell, quads across mixed edges. */
import { orthogonalization, type Cell } from '../crystal/cell.ts';
import type { Grid } from '../math/fft.ts';

export interface Surface {
  /** Cartesian x, y, z of each vertex, Å. */
  positions: Float32Array;
  indices: Uint32Array;
}

/** A box in fractional coordinates. */
export interface Region {
  min: readonly [number, number, number];
  max: readonly [number, number, number];
}

/** Surface where sign·ρ = level inside a region (which may reach over several cells). */
export function contourSurface(
  map: { grid: Grid; values: ArrayLike<number> },
  cell: Cell,
  region: Region,
  level: number,
  sign: 1 | -1 = 1,
  keep?: (x: number, y: number, z: number) => boolean,
): Surface {
  const { nx, ny, nz } = map.grid;
  const n = [nx, ny, nz];
  const from = region.min.map((x, i) => Math.floor(x * n[i]!)),
    to = region.max.map((x, i) => Math.ceil(x * n[i]!));
  const size = from.map((f, i) => to[i]! - f + 1) as [number, number, number];
  const m = orthogonalization(cell);
  const value = (x: number, y: number, z: number): number => {
    const i = (((x + from[0]!) % nx) + nx) % nx,
      j = (((y + from[1]!) % ny) + ny) % ny,
      k = (((z + from[2]!) % nz) + nz) % nz;
    return sign * map.values[i + nx * (j + ny * k)]! - level;
  };
  const [sx, sy, sz] = size;
  const field = new Float32Array(sx * sy * sz);
  for (let z = 0; z < sz; z++)
    for (let y = 0; y < sy; y++) for (let x = 0; x < sx; x++) field[x + sx * (y + sy * z)] = value(x, y, z);
  const vertexOf = new Int32Array(sx * sy * sz).fill(-1);
  const positions: number[] = [];
  const step = [1, sx, sx * sy];
  for (let z = 0; z < sz - 1; z++)
    for (let y = 0; y < sy - 1; y++)
      for (let x = 0; x < sx - 1; x++) {
        const at = x + sx * (y + sy * z);
        let inside = 0;
        for (let corner = 0; corner < 8; corner++)
          if (field[at + (corner & 1) + ((corner >> 1) & 1) * step[1]! + (corner >> 2) * step[2]!]! > 0)
            inside |= 1 << corner;
        if (inside === 0 || inside === 255) continue;
        // The vertex is the mean of the crossings on the cell's edges.
        let px = 0,
          py = 0,
          pz = 0,
          crossings = 0;
        for (let corner = 0; corner < 8; corner++)
          for (let axis = 0; axis < 3; axis++) {
            if (corner & (1 << axis)) continue;
            const other = corner | (1 << axis);
            if (((inside >> corner) & 1) === ((inside >> other) & 1)) continue;
            const p = at + (corner & 1) + ((corner >> 1) & 1) * step[1]! + (corner >> 2) * step[2]!;
            const a = field[p]!,
              b = field[p + step[axis]!]!;
            const f = a / (a - b);
            px += (corner & 1) + (axis === 0 ? f : 0);
            py += ((corner >> 1) & 1) + (axis === 1 ? f : 0);
            pz += (corner >> 2) + (axis === 2 ? f : 0);
            crossings++;
          }
        const u = (x + from[0]! + px / crossings) / nx,
          v = (y + from[1]! + py / crossings) / ny,
          w = (z + from[2]! + pz / crossings) / nz;
        const cx = m[0] * u + m[1] * v + m[2] * w,
          cy = m[4] * v + m[5] * w,
          cz = m[8] * w;
        if (keep && !keep(cx, cy, cz)) continue;
        vertexOf[at] = positions.length / 3;
        positions.push(cx, cy, cz);
      }
  const indices: number[] = [];
  for (let z = 1; z < sz - 1; z++)
    for (let y = 1; y < sy - 1; y++)
      for (let x = 1; x < sx - 1; x++) {
        const at = x + sx * (y + sy * z);
        const here = field[at]! > 0;
        for (let axis = 0; axis < 3; axis++) {
          if (here === field[at + step[axis]!]! > 0) continue;
          const u = step[(axis + 1) % 3]!,
            v = step[(axis + 2) % 3]!;
          const a = vertexOf[at]!,
            b = vertexOf[at - u]!,
            c = vertexOf[at - u - v]!,
            d = vertexOf[at - v]!;
          if (a < 0 || b < 0 || c < 0 || d < 0) continue;
          if (here) indices.push(a, b, c, a, c, d);
          else indices.push(a, c, b, a, d, c);
        }
      }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}
