/**
 * The density of a molecule divided among its atoms: each takes at every point the share that its averaged free atom has in the
 * sum of all free atoms (Hirshfeld 1977). Shares are expanded in harmonics about their nuclei.
 */
import { elementOf } from '../crystal/elements.ts';
import { sphericalHarmonics } from '../math/spherical-harmonics.ts';
import type { Vec3 } from '../math/matrix3.ts';
import type { TaskContext } from '../task-context.ts';
import { Crew, FEW_FUNCTIONS, shared, sharedDoubles, type Workshop } from './crew.ts';
import type { Basis, Centre } from './gaussian.ts';
import { densityAt } from './grid-density.ts';
import { radialGrid } from './radial-grid.ts';
import { spherePoints, type SpherePoints, type SphereSize } from './sphere-points.ts';
import { atomDensity, type SphericalAtom } from './spherical-atom.ts';
import type { Wavefunction } from './wavefunction.ts';

/** Logarithms of a density, bohr at which it ends. */
interface RadialTable {
  readonly logs: Float64Array;
  readonly reach: number;
}

/** Density of an averaged atom as a table in ln(1 + r/c), its logarithm interpolated. */
export class RadialDensity {
  private static readonly CORE = 0.02;
  private static readonly STEP = 0.004;

  /** `reach`: bohr beyond which there is nothing. */
  constructor(
    private readonly logs: Float64Array,
    readonly reach: number,
  ) {}

  static of(density: (r: number) => number, reach = 14): RadialDensity {
    const { CORE, STEP } = RadialDensity;
    const count = Math.ceil(Math.log(1 + reach / CORE) / STEP) + 2;
    const logs = Float64Array.from({ length: count }, (_, i) =>
      Math.log(Math.max(1e-300, density(CORE * Math.expm1(i * STEP)))),
    );
    return new RadialDensity(logs, reach);
  }

  /** What another thread makes the same of. */
  get table(): RadialTable {
    return { logs: this.logs, reach: this.reach };
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
  return new Map([...atoms].map(([element, atom]) => [element, RadialDensity.of((r) => atomDensity(atom, r))]));
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

/** What every thread needs to make shares; plain data, the arrays in shared memory. */
export interface SharesPlan {
  readonly kind: 'shares';
  readonly centres: readonly Centre[];
  readonly basis: Basis;
  readonly total: Float64Array;
  /** Free atoms of the centres. */
  readonly free: readonly RadialTable[];
  readonly of: readonly number[];
  readonly fineness: ShareFineness;
  /** Of each share: number of its radii, electrons; then its radii, weights and moments, with room for all spheres. */
  readonly out: Float64Array;
}

const roomOf = ({ radial, order }: ShareFineness): number => 2 + radial * (2 + (order + 1) ** 2);

/** Makes one share a part. */
export class SharesWorkshop implements Workshop {
  private readonly free: readonly RadialDensity[];

  constructor(readonly plan: SharesPlan) {
    this.free = plan.free.map(({ logs, reach }) => new RadialDensity(logs, reach));
  }

  async part(_step: number, index: number, context: TaskContext): Promise<void> {
    const { centres, of, fineness, out } = this.plan;
    const centre = of[index]!;
    const spheres = await spheresAbout(this.plan, this.free[centre]!, centre, fineness, context);
    const { radii, weights, moments, electrons } = shareOf(centres, this.free, spheres, fineness.order);
    const at = index * roomOf(fineness),
      n = radii.length;
    out.set([n, electrons], at);
    out.set(radii, at + 2);
    out.set(weights, at + 2 + n);
    out.set(moments, at + 2 + 2 * n);
  }

  share(index: number): AtomShare {
    const { of, fineness, out } = this.plan,
      { order } = fineness;
    const [n, electrons] = out.subarray(index * roomOf(fineness)) as unknown as [number, number];
    const from = index * roomOf(fineness) + 2;
    return {
      centre: of[index]!,
      radii: out.slice(from, from + n),
      weights: out.slice(from + n, from + 2 * n),
      order,
      moments: out.slice(from + 2 * n, from + n * (2 + (order + 1) ** 2)),
      electrons,
    };
  }
}

/** Shares of the atoms asked for (all without `of`). */
export async function stockholderShares(
  w: Wavefunction,
  free: readonly RadialDensity[],
  context: TaskContext,
  of: readonly number[] = w.molecule.centres.map((_, i) => i),
  fineness: ShareFineness = USUAL_SHARES,
): Promise<AtomShare[]> {
  const workshop = new SharesWorkshop({
    kind: 'shares',
    centres: w.molecule.centres,
    basis: w.basis,
    total: shared(w.total),
    free: free.map((x) => x.table),
    of,
    fineness,
    out: sharedDoubles(of.length * roomOf(fineness)),
  });
  const crew = new Crew<SharesPlan>([{ plan: workshop.plan, workshop }], w.basis.size >= FEW_FUNCTIONS);
  await crew.during(context, () => crew.run(workshop, 0, of.length, context));
  return of.map((_, i) => workshop.share(i));
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

/** Of the density `total` in a basis; `free` says how far out the spheres go. */
export async function spheresAbout(
  { centres, basis, total }: Pick<SharesPlan, 'centres' | 'basis' | 'total'>,
  free: ProAtom,
  centre: number,
  { radial, sphere }: ShareFineness,
  context: TaskContext,
): Promise<Spheres> {
  const own = centres[centre]!;
  const grid = radialGrid(radial, Math.max(0.8, elementOf(own.element).covalentRadius));
  const spheres: Sphere[] = [];
  for (const [k, radius] of grid.r.entries()) {
    if (free.at(radius) <= THIN) continue;
    const around = spherePoints(radius < INNER && sphere > 110 ? 110 : sphere);
    const points = Float64Array.from(around.points.flatMap((u) => u.map((x, d) => own.position[d]! + radius * x)));
    const density = await densityAt(basis, total, points, context);
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
