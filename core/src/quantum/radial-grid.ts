/** Radial quadrature about a nucleus: Chebyshev points of the second kind under a logarithmic map (Treutler & Ahlrichs 1995, M4). */

export interface RadialGrid {
  /** bohr, falling. */
  readonly r: Float64Array;
  /** Weights of ∫ … dr; the r² of a volume is not in them. */
  readonly weights: Float64Array;
}

/** `scale` stretches the grid: about the size of the atom, bohr. */
export function radialGrid(points: number, scale = 1): RadialGrid {
  const r = new Float64Array(points),
    weights = new Float64Array(points);
  const unit = scale / Math.LN2;
  for (let i = 1; i <= points; i++) {
    const angle = (i * Math.PI) / (points + 1),
      x = Math.cos(angle);
    const stretch = (1 + x) ** 0.6,
      log = Math.log(2 / (1 - x));
    r[i - 1] = unit * stretch * log;
    const slope = unit * stretch * ((0.6 * log) / (1 + x) + 1 / (1 - x));
    weights[i - 1] = (Math.PI / (points + 1)) * Math.sin(angle) * slope;
  }
  return { r, weights };
}
