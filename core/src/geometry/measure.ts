/** Measures of atoms with s.u. from the covariances of the refinement (or the file's s.u.) and of the cell. */
import { operatorOf, siteIndices, type AtomRef } from '../crystal/atom-ref.ts';
import { cellParameters, orthogonalization, type Cell } from '../crystal/cell.ts';
import { cellTies } from '../crystal/group-cell.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { applyOperator } from '../crystal/operator.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Measured } from '../crystal/uncertainty.ts';
import { Dual } from '../math/dual.ts';
import { apply3, multiply3, transpose3, type Mat3, type Vec3, toMat3 } from '../math/matrix3.ts';
import { covarianceOf, type CovarianceData } from '../refine/covariance.ts';
import { siteOffset } from '../refine/parameters.ts';
import { valuesOf, variablePoints, type Figure } from './figures.ts';

/** Å or degrees. What symmetry fixes has no s.u.; the rounding of sums that cancel leaves less than this. */
const ROUNDING = 1e-9;
const rootOf = (variance: number): number => (variance > ROUNDING ** 2 ? Math.sqrt(variance) : 0);

/** Where the uncertainty of a measure comes from. */
export type UncertaintySource = 'covariance' | 'file' | 'none';

export interface MeasuredFigure {
  readonly values: readonly number[];
  readonly su: readonly number[];
  readonly source: UncertaintySource;
}

const knownSources = new WeakMap<Structure, UncertaintySource>();

/** Whether any site says how well it is known; the cell's s.u. alone would pretend to a precision that is not there. */
function sourceOf(s: Structure, covariance: CovarianceData | undefined): UncertaintySource {
  if (covariance) return 'covariance';
  let source = knownSources.get(s);
  if (!source) {
    source = s.sites.some((x) => x.positionSu?.some((u) => u > 0)) ? 'file' : 'none';
    knownSources.set(s, source);
  }
  return source;
}

const knownSlopes = new WeakMap<Cell, Mat3[]>();
/** The slopes of a cell, worked out once. */
function slopesOfCell(cell: Cell): Mat3[] {
  let slopes = knownSlopes.get(cell);
  if (!slopes) knownSlopes.set(cell, (slopes = orthogonalizationSlopes(cell)));
  return slopes;
}

/** ∂A/∂p of the orthogonalization matrix for a, b, c (Å) and α, β, γ (degrees). */
export function orthogonalizationSlopes(cell: Cell): Mat3[] {
  const n = 6;
  const rad = Math.PI / 180;
  const p = cellParameters(cell).map((x, i) => Dual.variable(x, i, n));
  const cosine = (d: Dual): Dual =>
    new Dual(
      Math.cos(d.value * rad),
      d.gradient.map((g) => -g * Math.sin(d.value * rad) * rad),
    );
  const sine = (d: Dual): Dual =>
    new Dual(
      Math.sin(d.value * rad),
      d.gradient.map((g) => g * Math.cos(d.value * rad) * rad),
    );
  const [a, b, c, alpha, beta, gamma] = p as [Dual, Dual, Dual, Dual, Dual, Dual];
  const ca = cosine(alpha),
    cb = cosine(beta),
    cg = cosine(gamma),
    sg = sine(gamma);
  // sin²γ c_z² = 1 − cos²α − cos²β − cos²γ + 2 cosα cosβ cosγ, with c = 1.
  const square = ca
    .times(ca)
    .plus(cb.times(cb))
    .plus(cg.times(cg))
    .times(-1)
    .plus(1)
    .plus(ca.times(cb).times(cg).times(2));
  const zero = Dual.constant(0, n);
  const entries = [
    a,
    b.times(cg),
    c.times(cb),
    zero,
    b.times(sg),
    c.times(ca.minus(cb.times(cg))).over(sg),
    zero,
    zero,
    c.times(square.root()).over(sg),
  ];
  return Array.from({ length: n }, (_, k) => toMat3(entries.map((e) => e.gradient[k]!)));
}

/** Cartesian positions of atoms, Å. Throws RangeError where a site is gone. */
export function cartesianOf(s: Structure, refs: readonly AtomRef[]): Vec3[] {
  const m = orthogonalization(s.cell);
  return fractionalOf(s, refs).map((x) => apply3(m, x));
}

function fractionalOf(s: Structure, refs: readonly AtomRef[]): Vec3[] {
  const index = siteIndices(s);
  return refs.map((ref) => {
    const i = index.get(ref.site);
    if (i === undefined) throw new RangeError('An atom of this measure is not in the model any more.');
    return applyOperator(operatorOf(s.spaceGroup, ref), s.sites[i]!.position);
  });
}

const placedSites = new WeakMap<Structure, ReadonlySet<string>>();

/** Hydrogens that were placed, not refined: they ride by the model's own rules, or a file gives them no s.u. */
function placed(s: Structure): ReadonlySet<string> {
  const known = placedSites.get(s);
  if (known) return known;
  const held = new Set(
    s.controls?.hydrogens.flatMap((g) => (g.hold === 'riding' || g.hold === 'rotating' ? g.hydrogens : [])),
  );
  for (const x of s.sites)
    if (isHydrogen(x.element) && x.positionSu && !x.positionSu.some((u) => u > 0)) held.add(x.id);
  placedSites.set(s, held);
  return held;
}

export interface Spread {
  readonly source: UncertaintySource;
  /** The s.u. of a value whose gradient by the atoms' Cartesian coordinates is given, three numbers an atom. */
  of(gradient: Float64Array): number;
}

/**
 * How the uncertainties of atoms carry over to values of them: s.u.² = g V gᵀ. V holds the covariances of the sites'
 * coordinates (of the refinement, or the file's s.u. as independent) and the s.u. of the cell, constants that symmetry
 * makes equal varying together. Zero where nothing is known of the sites' s.u., and where a hydrogen is among the atoms that
 * was placed and not refined: what is not refined has no s.u. Points that symmetry fixes (fractional)
 * follow the atoms; they move with the cell alone.
 */
export function spreadOf(
  s: Structure,
  refs: readonly AtomRef[],
  covariance?: CovarianceData,
  fixed: readonly Vec3[] = [],
): Spread {
  const source = sourceOf(s, covariance);
  const held = placed(s);
  if (source === 'none' || refs.some((r) => held.has(r.site))) return { source: 'none', of: () => 0 };
  const sites = siteSlopes(s, refs, orthogonalization(s.cell));
  const cell = cellSlopes(s, [...fractionalOf(s, refs), ...fixed]);
  return {
    source,
    of: (gradient) => rootOf(siteVariance(s, sites(gradient), covariance) + cellVariance(s, cell(gradient))),
  };
}

/** Values and s.u. of a figure of atoms, and of points (fractional) that symmetry fixes after them, by its analytic Jacobian. */
export function measureFigure(
  s: Structure,
  refs: readonly AtomRef[],
  figure: Figure,
  covariance?: CovarianceData,
  fixed: readonly Vec3[] = [],
): MeasuredFigure {
  const m = orthogonalization(s.cell);
  const places = [...cartesianOf(s, refs), ...fixed.map((x) => apply3(m, x))];
  const { source, of } = spreadOf(s, refs, covariance, fixed);
  if (source === 'none') {
    const values = valuesOf(figure, places);
    return { values, su: values.map(() => 0), source };
  }
  const out = figure(variablePoints(places));
  return { values: out.map((d) => d.value), su: out.map((d) => of(d.gradient)), source };
}

/** Carries a gradient by Cartesian coordinates of copies to one by fractional coordinates of the sites. */
function siteSlopes(s: Structure, refs: readonly AtomRef[], m: Mat3): (gradient: Float64Array) => Map<number, Vec3> {
  const index = siteIndices(s);
  const through = refs.map((ref) => ({
    site: index.get(ref.site)!,
    matrix: multiply3(m, operatorOf(s.spaceGroup, ref).r),
  }));
  return (gradient) => {
    const sites = new Map<number, Vec3>();
    through.forEach(({ site, matrix }, i) => {
      const g: Vec3 = [gradient[3 * i]!, gradient[3 * i + 1]!, gradient[3 * i + 2]!];
      const slope = apply3(transpose3(matrix), g);
      const before = sites.get(site) ?? [0, 0, 0];
      sites.set(site, [before[0] + slope[0], before[1] + slope[1], before[2] + slope[2]]);
    });
    return sites;
  };
}

function siteVariance(s: Structure, slopes: ReadonlyMap<number, Vec3>, covariance: CovarianceData | undefined): number {
  let variance = 0;
  const row = (site: number): number => covariance?.siteIds.indexOf(s.sites[site]!.id) ?? -1;
  const list = [...slopes].map(([site, slope]) => ({ site, slope, row: row(site) }));
  for (const p of list)
    for (const q of list) {
      if (covariance && p.row >= 0 && q.row >= 0) {
        for (let i = 0; i < 3; i++)
          for (let j = 0; j < 3; j++)
            variance +=
              p.slope[i]! * q.slope[j]! * covarianceOf(covariance, siteOffset(p.row) + i, siteOffset(q.row) + j);
      } else if (p === q)
        for (let i = 0; i < 3; i++) variance += (p.slope[i]! * (s.sites[p.site]!.positionSu?.[i] ?? 0)) ** 2;
    }
  return variance;
}

/** Carries a gradient by Cartesian coordinates to one by the six cell parameters, the fractional coordinates held. */
function cellSlopes(s: Structure, fractional: readonly Vec3[]): (gradient: Float64Array) => number[] {
  if (!s.cell.su?.some((x) => x > 0)) return () => [];
  const moved = slopesOfCell(s.cell).map((d) => fractional.map((x) => apply3(d, x)));
  return (gradient) =>
    moved.map((points) =>
      points.reduce(
        (sum, v, i) => sum + v[0] * gradient[3 * i]! + v[1] * gradient[3 * i + 1]! + v[2] * gradient[3 * i + 2]!,
        0,
      ),
    );
}

function cellVariance(s: Structure, slopes: readonly number[]): number {
  const { su } = s.cell;
  if (!su || !slopes.length) return 0;
  return cellTies(s.spaceGroup).reduce((sum, tied) => {
    const slope = tied.reduce((t, k) => t + slopes[k]!, 0);
    return sum + (slope * Math.max(...tied.map((k) => su[k]!))) ** 2;
  }, 0);
}

/** A figure with one value. */
export function measure(s: Structure, refs: readonly AtomRef[], figure: Figure, covariance?: CovarianceData): Measured {
  const { values, su } = measureFigure(s, refs, figure, covariance);
  return { value: values[0]!, su: su[0]! };
}
