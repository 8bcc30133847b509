/** The electrostatic energy of a crystal of ions. */
import { cartesianAxes, cellVolume, orthogonalization } from '../crystal/cell.ts';
import { siteCharges } from '../crystal/ionic.ts';
import type { Structure } from '../crystal/structure.ts';
import { ewald } from '../math/ewald.ts';
import { apply3 } from '../math/matrix3.ts';
import { wholeCell } from './whole-cell.ts';

/** Energy of a crystal's cell, eV, with the charges its sites have; undefined where they are not known or do not balance. */
export function latticeEnergy(s: Structure): number | undefined {
  const whole = wholeCell(s);
  const known = siteCharges(whole);
  if (known.some((q) => q === undefined) || !(cellVolume(s.cell) > 0)) return undefined;
  const charges = known.map((q, i) => q! * whole.sites[i]!.occupancy);
  if (Math.abs(charges.reduce((a, b) => a + b, 0)) > 1e-6) return undefined;
  const m = orthogonalization(s.cell);
  const at = whole.sites.map((x) => apply3(m, x.position));
  return ewald(cartesianAxes(s.cell), at, charges).energy;
}
