/**
 * The electrostatic potential of stockholder atoms: within the density by the radial integrals of Poisson's equation.
 */
import {
  cartesianRotation,
  POTENTIAL_ORDER,
  POTENTIAL_PARTS,
  potentialHarmonics,
  type RadialPotential,
} from '../crystal/atom-potentials.ts';
import type { AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, toVec3, type Mat3 } from '../math/matrix3.ts';
import { spherePoints } from '../quantum/sphere-points.ts';
import type { AtomShare } from '../quantum/stockholder.ts';

/**
 * The potential of the electrons of a share: −4π/(2l+1) [∫₀ʳ ρ_lm s^(l+2) ds + r^(2l+1) ∫ᵣ^∞ ρ_lm s^(1−l) ds], times what makes it
 * constant far away. Sums run over the share's own grid, its last point counted by half.
 */
export function radialPotential(share: AtomShare): RadialPotential {
  const rising = Array.from(share.radii.keys()).sort((p, q) => share.radii[p]! - share.radii[q]!);
  const wide = (share.order + 1) ** 2;
  const radii = Float64Array.from(rising, (k) => share.radii[k]!);
  const parts = new Float64Array(radii.length * POTENTIAL_PARTS);
  for (let l = 0, m = 0; l <= Math.min(POTENTIAL_ORDER, share.order); l++)
    for (const end = (l + 1) ** 2; m < end; m++) {
      const inner = rising.map((k) => share.weights[k]! * share.moments[k * wide + m]! * share.radii[k]! ** l);
      const outer = rising.map((k) => share.weights[k]! * share.moments[k * wide + m]! * share.radii[k]! ** (-l - 1));
      let within = 0,
        beyond = outer.reduce((sum, x) => sum + x, 0);
      for (let n = 0; n < radii.length; n++) {
        beyond -= outer[n]!;
        const sum = within + inner[n]! / 2 + radii[n]! ** (2 * l + 1) * (beyond + outer[n]! / 2);
        within += inner[n]!;
        parts[n * POTENTIAL_PARTS + m] = ((-4 * Math.PI) / (2 * l + 1)) * sum;
      }
    }
  return { radii, parts };
}

/** The same in axes turned by a rotation: what was seen along R u is seen along u. */
export function turnedPotential({ radii, parts }: RadialPotential, rotation: Mat3): RadialPotential {
  const sphere = spherePoints(50);
  const turn = new Float64Array(POTENTIAL_PARTS * POTENTIAL_PARTS);
  sphere.points.forEach((u, i) => {
    const there = potentialHarmonics(toVec3(u)),
      here = potentialHarmonics(apply3(rotation, toVec3(u)));
    for (let p = 0; p < POTENTIAL_PARTS; p++)
      for (let q = 0; q < POTENTIAL_PARTS; q++)
        turn[p * POTENTIAL_PARTS + q]! += 4 * Math.PI * sphere.weights[i]! * there[p]! * here[q]!;
  });
  const out = new Float64Array(parts.length);
  for (let n = 0; n < radii.length; n++)
    for (let p = 0; p < POTENTIAL_PARTS; p++)
      for (let q = 0; q < POTENTIAL_PARTS; q++)
        out[n * POTENTIAL_PARTS + p]! += turn[p * POTENTIAL_PARTS + q]! * parts[n * POTENTIAL_PARTS + q]!;
  return { radii, parts: out };
}

/** A share of the atom `a` as the potential of its site. */
export const sitePotential = (s: Structure, a: AtomRef, share: AtomShare): RadialPotential =>
  turnedPotential(radialPotential(share), cartesianRotation(s, a));
