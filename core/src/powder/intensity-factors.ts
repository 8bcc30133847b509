/** Factors of intensity that depend on the angle alone. */

/** Lorentz and polarisation factor at a Bragg angle θ (radians), with the monochromator's cos² 2θ_m. */
export const lorentzPolarization = (theta: number, cos2m: number): number => {
  const c2 = Math.cos(2 * theta),
    s = Math.sin(theta);
  return (1 + cos2m * c2 * c2) / ((1 + cos2m) * s * s * Math.cos(theta));
};

/** Absorption relative to a thick flat specimen or a thin capillary; Rouse, Cooper, York & Chakera (1970), Acta Cryst. A26, 682, for μR up to about 1. */
export function absorptionFactor(geometry: 'flat specimen' | 'capillary', mu: number, theta: number): number {
  if (!(mu > 0)) return 1;
  const s = Math.sin(theta);
  if (geometry === 'flat specimen') return 1 - Math.exp((-2 * mu) / s);
  return Math.exp(-(1.7133 - 0.0368 * s * s) * mu + (0.0927 + 0.375 * s * s) * mu * mu);
}
