/** Electrostatic energy of point charges in a crystal (Ewald 1921, Ann. Phys. 369, 253). */
import {
  add,
  apply3,
  determinant3,
  dot,
  inverse3,
  norm,
  scale,
  toMat3,
  transpose3,
  type Mat3,
  type Vec3,
} from './matrix3.ts';

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

/** Steps of the table in one unit; with its slopes a cubic is right to 1e-12 between them. */
const STEPS = 512;
/** Exponent at which either sum is cut off: e^−36 is below rounding. */
const CUT = 6;
let table: { values: Float64Array; slopes: Float64Array } | undefined;

function erfcTable(): { values: Float64Array; slopes: Float64Array } {
  if (table) return table;
  const values = new Float64Array(CUT * STEPS + 2),
    slopes = new Float64Array(CUT * STEPS + 2);
  for (let i = 0; i < values.length; i++) {
    const x = i / STEPS;
    values[i] = erfc(x);
    slopes[i] = ((-2 / Math.sqrt(Math.PI)) * Math.exp(-x * x)) / STEPS;
  }
  return (table = { values, slopes });
}

type Axes = readonly [Vec3, Vec3, Vec3];

/** Integer vectors n whose image under the matrix is no longer than a limit, with the corners of a cell as slack. */
function within(columns: readonly Vec3[], limit: number, slack: number): Vec3[] {
  const m = toMat3([0, 1, 2].flatMap((k) => columns.map((c) => c[k]!)));
  const rows = inverse3(m);
  const most = [0, 1, 2].map((k) =>
    Math.ceil((limit + slack) * norm([rows[3 * k]!, rows[3 * k + 1]!, rows[3 * k + 2]!])),
  );
  const out: Vec3[] = [];
  for (let i = -most[0]!; i <= most[0]!; i++)
    for (let j = -most[1]!; j <= most[1]!; j++)
      for (let k = -most[2]!; k <= most[2]!; k++) if (norm(apply3(m, [i, j, k])) <= limit + slack) out.push([i, j, k]);
  return out;
}

/**
 * Potential at each of n places from a unit charge at every other one and all of its copies, Å⁻¹, n × n; on the diagonal from
 * its own copies. A cell of charges q has the energy ½ Σ q_i V_ij q_j, if they add up to zero.
 */
export function ewaldMatrix(axes: Axes, positions: readonly Vec3[]): Float64Array {
  const n = positions.length;
  const m = toMat3([0, 1, 2].flatMap((k) => axes.map((c) => c[k]!)));
  const volume = Math.abs(determinant3(m));
  // Both sums cost about the same with this width.
  const eta = Math.sqrt(Math.PI) * (Math.max(1, n) / volume ** 2) ** (1 / 6);
  const matrix = new Float64Array(n * n);
  addNear(matrix, axes, m, positions, eta);
  addFar(matrix, m, positions, eta, volume);
  for (let i = 0; i < n; i++) {
    matrix[i * n + i]! -= (2 * eta) / Math.sqrt(Math.PI);
    for (let j = 0; j < i; j++) matrix[i * n + j] = matrix[j * n + i]!;
  }
  return matrix;
}

/** The sum over copies within reach, upper triangle. */
function addNear(matrix: Float64Array, axes: Axes, m: Mat3, positions: readonly Vec3[], eta: number): void {
  const n = positions.length;
  const reach = CUT / eta;
  const { values, slopes } = erfcTable();
  const shifts = within(
    axes,
    reach,
    axes.reduce((sum, v) => sum + norm(v), 0),
  ).map((h) => apply3(m, h));
  const flat = Float64Array.from(positions.flatMap((p) => [...p]));
  for (let i = 0; i < n; i++)
    for (let j = i; j < n; j++) {
      const dx = flat[3 * j]! - flat[3 * i]!,
        dy = flat[3 * j + 1]! - flat[3 * i + 1]!,
        dz = flat[3 * j + 2]! - flat[3 * i + 2]!;
      let sum = 0;
      for (const t of shifts) {
        const x = dx + t[0],
          y = dy + t[1],
          z = dz + t[2];
        const square = x * x + y * y + z * z;
        if (square > reach * reach || square < 1e-12) continue;
        const r = Math.sqrt(square);
        const at = eta * r * STEPS,
          k = Math.floor(at),
          u = at - k;
        // Cubic Hermite between two entries.
        const a = values[k]!,
          b = values[k + 1]!,
          p = slopes[k]!,
          q = slopes[k + 1]!;
        const w = b - a;
        sum += (a + u * (p + u * (3 * w - 2 * p - q + u * (p + q - 2 * w)))) / r;
      }
      matrix[i * n + j]! += sum;
    }
}

/** The sum over reciprocal vectors, one of each ± pair, upper triangle. */
function addFar(matrix: Float64Array, m: Mat3, positions: readonly Vec3[], eta: number, volume: number): void {
  const n = positions.length;
  const back = transpose3(inverse3(m));
  const star = [0, 1, 2].map((k): Vec3 => scale([back[k]!, back[3 + k]!, back[6 + k]!], 2 * Math.PI));
  const limit = 2 * eta * CUT;
  const cos = new Float64Array(n),
    sin = new Float64Array(n);
  for (const h of within(star, limit, 0)) {
    if (h[0] < 0 || (h[0] === 0 && (h[1] < 0 || (h[1] === 0 && h[2] <= 0)))) continue;
    const g = add(add(scale(star[0]!, h[0]), scale(star[1]!, h[1])), scale(star[2]!, h[2]));
    const square = dot(g, g);
    const weight = ((8 * Math.PI) / volume) * (Math.exp(-square / (4 * eta * eta)) / square);
    for (let i = 0; i < n; i++) {
      const phase = dot(g, positions[i]!);
      cos[i] = Math.cos(phase);
      sin[i] = Math.sin(phase);
    }
    for (let i = 0; i < n; i++) {
      const c = weight * cos[i]!,
        s = weight * sin[i]!;
      for (let j = i; j < n; j++) matrix[i * n + j]! += c * cos[j]! + s * sin[j]!;
    }
  }
}

/** Throws RangeError where charges do not add up to zero: the energy would be without end. */
function checkNeutral(charges: ArrayLike<number>): void {
  let total = 0;
  for (let i = 0; i < charges.length; i++) total += charges[i]!;
  if (Math.abs(total) > 1e-6)
    throw new RangeError(`The charges of a cell add up to ${total.toFixed(2)}, not to zero; its energy has no end.`);
}

/** Energy of charges at the places of a matrix, eV, and the potential at each, V. Throws RangeError where they are not neutral. */
export function energyOf(
  matrix: Float64Array,
  charges: ArrayLike<number>,
): { energy: number; potentials: Float64Array } {
  checkNeutral(charges);
  const n = charges.length;
  const potentials = new Float64Array(n);
  let energy = 0;
  for (let i = 0; i < n; i++) {
    let sum = 0;
    for (let j = 0; j < n; j++) sum += matrix[i * n + j]! * charges[j]!;
    potentials[i] = COULOMB * sum;
    energy += 0.5 * charges[i]! * potentials[i]!;
  }
  return { energy, potentials };
}

/**
 * Energy of a cell, eV, and the potential at each charge, V. Positions Cartesian, Å; the columns are the cell's axes. Throws
 * RangeError where the charges of the cell do not add up to zero.
 */
export function ewald(
  axes: Axes,
  positions: readonly Vec3[],
  charges: readonly number[],
): { energy: number; potentials: Float64Array } {
  checkNeutral(charges);
  return energyOf(ewaldMatrix(axes, positions), charges);
}
