/** Real spherical harmonics on unit vectors, normalised so that their mean square over the sphere is 1/(4π). */

/** Values of Y_lm for l = 1 … lMax, m = −l … l, in that order: (lMax + 1)² − 1 numbers. Recursion of the associated Legendre functions (Press et al., 6.7). */
export function sphericalHarmonics(x: number, y: number, z: number, lMax: number): number[] {
  const out: number[] = [];
  // P[l][m] without the sinᵐ factor, which the Cartesian powers carry.
  const p: number[][] = [[1]];
  for (let l = 1; l <= lMax; l++) {
    p[l] = [];
    for (let m = 0; m <= l; m++) {
      if (m === l) p[l]![m] = (2 * l - 1) * p[l - 1]![l - 1]!;
      else if (m === l - 1) p[l]![m] = (2 * l - 1) * z * p[l - 1]![l - 1]!;
      else p[l]![m] = ((2 * l - 1) * z * p[l - 1]![m]! - (l + m - 1) * p[l - 2]![m]!) / (l - m);
    }
  }
  const c = [1],
    s = [0];
  for (let m = 1; m <= lMax; m++) {
    c[m] = x * c[m - 1]! - y * s[m - 1]!;
    s[m] = x * s[m - 1]! + y * c[m - 1]!;
  }
  for (let l = 1; l <= lMax; l++)
    for (let m = -l; m <= l; m++) {
      const a = Math.abs(m);
      let ratio = 1;
      for (let k = l - a + 1; k <= l + a; k++) ratio /= k;
      const n = Math.sqrt(((2 * l + 1) / (4 * Math.PI)) * ratio * (m ? 2 : 1));
      out.push(n * p[l]![a]! * (m < 0 ? s[a]! : c[a]!));
    }
  return out;
}
