/** The structure factor as its definition says, atom after atom of the cell: what faster ways are held against. */
import { inverseSpacing, reciprocalLengths, reciprocalMetric } from '@nagare/core/crystal/cell';
import { allOperators } from '@nagare/core/crystal/space-group';
import type { Structure } from '@nagare/core/crystal/structure';
import { dispersion, formFactor, gaussianFactor } from '@nagare/core/scattering/form-factor';

/** A and B of one reflection, with dispersion at the wavelength (Å). */
export function directSum(s: Structure, h: number, k: number, l: number, wavelength: number): [number, number] {
  const gs = reciprocalLengths(s.cell);
  const half = inverseSpacing(reciprocalMetric(s.cell), h, k, l) / 2;
  let A = 0,
    B = 0;
  for (const site of s.sites) {
    const d = dispersion(site.element, wavelength);
    const f = formFactor(gaussianFactor(site.element), half) + d.f1;
    const seen: number[][] = [];
    for (const o of allOperators(s.spaceGroup)) {
      const x = [0, 1, 2].map(
        (i) =>
          o.r[3 * i]! * site.position[0] +
          o.r[3 * i + 1]! * site.position[1] +
          o.r[3 * i + 2]! * site.position[2] +
          o.t[i]!,
      );
      if (seen.some((y) => y.every((v, i) => Math.abs(v - x[i]! - Math.round(v - x[i]!)) < 1e-4))) continue;
      seen.push(x);
      const hr = [0, 1, 2].map((j) => h * o.r[j]! + k * o.r[3 + j]! + l * o.r[6 + j]!);
      let t: number;
      if (site.displacement.kind === 'iso') t = Math.exp(-8 * Math.PI ** 2 * site.displacement.u * half ** 2);
      else {
        const [u11, u22, u33, u12, u13, u23] = site.displacement.u;
        const [a, b, c] = [hr[0]! * gs[0], hr[1]! * gs[1], hr[2]! * gs[2]];
        t = Math.exp(
          -2 *
            Math.PI ** 2 *
            (u11 * a * a + u22 * b * b + u33 * c * c + 2 * u12 * a * b + 2 * u13 * a * c + 2 * u23 * b * c),
        );
      }
      const phase = 2 * Math.PI * (h * x[0]! + k * x[1]! + l * x[2]!);
      const w = site.occupancy * t;
      A += w * (f * Math.cos(phase) - d.f2 * Math.sin(phase));
      B += w * (f * Math.sin(phase) + d.f2 * Math.cos(phase));
    }
  }
  return [A, B];
}
