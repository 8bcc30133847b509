/**
 * Charges of the atoms of a molecule by equalising electronegativity (Rappé & Goddard 1991, J. Phys. Chem. 95, 3358), with the
 * repulsion of two atoms that of one Slater function each, as there.
 */
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { COULOMB } from '../math/ewald.ts';
import { norm, subtract, type Vec3 } from '../math/matrix3.ts';

interface OwnTerms {
  /** eV */
  readonly electronegativity: number;
  /** eV */
  readonly idempotential: number;
  /** Principal quantum number of the Slater function. */
  readonly n: number;
  /** Its exponent, Å⁻¹. */
  readonly exponent: number;
}

/** Electronegativity and idempotential, eV, and radius, Å: Rappé & Goddard 1991, table 1. */
const EQUALISED: Readonly<Record<string, readonly [number, number, number]>> = {
  H: [4.528, 13.8904, 0.371],
  Li: [3.006, 4.772, 1.557],
  C: [5.343, 10.126, 0.759],
  N: [6.899, 11.76, 0.715],
  O: [8.741, 13.364, 0.669],
  F: [10.874, 14.948, 0.706],
  Na: [2.843, 4.592, 2.085],
  Si: [4.168, 6.974, 1.176],
  P: [5.463, 8, 1.102],
  S: [6.928, 8.972, 1.047],
  Cl: [8.564, 9.892, 0.994],
  K: [2.421, 3.84, 2.586],
  Br: [7.79, 8.85, 1.141],
  Rb: [2.331, 3.692, 2.77],
  I: [6.822, 7.524, 1.333],
  Cs: [2.183, 3.422, 2.984],
};

/** Absolute electronegativity and twice the hardness, eV (Pearson 1988, Inorg. Chem. 27, 734), where the first table is silent. */
const ABSOLUTE: Readonly<Record<string, readonly [number, number]>> = {
  Be: [4.9, 9],
  B: [4.29, 8.02],
  Mg: [3.75, 7.8],
  Al: [3.23, 5.54],
  Ca: [2.2, 8],
  Sc: [3.34, 6.4],
  Ti: [3.45, 6.74],
  V: [3.6, 6.2],
  Cr: [3.72, 6.12],
  Mn: [3.72, 7.44],
  Fe: [4.06, 7.62],
  Co: [4.3, 7.2],
  Ni: [4.4, 6.5],
  Cu: [4.48, 6.5],
  Zn: [4.45, 9.88],
  Ga: [3.2, 5.8],
  Ge: [4.6, 6.8],
  As: [5.3, 9],
  Se: [5.89, 7.74],
  Sr: [2, 7.4],
  Y: [3.19, 6.38],
  Zr: [3.64, 6.42],
  Nb: [4, 6],
  Mo: [3.9, 6.2],
  Ru: [4.5, 6],
  Rh: [4.3, 6.32],
  Pd: [4.45, 7.78],
  Ag: [4.44, 6.28],
  Cd: [4.33, 9.32],
  In: [3.1, 5.6],
  Sn: [4.3, 6.1],
  Sb: [4.85, 7.6],
  Te: [5.49, 7.04],
  Ba: [2.4, 5.8],
  La: [3.1, 5.2],
  Hf: [3.8, 6],
  Ta: [4.11, 7.58],
  W: [4.4, 7.16],
  Re: [4.02, 7.74],
  Os: [4.9, 7.6],
  Ir: [5.4, 7.6],
  Pt: [5.6, 7],
  Au: [5.77, 6.92],
  Hg: [4.91, 10.8],
  Tl: [3.2, 5.8],
  Pb: [3.9, 7.06],
  Bi: [4.69, 7.48],
};

/** A metal that neither table names. */
const UNNAMED: readonly [number, number] = [3.5, 6.5];

const BOHR = 0.529177,
  /** Scales sizes of Slater functions (Rappé & Goddard 1991). */
  SIZE = 0.4913,
  /** Bohr⁻¹: of hydrogen without charge. */
  HYDROGEN_EXPONENT = 1.0698;
const SHELLS = [2, 10, 18, 36, 54, 86];

function ownTerms(symbol: string): OwnTerms {
  const element = isHydrogen(symbol) ? 'H' : symbol;
  const [electronegativity, idempotential] = EQUALISED[element] ?? ABSOLUTE[element] ?? UNNAMED;
  const { z, covalentRadius } = elementOf(element);
  const n = 1 + SHELLS.filter((last) => z > last).length;
  const radius = EQUALISED[element]?.[2] ?? covalentRadius;
  const exponent = element === 'H' ? HYDROGEN_EXPONENT / BOHR : (SIZE * (2 * n + 1)) / (2 * radius);
  return { electronegativity, idempotential, n, exponent };
}

/**
 * ∫₀ᵗ u V(u) du for the potential V of a normalised Slater density u^(2n−2) e^(−2ζu), in units of the charge: V(u) is
 * (1 − e^(−2ζu) Σ (2n−k)/2n (2ζu)^k/k!)/u, and each power is integrated in parts.
 */
function potentialIntegral(n: number, exponent: number): (t: number) => number {
  const a = 2 * exponent;
  // Coefficients of (a t)^m in a · ∫ e^(−at) Σ c_k (at)^k dt = −e^(−at) Σ_m (at)^m Σ_(k≥m) c_k k!/m!, c_k k! = (2n−k)/2n.
  const tails = new Float64Array(2 * n);
  let factorial = 1;
  for (let m = 0; m < 2 * n; m++) {
    if (m) factorial *= m;
    for (let k = m; k < 2 * n; k++) tails[m]! += (2 * n - k) / (2 * n) / factorial;
  }
  const atZero = tails[0]!;
  return (t) => {
    const x = a * t;
    let sum = 0;
    for (let m = 2 * n - 1; m >= 0; m--) sum = sum * x + tails[m]!;
    return t + (Math.exp(-x) * sum - atZero) / a;
  };
}

/** Points of the radial sum, and exponents' lengths it goes out to. */
const RADIAL_POINTS = 80,
  RADIAL_REACH = 16;

/** Repulsion of two unit charges spread as Slater functions, eV, over their distance, Å: by Simpson's rule over the second. */
function slaterRepulsion(p: OwnTerms, q: OwnTerms): (r: number) => number {
  const [wide, narrow] = p.exponent < q.exponent ? [p, q] : [q, p];
  const integral = potentialIntegral(wide.n, wide.exponent);
  const a = 2 * narrow.exponent;
  const reach = (2 * narrow.n + RADIAL_REACH) / a;
  const step = reach / RADIAL_POINTS;
  const radii: number[] = [],
    weights: number[] = [];
  for (let i = 1; i <= RADIAL_POINTS; i++) {
    const u = i * step;
    radii.push(u);
    weights.push((i === RADIAL_POINTS ? 1 : i % 2 ? 4 : 2) * u ** (2 * narrow.n) * Math.exp(-a * u));
  }
  const total = weights.reduce((x, y) => x + y, 0);
  return (r) => {
    // The mean over a sphere of radius u about a point r away is the integral from |r − u| to r + u over 2 r u.
    let sum = 0;
    for (const [i, u] of radii.entries())
      sum += (weights[i]! * (integral(r + u) - integral(Math.abs(r - u)))) / (2 * r * u);
    return (COULOMB * sum) / total;
  };
}

/** Charge at which the orbital of hydrogen has no size left, by which its idempotential grows (Rappé & Goddard 1991). */
const HYDROGEN_LIMIT = 1.0698;
const ROUNDS = 12;

/** Solves A x = b in place by elimination with pivoting; A is n × n. */
function solveLinear(a: Float64Array[], b: Float64Array): Float64Array {
  const n = b.length;
  for (let k = 0; k < n; k++) {
    let best = k;
    for (let i = k + 1; i < n; i++) if (Math.abs(a[i]![k]!) > Math.abs(a[best]![k]!)) best = i;
    [a[k], a[best]] = [a[best]!, a[k]!];
    [b[k], b[best]] = [b[best]!, b[k]!];
    for (let i = k + 1; i < n; i++) {
      const f = a[i]![k]! / a[k]![k]!;
      if (!f) continue;
      for (let j = k; j < n; j++) a[i]![j]! -= f * a[k]![j]!;
      b[i]! -= f * b[k]!;
    }
  }
  for (let k = n - 1; k >= 0; k--) {
    for (let j = k + 1; j < n; j++) b[k]! -= a[k]![j]! * b[j]!;
    b[k]! /= a[k]![k]!;
  }
  return b;
}

/** Charges, in units of the elementary one, of the atoms of a molecule by itself with a given total. Positions Cartesian, Å. */
export function equalisedCharges(elements: readonly string[], at: readonly Vec3[], total = 0): Float64Array {
  const n = elements.length;
  if (n === 1) return Float64Array.of(total);
  const own = elements.map(ownTerms);
  const kinds = new Map<string, (r: number) => number>();
  const repulsion = (i: number, j: number): number => {
    const key = [elements[i]!, elements[j]!].sort().join(' ');
    let of = kinds.get(key);
    if (!of) kinds.set(key, (of = slaterRepulsion(own[i]!, own[j]!)));
    return of(norm(subtract(at[i]!, at[j]!)));
  };
  const pairs = elements.map(() => new Float64Array(n));
  for (let i = 0; i < n; i++) for (let j = 0; j < i; j++) pairs[i]![j] = pairs[j]![i] = repulsion(i, j);
  let charges = new Float64Array(n);
  for (let round = 0; round < ROUNDS; round++) {
    // Equal electronegativities χ + J q + Σ J_ij q_j = μ, and the total; μ is the last unknown.
    const a = elements.map((e, i) => {
      const row = Float64Array.from([...pairs[i]!, -1]);
      row[i] = own[i]!.idempotential * (isHydrogen(e) ? Math.max(0.5, 1 + charges[i]! / HYDROGEN_LIMIT) : 1);
      return row;
    });
    a.push(Float64Array.from({ length: n + 1 }, (_, j) => (j < n ? 1 : 0)));
    const b = Float64Array.from([...own.map((x) => -x.electronegativity), total]);
    const found = solveLinear(a, b).subarray(0, n);
    const moved = found.reduce((m, q, i) => Math.max(m, Math.abs(q - charges[i]!)), 0);
    // Half the way: the growth of hydrogen's idempotential would overshoot.
    charges = charges.map((q, i) => (round ? (q + found[i]!) / 2 : found[i]!));
    if (moved < 1e-5) break;
  }
  const excess = (charges.reduce((p, q) => p + q, 0) - total) / n;
  return charges.map((q) => q - excess);
}
