/** Atomic scattering: analytic form factors, dispersion, absorption. Tables and their sources are in ./tables. */
import anomalous from './tables/anomalous.json' with { type: 'json' };
import factors from './tables/form-factors.json' with { type: 'json' };
import { elementOf } from '../crystal/elements.ts';
import type { Formula } from '../crystal/formula.ts';

/** a₁…aₙ, b₁…bₙ, c of f0(s) = Σ aᵢ exp(−bᵢ s²) + c. */
export interface GaussianFactor {
  a: readonly number[];
  b: readonly number[];
  c: number;
}

const neutral = factors.neutral as Record<string, number[]>;

const unpack = (row: readonly number[]): GaussianFactor => {
  const n = (row.length - 1) / 2;
  return { a: row.slice(0, n), b: row.slice(n, 2 * n), c: row[2 * n]! };
};

/** Form factor of a neutral atom; hydrogen as the spherical bonded atom (Stewart, Davidson & Simpson 1965). Throws RangeError for an element without a table. */
export function gaussianFactor(symbol: string): GaussianFactor {
  if (symbol === 'H' || symbol === 'D') return unpack(factors.bondedHydrogen);
  const row = neutral[symbol];
  if (!row) throw new RangeError(`There is no form factor for "${symbol}".`);
  return unpack(row);
}

/** f0 in electrons at s = sin θ/λ (Å⁻¹). */
export function formFactor(f: GaussianFactor, s: number): number {
  const s2 = s * s;
  let sum = f.c;
  for (let i = 0; i < f.a.length; i++) sum += f.a[i]! * Math.exp(-f.b[i]! * s2);
  return sum;
}

export interface Dispersion {
  /** f′ and f″, electrons. */
  f1: number;
  f2: number;
  /** Total mass attenuation, cm²/g. */
  muRho: number;
}

interface Row {
  lines: Record<string, number[]>;
  f1: number[];
  f2: number[];
  mu: number[];
  nearEnergy: number[];
  nearF1: number[];
  nearF2: number[];
}
const elements = anomalous.elements as unknown as Record<string, Row>;
const wavelengths = anomalous.wavelengths as Record<string, { Ka1: number; Ka2: number }>;
const KEV_ANGSTROM = 12.398419843;

function interpolate(x: readonly number[], y: readonly number[], at: number): number {
  if (at <= x[0]!) return y[0]!;
  let hi = x.length - 1;
  if (at >= x[hi]!) return y[hi]!;
  let lo = 0;
  while (hi - lo > 1) {
    const mid = (lo + hi) >> 1;
    if (x[mid]! <= at) lo = mid;
    else hi = mid;
  }
  return y[lo]! + ((y[hi]! - y[lo]!) * (at - x[lo]!)) / (x[hi]! - x[lo]!);
}

/** Mean Kα wavelength (2 Kα1 + Kα2)/3 of an anode, Å. */
export const meanWavelength = (anode: string): number | undefined => {
  const w = wavelengths[anode];
  return w && (2 * w.Ka1 + w.Ka2) / 3;
};

/** Anode whose Kα line lies within 0.15 % of a wavelength. */
export const anodeFor = (wavelength: number): string | undefined =>
  Object.keys(wavelengths).find((a) => Math.abs(meanWavelength(a)! / wavelength - 1) < 0.0015);

/** Dispersion and attenuation of an element at a wavelength (Å): tabulated at the usual K lines, interpolated elsewhere. */
export function dispersion(symbol: string, wavelength: number): Dispersion {
  const row = elements[symbol === 'D' ? 'H' : symbol];
  if (!row) return { f1: 0, f2: 0, muRho: 0 };
  const anode = anodeFor(wavelength);
  const line = anode && row.lines[anode];
  if (line) return { f1: line[0]!, f2: line[1]!, muRho: line[2]! };
  const energy = KEV_ANGSTROM / wavelength;
  const muRho = interpolate(anomalous.energy, row.mu, energy);
  const near = row.nearEnergy;
  if (near?.length && energy > near[0]! && energy < near[near.length - 1]!)
    return { f1: interpolate(near, row.nearF1, energy), f2: interpolate(near, row.nearF2, energy), muRho };
  return {
    f1: interpolate(anomalous.energy, row.f1, energy),
    f2: interpolate(anomalous.energy, row.f2, energy),
    muRho,
  };
}

/** Linear absorption coefficient in mm⁻¹ of `z` formula units in a cell of `volume` Å³. */
export function absorptionCoefficient(formula: Formula, z: number, volume: number, wavelength: number): number {
  let barns = 0;
  for (const [e, n] of Object.entries(formula)) barns += n * elementOf(e).weight * dispersion(e, wavelength).muRho;
  return (barns * z * 1.66053907) / volume / 10;
}
