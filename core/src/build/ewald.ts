/** Electrostatic energy of point charges in a crystal (Ewald 1921, Ann. Phys. 369, 253). */
import { cellVolume, orthogonalization } from '../crystal/cell.ts';
import { siteCharges } from '../crystal/ionic.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, inverse3, norm, transpose3, type Vec3, toVec3 } from '../math/matrix3.ts';
import { wholeCell } from './whole-cell.ts';

/** e² / 4πε₀, eV Å. */
export const COULOMB = 14.3996454;

/** Complementary error function to 1.2e-7 relative would not do; a continued fraction and the series give it to rounding. */
function erfc(x: number): number {
  if (x < 2.5) {
    // 1 − 2/√π Σ (−1)ⁿ x²ⁿ⁺¹ / n!(2n+1), as e^(−x²) Σ 2ⁿ x²ⁿ⁺¹ / (2n+1)!!, which has no cancellation.
    let term = x,
      sum = x;
    for (let n = 1; n < 200 && term > 1e-17 * sum; n++) {
      term *= (2 * x * x) / (2 * n + 1);
      sum += term;
    }
    return 1 - (2 / Math.sqrt(Math.PI)) * Math.exp(-x * x) * sum;
  }
  let f = 0;
  for (let n = 60; n > 0; n--) f = n / 2 / (x + f);
  return Math.exp(-x * x) / Math.sqrt(Math.PI) / (x + f);
}

/** Exponent at which either sum is cut off: e^−36 is below rounding. */
const CUT = 6;

/** Integer vectors n whose image under the matrix is no longer than a limit, with the corners of a cell as slack. */
function* within(columns: readonly Vec3[], limit: number, slack: number): Generator<Vec3> {
  const m = [0, 1, 2].flatMap((k) => columns.map((c) => c[k]!)) as unknown as Parameters<typeof inverse3>[0];
  const rows = inverse3(m);
  const most = [0, 1, 2].map((k) =>
    Math.ceil((limit + slack) * norm([rows[3 * k]!, rows[3 * k + 1]!, rows[3 * k + 2]!])),
  );
  for (let i = -most[0]!; i <= most[0]!; i++)
    for (let j = -most[1]!; j <= most[1]!; j++) for (let k = -most[2]!; k <= most[2]!; k++) yield [i, j, k];
}

/**
 * Energy of a cell, eV, and the potential at each charge, V. Positions Cartesian, Å; the columns are the cell's axes. Throws
 * RangeError where the charges of the cell do not add up to zero: the energy would be without end.
 */
export function ewald(
  axes: readonly [Vec3, Vec3, Vec3],
  positions: readonly Vec3[],
  charges: readonly number[],
): { energy: number; potentials: Float64Array } {
  const total = charges.reduce((a, b) => a + b, 0);
  if (Math.abs(total) > 1e-6)
    throw new RangeError(`The charges of a cell add up to ${total.toFixed(2)}, not to zero; its energy has no end.`);
  const [a, b, c] = axes;
  const m = [a[0], b[0], c[0], a[1], b[1], c[1], a[2], b[2], c[2]] as const;
  const volume = Math.abs(
    a[0] * (b[1] * c[2] - b[2] * c[1]) - a[1] * (b[0] * c[2] - b[2] * c[0]) + a[2] * (b[0] * c[1] - b[1] * c[0]),
  );
  const n = positions.length;
  // Both sums cost about the same with this width.
  const eta = Math.sqrt(Math.PI) * (n / volume ** 2) ** (1 / 6);
  const potentials = new Float64Array(n);
  const reach = CUT / eta;
  for (const shift of within(axes, reach, norm(a) + norm(b) + norm(c))) {
    const t = apply3(m, shift);
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) {
        const x = positions[j]![0] + t[0] - positions[i]![0],
          y = positions[j]![1] + t[1] - positions[i]![1],
          z = positions[j]![2] + t[2] - positions[i]![2];
        const r = Math.sqrt(x * x + y * y + z * z);
        if (r < 1e-6 || r > reach) continue;
        potentials[i]! += (charges[j]! * erfc(eta * r)) / r;
      }
  }
  const back = transpose3(inverse3(m));
  const star = [0, 1, 2].map((k): Vec3 => [
    2 * Math.PI * back[k]!,
    2 * Math.PI * back[3 + k]!,
    2 * Math.PI * back[6 + k]!,
  ]);
  const limit = 2 * eta * CUT;
  for (const h of within(star, limit, 0)) {
    const g = toVec3([0, 1, 2].map((k) => star.reduce((sum, v, i) => sum + h[i]! * v[k]!, 0)));
    const square = g[0] ** 2 + g[1] ** 2 + g[2] ** 2;
    if (square < 1e-12 || square > limit * limit) continue;
    const weight = ((4 * Math.PI) / volume) * (Math.exp(-square / (4 * eta * eta)) / square);
    const phases = positions.map((p) => g[0] * p[0] + g[1] * p[1] + g[2] * p[2]);
    let re = 0,
      im = 0;
    phases.forEach((p, i) => {
      re += charges[i]! * Math.cos(p);
      im += charges[i]! * Math.sin(p);
    });
    phases.forEach((p, i) => (potentials[i]! += weight * (Math.cos(p) * re + Math.sin(p) * im)));
  }
  let energy = 0;
  for (let i = 0; i < n; i++) {
    potentials[i]! = COULOMB * (potentials[i]! - (2 * eta * charges[i]!) / Math.sqrt(Math.PI));
    energy += 0.5 * charges[i]! * potentials[i]!;
  }
  return { energy, potentials };
}

/** Energy of a crystal's cell, eV, with the charges its sites have; undefined where they are not known or do not balance. */
export function latticeEnergy(s: Structure): number | undefined {
  const whole = wholeCell(s);
  const known = siteCharges(whole);
  if (known.some((q) => q === undefined) || !(cellVolume(s.cell) > 0)) return undefined;
  const charges = known.map((q, i) => q! * whole.sites[i]!.occupancy);
  if (Math.abs(charges.reduce((a, b) => a + b, 0)) > 1e-6) return undefined;
  const m = orthogonalization(s.cell);
  const axes = [0, 1, 2].map((k): Vec3 => [m[k]!, m[3 + k]!, m[6 + k]!]) as unknown as [Vec3, Vec3, Vec3];
  return ewald(
    axes,
    whole.sites.map((x) => apply3(m, x.position)),
    charges,
  ).energy;
}
