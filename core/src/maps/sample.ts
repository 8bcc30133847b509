/** Density between grid points by cubic convolution (Keys 1981, IEEE Trans. ASSP 29, 1153). */
import type { Grid } from '../math/fft.ts';

export interface SampledMap {
  readonly grid: Grid;
  readonly values: Float32Array | Float64Array;
}

const weights = (t: number, out: Float64Array, at: number): void => {
  const t2 = t * t,
    t3 = t2 * t;
  out[at] = -0.5 * t + t2 - 0.5 * t3;
  out[at + 1] = 1 - 2.5 * t2 + 1.5 * t3;
  out[at + 2] = 0.5 * t + 2 * t2 - 1.5 * t3;
  out[at + 3] = -0.5 * t2 + 0.5 * t3;
};
const w = new Float64Array(12);

/** e Å⁻³ at a fractional position, lattice translations included. */
export function densityAt(map: SampledMap, x: number, y: number, z: number): number {
  const { nx, ny, nz } = map.grid,
    v = map.values;
  const fx = (x - Math.floor(x)) * nx,
    fy = (y - Math.floor(y)) * ny,
    fz = (z - Math.floor(z)) * nz;
  const ix = Math.floor(fx),
    iy = Math.floor(fy),
    iz = Math.floor(fz);
  weights(fx - ix, w, 0);
  weights(fy - iy, w, 4);
  weights(fz - iz, w, 8);
  let sum = 0;
  for (let c = 0; c < 4; c++) {
    const zz = ((iz + c - 1 + nz) % nz) * ny;
    for (let b = 0; b < 4; b++) {
      const row = nx * (zz + ((iy + b - 1 + ny) % ny)),
        k = w[8 + c]! * w[4 + b]!;
      for (let a = 0; a < 4; a++) sum += k * w[a]! * v[row + ((ix + a - 1 + nx) % nx)]!;
    }
  }
  return sum;
}
