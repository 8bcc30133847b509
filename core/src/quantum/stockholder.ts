/**
 * The density of a molecule divided among its atoms: each takes at every point the share that its averaged free atom has in the
 * sum of all free atoms (Hirshfeld 1977). Shares are expanded in harmonics about their nuclei.
 */
import { elementOf } from '../crystal/elements.ts';
import { sphericalHarmonics } from '../math/spherical-harmonics.ts';
import type { Vec3 } from '../math/matrix3.ts';
import type { TaskContext } from '../task-context.ts';
import type { Centre } from './gaussian.ts';
import { densityAt } from './grid-density.ts';
import { radialGrid } from './radial-grid.ts';
import { spherePoints, type SpherePoints, type SphereSize } from './sphere-points.ts';
import { atomDensity, type SphericalAtom } from './spherical-atom.ts';
import type { Wavefunction } from './wavefunction.ts';

/** Density of an averaged atom as a table in ln(1 + r/c), its logarithm interpolated. */
export class RadialDensity {
  private static readonly CORE = 0.02;
  private static readonly STEP = 0.004;
  private readonly logs: Float64Array;

  /** `reach`: bohr beyond which there is nothing. */
  constructor(
    density: (r: number) => number,
    readonly reach = 14,
  ) {
    const { CORE, STEP } = RadialDensity;
    const count = Math.ceil(Math.log(1 + reach / CORE) / STEP) + 2;
    this.logs = Float64Array.from({ length: count }, (_, i) =>
      Math.log(Math.max(1e-300, density(CORE * Math.expm1(i * STEP)))),
    );
  }

  at(r: number): number {
    if (r >= this.reach) return 0;
    const x = Math.log(1 + r / RadialDensity.CORE) / RadialDensity.STEP,
      i = Math.floor(x);
    return Math.exp(this.logs[i]! + (x - i) * (this.logs[i + 1]! - this.logs[i]!));
  }
}

/** Free atoms of a wavefunction, by element. */
export function freeAtoms(atoms: ReadonlyMap<string, SphericalAtom>): ReadonlyMap<string, RadialDensity> {
  return new Map([...atoms].map(([element, atom]) => [element, new RadialDensity((r) => atomDensity(atom, r))]));
}

/** Shares are followed to where the free atom is thinner than this, electrons/bohr³. */
const THIN = 1e-7;

/** One atom's share, on spheres about its nucleus. */
export interface AtomShare {
  /** Index of the nucleus in the molecule. */
  readonly centre: number;
  /** bohr. */
  readonly radii: Float64Array;
  /** Radial weights with r² in them. */
  readonly weights: Float64Array;
  /** Highest order of the harmonics. */
  readonly order: number;
  /** ρ_lm(r), (order + 1)² for each radius, electrons/bohr³. */
  readonly moments: Float64Array;
  /** Electrons of the share. */
  readonly electrons: number;
}

export interface ShareFineness {
  readonly radial: number;
  readonly sphere: SphereSize;
  readonly order: number;
}

export const USUAL_SHARES: ShareFineness = { radial: 60, sphere: 302, order: 10 };

/** What an atom is before it bonds: its density by the distance from the nucleus. */
export type ProAtom = Pick<RadialDensity, 'at'>;

/** Shares of the atoms asked for (all without `of`). */
export async function stockholderShares(
  w: Wavefunction,
  free: readonly ProAtom[],
  context: TaskContext,
  of: readonly number[] = w.molecule.centres.map((_, i) => i),
  fineness: ShareFineness = USUAL_SHARES,
): Promise<AtomShare[]> {
  const out: AtomShare[] = [];
  for (const centre of of) {
    await context.breath();
    const spheres = await spheresAbout(w, free[centre]!, centre, fineness, context);
    out.push(shareOf(w.molecule.centres, free, spheres, fineness.order));
  }
  return out;
}

/** Spheres about a nucleus near which the density is round are coarser. */
const INNER = 0.35;

interface Sphere {
  readonly radius: number;
  /** Radial weight with r² in it. */
  readonly weight: number;
  readonly around: SpherePoints;
  /** bohr */
  readonly points: Float64Array;
  /** electrons/bohr³ */
  readonly density: Float64Array;
}

/** The density of a molecule on spheres about one nucleus, before it is divided. */
export interface Spheres {
  readonly centre: number;
  readonly spheres: readonly Sphere[];
}

/** `free` says how far out the spheres go. */
export async function spheresAbout(
  w: Wavefunction,
  free: ProAtom,
  centre: number,
  { radial, sphere }: ShareFineness,
  context: TaskContext,
): Promise<Spheres> {
  const own = w.molecule.centres[centre]!;
  const grid = radialGrid(radial, Math.max(0.8, elementOf(own.element).covalentRadius));
  const spheres: Sphere[] = [];
  for (const [k, radius] of grid.r.entries()) {
    if (free.at(radius) <= THIN) continue;
    const around = spherePoints(radius < INNER && sphere > 110 ? 110 : sphere);
    const points = Float64Array.from(around.points.flatMap((u) => u.map((x, d) => own.position[d]! + radius * x)));
    const density = await densityAt(w.basis, w.total, points, context);
    spheres.push({ radius, weight: grid.weights[k]! * radius * radius, around, points, density });
  }
  return { centre, spheres };
}

/** An atom's part of the density on its spheres, in harmonics. */
export function shareOf(
  centres: readonly Centre[],
  free: readonly ProAtom[],
  { centre, spheres }: Spheres,
  order: number,
): AtomShare {
  const width = (order + 1) ** 2;
  const moments = new Float64Array(spheres.length * width);
  let electrons = 0;
  for (const [n, { radius, weight, around, points, density }] of spheres.entries()) {
    const highest = Math.min(order, Math.floor(around.order / 2));
    around.points.forEach((u, i) => {
      const at = points.subarray(3 * i, 3 * i + 3);
      const share = density[i]! * portion(centres, free, centre, radius, at) * around.weights[i]! * 4 * Math.PI;
      moments[n * width]! += share * Y00;
      sphericalHarmonics(u[0], u[1], u[2], highest).forEach((y, m) => (moments[n * width + 1 + m]! += share * y));
    });
    electrons += (weight * moments[n * width]!) / Y00;
  }
  const radii = Float64Array.from(spheres, (x) => x.radius),
    weights = Float64Array.from(spheres, (x) => x.weight);
  return { centre, radii, weights, order, moments, electrons };
}

const Y00 = 1 / Math.sqrt(4 * Math.PI);

/** Share of a free atom in all of them at a point that is r from its nucleus. */
function portion(
  centres: readonly Centre[],
  free: readonly ProAtom[],
  own: number,
  r: number,
  at: Float64Array,
): number {
  const mine = free[own]!.at(r);
  let sum = mine;
  for (let c = 0; c < centres.length; c++) {
    if (c === own) continue;
    const p = centres[c]!.position;
    sum += free[c]!.at(Math.hypot(at[0]! - p[0], at[1]! - p[1], at[2]! - p[2]));
  }
  return sum > 0 ? mine / sum : 0;
}

/** Spherical Bessel functions j_0 … j_order of x (Abramowitz & Stegun 10.1.19), downward where upward is unstable. */
export function sphericalBessel(x: number, order: number, out: Float64Array): void {
  if (x < 1e-8) {
    out.fill(0, 0, order + 1);
    out[0] = 1;
    return;
  }
  const first = Math.sin(x) / x;
  if (x > order) {
    out[0] = first;
    if (order) out[1] = (first - Math.cos(x)) / x;
    for (let l = 1; l < order; l++) out[l + 1] = ((2 * l + 1) * out[l]!) / x - out[l - 1]!;
    return;
  }
  let above = 0,
    here = 1e-280;
  for (let l = order + 16; l > 0; l--) {
    const below = ((2 * l + 1) * here) / x - above;
    above = here;
    here = below;
    if (l - 1 <= order) out[l - 1] = here;
    if (Math.abs(here) > 1e200) {
      for (let k = l - 1; k <= order; k++) out[k]! *= 1e-250;
      above *= 1e-250;
      here *= 1e-250;
    }
  }
  // j_0 may vanish where j_1 does not: the larger sets the scale.
  const second = (first - Math.cos(x)) / x;
  const scale = order && Math.abs(second) > Math.abs(first) ? second / out[1]! : first / out[0]!;
  for (let l = 0; l <= order; l++) out[l]! *= scale;
}

/**
 * ∫ ρ(r) exp(iq·r) of a share about its nucleus, by 4π Σ iˡ Y_lm(q̂) ∫ ρ_lm j_l(qr) r² dr; the radial parts are kept for
 * vectors of the same length.
 */
export class ShareTransform {
  private readonly radial: Float64Array;
  private readonly bessel: Float64Array;
  private length = -1;

  constructor(private readonly share: AtomShare) {
    this.radial = new Float64Array((share.order + 1) ** 2);
    this.bessel = new Float64Array(share.order + 2);
  }

  private at(length: number): void {
    if (length === this.length) return;
    this.length = length;
    const { radii, weights, moments, order } = this.share,
      width = (order + 1) ** 2,
      { radial, bessel } = this;
    radial.fill(0);
    for (let k = 0; k < radii.length; k++) {
      sphericalBessel(length * radii[k]!, order, bessel);
      const base = k * width,
        w = weights[k]!;
      for (let l = 0, m = 0; l <= order; l++) {
        const factor = w * bessel[l]!;
        for (const end = (l + 1) ** 2; m < end; m++) radial[m]! += factor * moments[base + m]!;
      }
    }
  }

  /** Real and imaginary part for q in 1/bohr, into out[0], out[1]. */
  factor(q: Vec3, out: Float64Array): void {
    const { order } = this.share;
    const length = Math.hypot(...q);
    // Equivalents of a reflection differ in the last digit only.
    this.at(Math.abs(length - this.length) < 1e-9 ? this.length : length);
    let real = this.radial[0]! * Y00,
      imaginary = 0;
    if (length > 1e-12) {
      const y = sphericalHarmonics(q[0] / length, q[1] / length, q[2] / length, order);
      for (let l = 1, m = 0; l <= order; l++) {
        let sum = 0;
        for (const end = (l + 1) ** 2 - 1; m < end; m++) sum += y[m]! * this.radial[m + 1]!;
        // iˡ
        if (l % 2) imaginary += l % 4 === 1 ? sum : -sum;
        else real += l % 4 === 0 ? sum : -sum;
      }
    }
    out[0] = 4 * Math.PI * real;
    out[1] = 4 * Math.PI * imaginary;
  }
}
