/** How many electrons each site holds, from a converged model: which way its occupancy would move, before it moves. */
import type { Experiment } from '../crystal/experiment.ts';
import { elementOf } from '../crystal/elements.ts';
import { groupOrder } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, determinant3, inverse3, toMat3, type Mat3 } from '../math/matrix3.ts';
import { scatteringTable, SiteSums, STRIDE, type ScatteringTable } from '../scattering/structure-factors.ts';
import { elementsOf, siteArrays, type CalculatedData } from './single-crystal-problem.ts';
import { weightOf } from './weights.ts';

export interface SiteElectrons {
  readonly site: number;
  readonly electrons: number;
  readonly su: number;
  /** Another element that explains the data better, and the electrons that are counted with its form factor. */
  readonly better?: { readonly element: string; readonly electrons: number };
}

/** Electrons that a count may be off before other elements are tried. */
const TRIED_FROM = 0.4;

/** Reflections that say enough, and their number times sites times operators that is worth its time; of more, every so many. */
const ENOUGH = 2000;
const MOST_TERMS = 5e6;

/** Which of the reflections that were used are looked at, and the table of these elements at them. */
function lookedAt(
  { structure: s, reflections, wavelength }: Experiment,
  { used }: CalculatedData,
  elements: readonly string[],
): { chosen: number[]; table: ScatteringTable } {
  const terms = used.length * s.sites.length * groupOrder(s.spaceGroup);
  const step = Math.max(1, Math.floor(used.length / ENOUGH), Math.ceil(terms / MOST_TERMS));
  const chosen = Array.from({ length: Math.ceil(used.length / step) }, (_, i) => i * step);
  const of = (axis: Int16Array): Int16Array => Int16Array.from(chosen, (i) => axis[used[i]!]!);
  const hkl = { count: chosen.length, h: of(reflections.h), k: of(reflections.k), l: of(reflections.l) };
  return { chosen, table: scatteringTable(s.cell, s.spaceGroup, hkl, elements, wavelength) };
}

/** Observed and calculated values of the reflections that are looked at. */
interface Looked {
  readonly count: number;
  readonly s2: Float64Array;
  readonly fo2: Float64Array;
  readonly weight: Float64Array;
  readonly a: Float64Array;
  readonly b: Float64Array;
  /** What extinction and solvent make of |A + iB|². */
  readonly fc2: Float64Array;
}

function lookedOf({ weights }: Experiment, data: CalculatedData, chosen: readonly number[], s2: Float64Array): Looked {
  const of = (values: Float64Array): Float64Array => Float64Array.from(chosen, (i) => values[i]!);
  const [fo2, fc2, sigma] = [of(data.fo2), of(data.fc2), of(data.sigma)];
  const weight = fo2.map((fo, i) => weightOf(weights, fo, fc2[i]!, sigma[i]!));
  return { count: chosen.length, s2, fo2, fc2, weight, a: of(data.a), b: of(data.b) };
}

/** The part of a site in A and B at every reflection. */
interface Part {
  readonly a: Float64Array;
  readonly b: Float64Array;
}

/** Cosine and sine sums of a site over its copies, displacement included, and the share of a copy in the cell. */
interface Waves {
  readonly c: Float64Array;
  readonly s: Float64Array;
  readonly share: number;
}

function wavesOf(structure: Structure, table: ScatteringTable, of: readonly number[]): Waves[] {
  const sites = siteArrays(structure, table.elements);
  const sums = new SiteSums(table, sites);
  const waves = of.map((j) => ({
    c: new Float64Array(table.count),
    s: new Float64Array(table.count),
    share: sites.weight[j]! * table.factor,
  }));
  for (let i = 0; i < table.count; i++) {
    sums.at(i, true);
    of.forEach((j, at) => {
      waves[at]!.c[i] = sums.terms[j * STRIDE]!;
      waves[at]!.s[i] = sums.terms[j * STRIDE + 1]!;
    });
  }
  return waves;
}

/** What a site would scatter as an element. */
function partOf({ c, s, share }: Waves, table: ScatteringTable, element: string): Part {
  const e = table.elements.indexOf(element);
  const f2 = table.f2[e]! * share;
  const f = (i: number): number => table.f[e * table.count + i]! * share;
  return { a: c.map((x, i) => f(i) * x - f2 * s[i]!), b: s.map((x, i) => f(i) * x + f2 * c[i]!) };
}

/** Steps until a site's numbers stand still; a carbon refined as nitrogen takes three. */
const STEPS = 6;
const STILL = 1e-3;
const NEAR = 0.02;

/** Below this determinant of the normal matrix with a diagonal of ones the three cannot be told from one another. */
const SINGULAR = 1e-8;

/** Inverse of a normal matrix whatever the units of its rows; undefined where it is singular. */
function inverseOf(m: Mat3): Mat3 | undefined {
  const scales = [0, 4, 8].map((i) => 1 / Math.sqrt(m[i]!));
  const unit = toMat3(m.map((x, i) => x * scales[Math.floor(i / 3)]! * scales[i % 3]!));
  if (!(determinant3(unit) > SINGULAR)) return undefined;
  return toMat3(inverse3(unit).map((x, i) => x * scales[Math.floor(i / 3)]! * scales[i % 3]!));
}

/**
 * Occupancy of a site as a share of what it is, when it scatters as `other` in place of `own`: refined with an isotropic change
 * of its displacement and the scale while everything else stays; with its s.u. for a weighted square of 1. Undefined where the
 * data do not tell.
 */
function shareOf(l: Looked, own: Part, other: Part): { share: number; su: number } | undefined {
  let [share, du, scale] = [1, 0, 1];
  let variance = NaN;
  for (let step = 0; step < STEPS; step++) {
    let [pp, pu, ps, uu, us, ss, rp, ru, rs] = [0, 0, 0, 0, 0, 0, 0, 0, 0];
    for (let i = 0; i < l.count; i++) {
      const swing = -8 * Math.PI ** 2 * l.s2[i]!;
      const damped = du ? Math.exp(swing * du) : 1;
      const A = l.a[i]! - own.a[i]! + share * damped * other.a[i]!;
      const B = l.b[i]! - own.b[i]! + share * damped * other.b[i]!;
      const fc2 = l.fc2[i]! + A * A + B * B - l.a[i]! ** 2 - l.b[i]! ** 2;
      const p = scale * 2 * damped * (A * other.a[i]! + B * other.b[i]!);
      const u = swing * share * p;
      const r = l.fo2[i]! - scale * fc2;
      const w = l.weight[i]!;
      pp += w * p * p;
      pu += w * p * u;
      ps += w * p * fc2;
      uu += w * u * u;
      us += w * u * fc2;
      ss += w * fc2 * fc2;
      rp += w * p * r;
      ru += w * u * r;
      rs += w * fc2 * r;
    }
    const inverse = inverseOf([pp, pu, ps, pu, uu, us, ps, us, ss]);
    if (!inverse) return undefined;
    variance = inverse[0];
    const [dp, dd, dk] = apply3(inverse, [rp, ru, rs]);
    share += dp;
    du += dd;
    scale += dk;
    // So near the first step is right to a thousandth of an electron.
    if (Math.abs(dp) < STILL || (step === 0 && Math.abs(dp) < NEAR)) break;
  }
  return Number.isFinite(share) ? { share, su: Math.sqrt(variance) } : undefined;
}

/**
 * Electrons of the sites asked for, of those whose data tell: the occupancy of each alone, with an isotropic change of its displacement and the scale,
 * refined against the data while everything else stays where it converged. Where that is off, the elements that `others` names
 * are tried in its place: form factors differ in shape, and only that of the right one gives its own number. Spherical atoms
 * without twins only. `data` are those that the model was evaluated with, on the absolute scale; `parameters` the number that
 * was refined.
 */
export function siteElectrons(
  e: Experiment,
  data: CalculatedData,
  parameters: number,
  sites: readonly number[],
  others: (element: string) => readonly string[] = () => [],
): SiteElectrons[] {
  const { structure: s } = e;
  const elements = elementsOf(s);
  const { chosen, table } = lookedAt(e, data, [...new Set([...elements, ...elements.flatMap(others)])]);
  const l = lookedOf(e, data, chosen, table.s2);
  // Each reflection that is looked at stands for as many as were left out.
  const freedom = l.count * Math.max(0.1, 1 - parameters / data.used.length);
  const variance = l.weight.reduce((sum, w, i) => sum + w * (l.fo2[i]! - l.fc2[i]!) ** 2, 0) / freedom;
  const waves = wavesOf(s, table, sites);
  return sites.flatMap((site, at) => {
    const { element: given, occupancy } = s.sites[site]!;
    const part = partOf(waves[at]!, table, given);
    const countAs = (element: string, as: Part) => {
      const found = shareOf(l, part, as);
      if (!found) return [];
      const full = elementOf(element).z * occupancy;
      const electrons = full * found.share;
      return [{ element, electrons, off: Math.abs(electrons - full), su: full * found.su * Math.sqrt(variance) }];
    };
    const [own] = countAs(given, part);
    if (!own) return [];
    const best = (own.off > TRIED_FROM ? others(given) : [])
      .flatMap((element) => countAs(element, partOf(waves[at]!, table, element)))
      .reduce((least, x) => (x.off < least.off ? x : least), own);
    const better = best === own ? {} : { better: { element: best.element, electrons: best.electrons } };
    return [{ site, electrons: own.electrons, su: own.su, ...better }];
  });
}
