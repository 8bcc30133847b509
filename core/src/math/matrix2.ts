/** Matrices of a plane: two rows of two, written one after another; columns are vectors. */
export type Mat2 = readonly [number, number, number, number];

export const multiply2 = (a: Mat2, b: Mat2): Mat2 => [
  a[0] * b[0] + a[1] * b[2],
  a[0] * b[1] + a[1] * b[3],
  a[2] * b[0] + a[3] * b[2],
  a[2] * b[1] + a[3] * b[3],
];

export const determinant2 = (m: Mat2): number => m[0] * m[3] - m[1] * m[2];

/** Throws RangeError where the two columns are on one line. */
export function inverse2(m: Mat2): Mat2 {
  const d = determinant2(m);
  if (!d) throw new RangeError('The determinant is 0: the two vectors lie on one line.');
  return [m[3] / d, -m[1] / d, -m[2] / d, m[0] / d];
}

export const apply2 = (m: Mat2, x: number, y: number): [number, number] => [m[0] * x + m[1] * y, m[2] * x + m[3] * y];

/** A deformation as a turn after a symmetric stretch (polar decomposition): degrees, and principal strains, the larger first. */
export function turnAndStretch(f: Mat2): { angle: number; strain: [number, number] } {
  const angle = Math.atan2(f[2] - f[1], f[0] + f[3]);
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const stretch = multiply2([c, s, -s, c], f);
  const middle = (stretch[0] + stretch[3]) / 2,
    spread = Math.hypot((stretch[0] - stretch[3]) / 2, (stretch[1] + stretch[2]) / 2);
  return { angle: (angle * 180) / Math.PI, strain: [middle + spread - 1, middle - spread - 1] };
}

/** One point of ℤ² for each of its cosets by the sublattice of two whole-number columns. */
export function cosets2(columns: Mat2): [number, number][] {
  const n = Math.round(Math.abs(determinant2(columns)));
  const back = inverse2(columns);
  const seen = new Map<string, [number, number]>();
  for (let i = 0; seen.size < n && i <= n; i++)
    for (let j = 0; j <= n; j++) {
      const key = apply2(back, i, j)
        .map((x) => Math.round((x - Math.floor(x + 1e-9)) * n) % n)
        .join();
      if (!seen.has(key)) seen.set(key, [i, j]);
    }
  return [...seen.values()];
}
