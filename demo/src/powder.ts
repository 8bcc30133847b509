/**
 * Simulated powder patterns. Profiles are summed over the whole range without any cut-off, and written out plainly: this is also the direct
 * evaluation that the fast one is tested against.
 */
import { reciprocalMetric } from '@nagare/core/crystal/cell';
import type { Instrument, Pattern } from '@nagare/core/crystal/pattern';
import { allOperators } from '@nagare/core/crystal/space-group';
import { siteMultiplicity, type Structure } from '@nagare/core/crystal/structure';
import type { Random } from '@nagare/core/math/random';
import { zmv } from '@nagare/core/powder/model';
import { powderReflections } from '@nagare/core/powder/reflections';
import { dispersion, formFactor, gaussianFactor } from '@nagare/core/scattering/form-factor';

export interface PowderPhase {
  name: string;
  structure: Structure;
  weight: number;
  /** nm */
  size: number;
  /** 10⁻³ */
  strain: number;
  orientation?: { axis: readonly [number, number, number]; r: number };
}

export interface PowderMeasurement {
  from: number;
  to: number;
  step: number;
  instrument: Instrument;
  /** Counts of the strongest reflection above the background. */
  counts: number;
  /** Background at 2θ, counts. */
  background: (twoTheta: number) => number;
  displacement: number;
  zero: number;
}

/** |F|² averaged over Friedel pairs by a direct sum over all atoms of the cell. */
export function directF2(s: Structure, h: number, k: number, l: number, wavelength: number): number {
  const g = reciprocalMetric(s.cell);
  const s2 = (h * h * g[0] + k * k * g[4] + l * l * g[8] + 2 * (h * k * g[1] + h * l * g[2] + k * l * g[5])) / 4;
  let total = 0;
  for (const sign of [1, -1]) {
    let a = 0,
      b = 0;
    for (const site of s.sites) {
      const operators = allOperators(s.spaceGroup);
      const f = formFactor(gaussianFactor(site.element), Math.sqrt(s2)),
        d = dispersion(site.element, wavelength);
      const share = (site.occupancy * siteMultiplicity(s, site)) / operators.length;
      if (site.displacement.kind !== 'iso') throw new Error('The direct sum takes isotropic sites only.');
      const t = Math.exp(-8 * Math.PI * Math.PI * site.displacement.u * s2) * share;
      for (const o of operators) {
        const x = [0, 1, 2].map(
          (i) =>
            o.r[3 * i]! * site.position[0] +
            o.r[3 * i + 1]! * site.position[1] +
            o.r[3 * i + 2]! * site.position[2] +
            o.t[i]!,
        );
        const phase = sign * 2 * Math.PI * (h * x[0]! + k * x[1]! + l * x[2]!);
        a += t * ((f + d.f1) * Math.cos(phase) - d.f2 * Math.sin(phase));
        b += t * ((f + d.f1) * Math.sin(phase) + d.f2 * Math.cos(phase));
      }
    }
    total += (a * a + b * b) / 2;
  }
  return total;
}

/** Mean of the March function over all rotations of the Laue group. */
function march(p: PowderPhase, h: number, k: number, l: number): number {
  if (!p.orientation) return 1;
  const g = reciprocalMetric(p.structure.cell),
    { axis, r } = p.orientation;
  const dot = (u: readonly number[], v: readonly number[]): number =>
    u.reduce((sum, x, i) => sum + x * (g[3 * i]! * v[0]! + g[3 * i + 1]! * v[1]! + g[3 * i + 2]! * v[2]!), 0);
  const operators = p.structure.spaceGroup.representatives;
  let sum = 0;
  for (const { r: m } of operators) {
    const e = [h * m[0] + k * m[3] + l * m[6], h * m[1] + k * m[4] + l * m[7], h * m[2] + k * m[5] + l * m[8]];
    const c = dot(e, axis) ** 2 / (dot(e, e) * dot(axis, axis));
    sum += (r * r * c + (1 - c) / r) ** -1.5;
  }
  return sum / operators.length;
}

/** Unit-area profile about a position (all in degrees but theta), axial divergence by a fine trapezoid over the height. */
export function directProfile(
  position: number,
  theta: number,
  gauss: number,
  lorentz: number,
  sample: number,
  detector: number,
): (x: number) => number {
  const width =
    (gauss ** 5 +
      2.69269 * gauss ** 4 * lorentz +
      2.42843 * gauss ** 3 * lorentz ** 2 +
      4.47163 * gauss ** 2 * lorentz ** 3 +
      0.07842 * gauss * lorentz ** 4 +
      lorentz ** 5) **
    0.2;
  const q = lorentz / width,
    eta = 1.36603 * q - 0.47719 * q * q + 0.11116 * q ** 3;
  const bell = (1 - eta) * 2 * Math.sqrt(Math.LN2 / Math.PI);
  const voigt = (u: number): number =>
    (2 * eta) / (Math.PI * width * (1 + 4 * (u / width) ** 2)) +
    (bell * Math.exp(-4 * Math.LN2 * (u / width) ** 2)) / width;
  if (!sample || !detector) return (x) => voigt(x - position);
  const { shifts, weights, norm } = axialShifts(theta, sample, detector);
  return (x) => {
    const from = x - position;
    let sum = 0;
    for (let i = 0; i < shifts.length; i++) sum += weights[i]! * voigt(from - shifts[i]!);
    return sum / norm;
  };
}

/** Where the heights of a divergent beam put the line (degrees from its own place), and how much each of them counts. */
function axialShifts(
  theta: number,
  sample: number,
  detector: number,
): { shifts: Float64Array; weights: Float64Array; norm: number } {
  const n = 400,
    top = sample + detector;
  const shifts = new Float64Array(n),
    weights = new Float64Array(n);
  let norm = 0;
  for (let i = 0; i < n; i++) {
    const h = (top * (i + 0.5)) / n;
    const at = Math.acos(Math.max(-1, Math.min(1, Math.cos(2 * theta) * Math.sqrt(1 + h * h))));
    weights[i] =
      (h < Math.abs(sample - detector) ? 2 * Math.min(sample, detector) : top - h) / ((1 + h * h) * Math.sin(at));
    shifts[i] = ((at - 2 * theta) * 180) / Math.PI;
    norm += weights[i]!;
  }
  return { shifts, weights, norm };
}

/** Noise-free contribution of a phase at unit scale. */
export function directPattern(p: PowderPhase, m: PowderMeasurement, xs: Float64Array): Float64Array {
  const out = new Float64Array(xs.length),
    i = m.instrument,
    w = i.profile;
  const g = reciprocalMetric(p.structure.cell);
  const dMin = i.lines[0]!.wavelength / (2 * Math.sin(((m.to + 1) * Math.PI) / 360));
  const list = powderReflections(p.structure.cell, p.structure.spaceGroup, dMin);
  for (let r = 0; r < list.count; r++) {
    const h = list.h[r]!,
      k = list.k[r]!,
      l = list.l[r]!;
    const d =
      1 / Math.sqrt(h * h * g[0] + k * k * g[4] + l * l * g[8] + 2 * (h * k * g[1] + h * l * g[2] + k * l * g[5]));
    const f2 = directF2(p.structure, h, k, l, i.lines[0]!.wavelength) * march(p, h, k, l);
    for (const line of i.lines) {
      const sine = line.wavelength / (2 * d);
      if (sine >= 0.999) continue;
      const theta = Math.asin(sine),
        tan = Math.tan(theta),
        cos = Math.cos(theta);
      const mono = Math.cos((i.monochromator * Math.PI) / 180) ** 2;
      const lp = (1 + mono * Math.cos(2 * theta) ** 2) / ((1 + mono) * sine * sine * cos);
      const shift =
        i.geometry === 'flat specimen'
          ? (-2 * m.displacement * cos) / i.radius
          : (-m.displacement * Math.sin(2 * theta)) / i.radius;
      const position = (2 * theta + shift) * (180 / Math.PI) + i.zero + m.zero;
      const gauss = Math.sqrt(w.u * tan * tan + w.v * tan + w.w);
      const lorentz =
        w.x * tan +
        w.y / cos +
        ((180 / Math.PI) * 0.9 * line.wavelength) / (10 * p.size * cos) +
        (180 / Math.PI) * 4e-3 * p.strain * tan;
      const area = line.weight * list.multiplicity[r]! * lp * f2;
      const profile = directProfile(position, theta, gauss, lorentz, w.sampleHeight, w.detectorHeight);
      for (let n = 0; n < xs.length; n++) out[n]! += area * profile(xs[n]!);
    }
  }
  return out;
}

const poisson = (mean: number, random: Random): number =>
  Math.max(0, Math.round(mean + Math.sqrt(mean) * random.normal()));

/** A counted pattern of a mixture; scales follow from the weights through Z M V. */
export function measurePowder(
  name: string,
  phases: readonly PowderPhase[],
  m: PowderMeasurement,
  random: Random,
  glass = 0,
): Pattern {
  const n = Math.round((m.to - m.from) / m.step) + 1;
  const twoTheta = Float64Array.from({ length: n }, (_, i) => Number((m.from + i * m.step).toFixed(5)));
  const parts = phases.map((p) => directPattern(p, m, twoTheta).map((y) => (y * p.weight) / zmv(p.structure)));
  const sum = new Float64Array(n);
  for (const p of parts) for (let i = 0; i < n; i++) sum[i]! += p[i]!;
  const top = sum.reduce((a, b) => Math.max(a, b), 0);
  const intensity = sum.map((y, i) =>
    poisson(
      (m.counts * y) / top + m.background(twoTheta[i]!) + glass * Math.exp(-(((twoTheta[i]! - 24) / 9) ** 2)),
      random,
    ),
  );
  return { name, twoTheta, intensity, sigma: intensity.map((y) => Math.sqrt(Math.max(1, y))), sigmaFrom: 'counts' };
}
