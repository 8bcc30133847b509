/**
 * From phases to a model: peaks, cycles of isotropic refinement and difference maps, elements from the electrons each
 * site refines to and the expected contents.
 */
import { experiment } from '../crystal/experiment.ts';
import { cellVolume, metricTensor } from '../crystal/cell.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { exactSetting } from '../crystal/identify.ts';
import { groupOfSetting } from '../crystal/settings.ts';
import {
  allOperators,
  groupOrder,
  siteSymmetry,
  snapToSymmetry,
  spaceGroupFromOperators,
  type SpaceGroup,
} from '../crystal/space-group.ts';
import { equivalentU, isotropicTensor, newId, type Site, type Structure } from '../crystal/structure.ts';
import { normalizedIntensities } from '../data/intensity-statistics.ts';
import { assembleAsymmetricUnit, bonds } from '../geometry/bonds.ts';
import { gridFor, reach, synthesize } from '../maps/fourier.ts';
import { localMaxima, uniquePeaks, type Peak } from '../maps/peaks.ts';
import { modelMap, nearestSites } from '../maps/residual.ts';
import { refineStructure, type RefineResult } from '../refine/single-crystal.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import type { Formula } from '../crystal/formula.ts';
import { quietContext, type TaskContext } from '../task-context.ts';
import type { Cell } from '../crystal/cell.ts';
import type { PhasingData } from './expand.ts';
import { symmetrizedPhase, type PhaseIndex } from './symmetry-from-phases.ts';
import { type Vec3, toVec3 } from '../math/matrix3.ts';

export interface BuildInput {
  cell: Cell;
  group: SpaceGroup;
  /** Merged in the point group of the candidate. */
  reflections: MergedReflections;
  wavelength: number;
  /** Expected contents of the cell, when a formula is known. */
  contents?: Formula;
}

export interface BuiltModel {
  structure: Structure;
  r1: number;
  wr2: number;
  /** Atoms found of atoms expected (non-hydrogen), 0–1. */
  completeness: number;
  /** Elements were told from electrons alone. */
  guessed: boolean;
}

/** How far the building of a model is. */
export interface BuildReport {
  readonly round: number;
  readonly r1: number;
  readonly atoms: number;
}

/** Peaks of a synthesis with normalised amplitudes and symmetrised phases, one of each equivalent set. */
export function peaksFromPhases(
  input: BuildInput,
  data: PhasingData,
  index: PhaseIndex,
  phases: Float32Array,
  origin: Vec3,
  most: number,
): Peak[] {
  const r = input.reflections;
  const e2 = normalizedIntensities(r, input.cell, input.group);
  const a = new Float64Array(r.count),
    b = new Float64Array(r.count);
  for (let i = 0; i < r.count; i++) {
    if (!(e2[i]! > 0)) continue;
    const { cos, sin } = symmetrizedPhase(
      input.group,
      index,
      phases,
      data.amplitude,
      origin,
      r.h[i]!,
      r.k[i]!,
      r.l[i]!,
    );
    const size = Math.hypot(cos, sin);
    if (!(size > 1e-9)) continue;
    // Agreement between equivalents weighs the coefficient down where the phase is doubtful.
    const e = Math.min(4.5, Math.sqrt(e2[i]!));
    const weight = Math.min(1, size / Math.max(0.2, e));
    a[i] = (e * weight * cos) / size;
    b[i] = (e * weight * sin) / size;
  }
  const { limits, dMin } = reach(input.cell, r);
  const map = synthesize(input.cell, input.group, gridFor(input.cell, Math.min(0.33, dMin / 2.5), limits), r, a, b);
  return uniquePeaks(
    localMaxima(map, 2 * map.sigma, 1, Math.max(4000, 4 * most * groupOrder(input.group))),
    input.cell,
    input.group,
    most,
    0.7,
  );
}

/** Non-hydrogen atoms expected per asymmetric unit (of general positions). */
export function expectedAtoms(input: BuildInput): number {
  const order = groupOrder(input.group);
  if (input.contents)
    return (
      Object.entries(input.contents)
        .filter(([e]) => !isHydrogen(e))
        .reduce((s, [, n]) => s + n, 0) / order
    );
  return cellVolume(input.cell) / 18 / order;
}

/** A place moved onto the special position beside it. */
const snapped = (input: BuildInput, x: Vec3): Vec3 => snapToSymmetry(input.group, metricTensor(input.cell), x, 0.35);

/** Peaks worth keeping: on special positions there are more sites than atoms of general positions. */
export const peaksFor = (expected: number): number => Math.ceil(1.4 * expected) + 15;

export function siteFromPeak(input: BuildInput, p: { position: Vec3 }, element: string, u = 0.04): Site {
  return {
    id: newId(),
    label: element,
    element,
    position: snapped(input, p.position),
    occupancy: 1,
    displacement: { kind: 'iso', u },
  };
}

/** Every n-th reflection, enough for `wanted`: model building needs no more, and its time goes with their number. */
function thinned(r: MergedReflections, wanted: number): MergedReflections {
  const n = Math.floor(r.count / wanted);
  if (n < 2) return r;
  const keep = Int32Array.from({ length: Math.floor(r.count / n) }, (_, i) => i * n);
  const take = <T extends Int16Array | Float64Array | Uint16Array>(x: T): T =>
    x.filter((_, i) => i % n === 0 && i / n < keep.length) as T;
  return {
    count: keep.length,
    h: take(r.h),
    k: take(r.k),
    l: take(r.l),
    fsq: take(r.fsq),
    sigma: take(r.sigma),
    multiplicity: take(r.multiplicity),
  };
}

export async function refineIso(
  s: Structure,
  input: BuildInput,
  cycles: number,
  context: TaskContext,
  occupancies?: readonly number[],
  all = false,
): Promise<RefineResult> {
  const parameters = s.sites.length * (occupancies ? 5 : 4);
  return refineStructure(
    experiment(s, all ? input.reflections : thinned(input.reflections, 9 * parameters), input.wavelength, {
      weights: { a: 0.15, b: 0 },
    }),
    { cycles, optimizeWeights: false, covariance: false, settled: 0.3, ...(occupancies ? { occupancies } : {}) },
    { ...quietContext(), breath: context.breath },
  );
}

/** Atoms at a place as a share of those of a general position. */
const weightAt = (group: SpaceGroup, cell: Cell, x: Vec3): number =>
  siteSymmetry(group, metricTensor(cell), x).multiplicity / groupOrder(group);

const weightOfSite = (s: Structure, { position }: Site): number => weightAt(s.spaceGroup, s.cell, position);

/** Electrons each site holds: occupancy and U refined together for all sites, as (occupancy × Z). */
async function electronsAtSites(
  s: Structure,
  input: BuildInput,
  context: TaskContext,
): Promise<{ electrons: number[]; u: number[] }> {
  // The anisotropy of a heavy atom leaves ripples that its light neighbours would otherwise take for electrons.
  const start: Structure = {
    ...s,
    sites: s.sites.map((x) =>
      elementOf(x.element).z > 14 && x.displacement.kind === 'iso'
        ? { ...x, displacement: { kind: 'aniso' as const, u: isotropicTensor(s.cell, x.displacement.u) } }
        : x,
    ),
  };
  const result = await refineIso(
    start,
    input,
    4,
    context,
    s.sites.map((_, i) => i),
  );
  return {
    electrons: result.structure.sites.map((x) => x.occupancy * elementOf(x.element).z),
    u: result.structure.sites.map((x) => equivalentU(s.cell, x.displacement)),
  };
}

/** Elements by rank of electrons against the expected contents; sites left over are dropped. */
function assignFromContents(s: Structure, electrons: readonly number[], contents: Formula): Structure {
  const order = groupOrder(s.spaceGroup);
  const supply = Object.entries(contents)
    .filter(([e]) => !isHydrogen(e))
    .map(([element, n]) => ({ element, z: elementOf(element).z, left: n / order }))
    .sort((p, q) => q.z - p.z);
  const rank = s.sites.map((_, i) => i).sort((p, q) => electrons[q]! - electrons[p]!);
  const chosen = new Map<number, string>();
  for (const i of rank) {
    const w = weightOfSite(s, s.sites[i]!);
    const next = supply.find((x) => x.left > 0.5 * w);
    if (!next) continue;
    next.left -= w;
    chosen.set(i, next.element);
  }
  return {
    ...s,
    sites: s.sites.map((x, i) => ({ ...x, element: chosen.get(i) ?? '', occupancy: 1 })).filter((x) => x.element),
  };
}

/** Without a formula: electrons on a scale where the commonest light atom is carbon. */
function assignByElectrons(s: Structure, electrons: readonly number[]): Structure {
  const light = electrons.filter((e) => e > 3 && e < 11).sort((p, q) => p - q);
  // The lower third of the light atoms are carbons in nearly every molecular crystal.
  const carbon = light.length ? light[Math.floor(light.length / 3)]! : 6;
  const k = 6 / carbon;
  const usual = [
    'C',
    'N',
    'O',
    'F',
    'P',
    'S',
    'Cl',
    'Fe',
    'Ni',
    'Cu',
    'Zn',
    'Br',
    'Ru',
    'Pd',
    'Ag',
    'I',
    'W',
    'Pt',
    'Au',
  ].map((e) => ({ e, z: elementOf(e).z }));
  return {
    ...s,
    sites: s.sites.map((x, i) => {
      const z = Math.max(6, electrons[i]! * k);
      const found = usual.reduce((p, q) => (Math.abs(Math.log(q.z / z)) < Math.abs(Math.log(p.z / z)) ? q : p)).e;
      return { ...x, element: found, occupancy: 1 };
    }),
  };
}

/** Electrons below which a site is none. */
function fewestElectrons(contents?: Formula): number {
  const lightest = Object.keys(contents ?? { C: 1 })
    .filter((e) => !isHydrogen(e))
    .map((e) => elementOf(e).z);
  return Math.min(2.2, 0.6 * Math.min(...lightest));
}

const uOf = (x: Site): number => (x.displacement.kind === 'iso' ? x.displacement.u : 0.05);

/** Height of a difference peak, e Å⁻³, that is an atom whatever else is in the model, where nothing in it is heavier than chlorine. */
const CERTAIN_PEAK = 2.5;

/** The model without atoms so smeared out that they stand for nothing, as many as there are peaks that certainly are atoms. */
function withoutImpostors(s: Structure, peaks: readonly Peak[]): Structure {
  const typical = s.sites.map(uOf).sort((p, q) => p - q)[Math.floor(s.sites.length / 2)] ?? 0;
  // The ripples of heavy atoms grow with them.
  const heaviest = Math.max(17, ...s.sites.map((x) => elementOf(x.element).z));
  const certain = peaks.filter((p) => p.height > (CERTAIN_PEAK * heaviest) / 17).length;
  const impostors = s.sites
    .filter((x) => uOf(x) > Math.max(0.1, 3.5 * typical))
    .sort((p, q) => uOf(q) - uOf(p))
    .slice(0, certain);
  return impostors.length ? { ...s, sites: s.sites.filter((x) => !impostors.includes(x)) } : s;
}

/** Peaks that could be atoms: not on top of a site, and near enough to one to be bonded or far enough to be another molecule. */
export function plausible(s: Structure, p: Peak): boolean {
  const near = nearestSites(s, p.position as [number, number, number], 1);
  return !near.length || near[0]!.distance > 1.15;
}

/** Peaks taken from the front until their sites hold `atoms` of general positions; on special positions it takes more of them. */
function filling(input: BuildInput, peaks: readonly Peak[], atoms: number): Peak[] {
  const taken: Peak[] = [];
  const most = 1.5 * expectedAtoms(input);
  let room = atoms;
  for (const p of peaks) {
    const weight = weightAt(input.group, input.cell, snapped(input, p.position));
    // More atoms than there are in all: a ripple beside a special position.
    if (weight > most) continue;
    if (room <= 0.5 * weight) break;
    room -= weight;
    taken.push(p);
  }
  return taken;
}

/** Runs the cycles of refinement and difference maps from a set of peaks. Returns undefined when nothing sensible comes of them. */
export async function buildModel(
  input: BuildInput,
  peaks: readonly Peak[],
  context: TaskContext<BuildReport>,
): Promise<BuiltModel | undefined> {
  const quiet = context as TaskContext;
  const expected = expectedAtoms(input);
  const strong = filling(input, peaks, 1.15 * expected + Math.min(0.5, 0.1 * expected));
  if (!strong.length) return undefined;
  let s: Structure = {
    cell: input.cell,
    spaceGroup: input.group,
    sites: strong.map((p) => siteFromPeak(input, p, 'C')),
  };
  const fewest = fewestElectrons(input.contents);
  // Heavy atoms stand out at once; giving them their weight early steadies the scale.
  s = startingElements(s, strong, input.contents);
  let best: { s: Structure; r1: number; wr2: number } | undefined;
  const note = (candidate: Structure, r1: number, wr2: number, round: number): void => {
    context.progress({ round, r1, atoms: candidate.sites.length });
    // Without a formula an atom that changes nothing is better left out.
    if (
      !best ||
      r1 < best.r1 ||
      (!input.contents && r1 < best.r1 + 0.003 && candidate.sites.length < best.s.sites.length)
    )
      best = { s: candidate, r1, wr2 };
  };
  let previous = Infinity,
    lowest = Infinity,
    stale = 0;
  for (let round = 1; round <= 9; round++) {
    await context.breath();
    if (!s.sites.length) break;
    let result = await refineIso(s, input, 3, quiet);
    s = result.structure;
    let r1 = result.readings.r1;
    if (round === 2 && r1 > 0.5) return undefined;
    if (r1 < 0.42) {
      const { electrons } = await electronsAtSites(s, input, quiet);
      const alive = s.sites.map((x, i) => electrons[i]! > fewest && uOf(x) < 0.25);
      s = { ...s, sites: s.sites.filter((_, i) => alive[i]) };
      const left = electrons.filter((_, i) => alive[i]);
      s = input.contents ? assignFromContents(s, left, input.contents) : assignByElectrons(s, left);
      if (!s.sites.length) break;
      s = {
        ...s,
        sites: s.sites.map((x) => ({
          ...x,
          displacement: { kind: 'iso' as const, u: Math.min(0.12, Math.max(0.005, uOf(x))) },
        })),
      };
      result = await refineIso(s, input, 3, quiet);
      s = result.structure;
      r1 = result.readings.r1;
    } else {
      const typical = s.sites.map(uOf).sort((p, q) => p - q)[Math.floor(s.sites.length / 2)]!;
      s = { ...s, sites: s.sites.filter((x) => uOf(x) < Math.max(0.12, 2.5 * typical)) };
    }
    if (!s.sites.length) break;
    note(s, r1, result.readings.wr2, round);
    const { data } = evaluateStructure(
      experiment(s, input.reflections, input.wavelength, { weights: { a: 0.15, b: 0 } }),
    );
    const map = modelMap('difference', s, input.reflections, data);
    const found = uniquePeaks(
      localMaxima(map, 2.5 * map.sigma, 1, 4000),
      s.cell,
      s.spaceGroup,
      peaksFor(expected),
      0.7,
    ).filter((p) => plausible(s, p));
    s = withoutImpostors(s, found);
    const missing = expected - s.sites.reduce((sum, x) => sum + weightOfSite(s, x), 0);
    // Hydrogens rise to about 1 e Å⁻³; a missing atom stands clearly above.
    // With a formula the count says how many to take, so even a weak, strongly moving atom may be tried.
    const threshold = input.contents
      ? Math.max(0.5, 2.5 * map.sigma)
      : r1 < 0.15
        ? 1.8
        : r1 < 0.25
          ? 1.4
          : 2.5 * map.sigma;
    const high = found.filter((p) => p.height > threshold);
    const wanted = input.contents
      ? filling(input, high, missing)
      : r1 < 0.2
        ? high.filter((p) => p.height > 2)
        : filling(input, high, missing + 2.5);
    const added = high.slice(0, Math.min(wanted.length + (r1 > 0.25 ? 1 : 0), 40));
    const isFull = missing < Math.min(0.5, 0.1 * expected);
    if (Math.abs(previous - r1) < 0.004 && (!added.length || (r1 < 0.2 && isFull))) break;
    // Two rounds without a better model: elements may only be changing places.
    stale = r1 > lowest - 0.002 ? stale + 1 : 0;
    lowest = Math.min(lowest, r1);
    if (stale >= 2) break;
    previous = r1;
    s = { ...s, sites: [...s.sites, ...added.map((p) => siteFromPeak(input, p, 'C', 0.05))] };
  }
  if (!best) return undefined;
  const final = best as { s: Structure; r1: number; wr2: number };
  s = final.s;
  let last = await refineIso(s, input, 4, quiet, undefined, true);
  const other = invertedStructure(last.structure);
  if (other) {
    // Anomalous scattering tells the hands apart; the other one is kept when it fits better.
    const turned = await refineIso(other, { ...input, group: other.spaceGroup }, 2, quiet, undefined, true);
    if (turned.readings.r1 < last.readings.r1 - 0.0005) last = turned;
  }
  s = labelSites(assembleAsymmetricUnit(last.structure));
  const found = s.sites.reduce((sum, x) => sum + weightOfSite(s, x), 0);
  return {
    structure: s,
    r1: last.readings.r1,
    wr2: last.readings.wr2,
    completeness: Math.min(1, found / expected),
    guessed: !input.contents,
  };
}

/** The other hand of a chiral or polar structure; undefined for centrosymmetric groups and where the inverted group has no setting of the same cell. */
export function invertedStructure(s: Structure): Structure | undefined {
  if (s.spaceGroup.centric) return undefined;
  const inverted = spaceGroupFromOperators(
    allOperators(s.spaceGroup).map((o) => ({ r: o.r, t: toVec3(o.t.map((x) => -x)) })),
  );
  const setting = exactSetting(inverted);
  if (!setting) return undefined;
  return {
    ...s,
    spaceGroup: groupOfSetting(setting),
    sites: s.sites.map((x) => ({ ...x, position: toVec3(x.position.map((v) => 1 - v)) })),
  };
}

/** Heavy elements of the contents for the highest peaks; all else begins as carbon. */
function startingElements(s: Structure, peaks: readonly Peak[], contents?: Formula): Structure {
  if (!contents) return s;
  const order = groupOrder(s.spaceGroup);
  const atoms = Object.entries(contents).filter(([e]) => !isHydrogen(e));
  const heavy = atoms
    .filter(([e]) => elementOf(e).z > 10)
    .map(([element, n]) => ({ element, left: n / order }))
    .sort((p, q) => elementOf(q.element).z - elementOf(p.element).z);
  const share = heavy.reduce((sum, x) => sum + x.left, 0) / atoms.reduce((sum, [, n]) => sum + n / order, 0);
  // Among light atoms a heavy one stands out; where most are heavy the middle peak is one of them.
  const least = share < 0.5 ? 1.3 * peaks[Math.floor(peaks.length / 2)]!.height : 0;
  return {
    ...s,
    sites: s.sites.map((x, i) => {
      const next = heavy.find((h) => h.left > 0.5 * weightOfSite(s, x));
      if (!next || peaks[i]!.height < least) return x;
      next.left -= weightOfSite(s, x);
      return { ...x, element: next.element };
    }),
  };
}

/** Numbers the sites element by element along the bonds from a chain's end, so neighbours get neighbouring labels. */
export function labelSites(s: Structure): Structure {
  const list = bonds(s);
  const near = s.sites.map((_, i) => [...new Set(list.filter((b) => b.from === i && b.to !== i).map((b) => b.to))]);
  const seen = new Set<number>();
  const order: number[] = [];
  const starts = s.sites
    .map((_, i) => i)
    .sort(
      (p, q) =>
        near[p]!.length - near[q]!.length || elementOf(s.sites[q]!.element).z - elementOf(s.sites[p]!.element).z,
    );
  for (const start of starts) {
    const stack = [start];
    while (stack.length) {
      const at = stack.pop()!;
      if (seen.has(at)) continue;
      seen.add(at);
      order.push(at);
      for (const n of [...near[at]!].sort((p, q) => near[q]!.length - near[p]!.length)) if (!seen.has(n)) stack.push(n);
    }
  }
  const counters: Record<string, number> = {};
  const sites = order.map((i): Site => {
    const x = s.sites[i]!;
    const n = (counters[x.element] = (counters[x.element] ?? 0) + 1);
    return { ...x, label: `${x.element}${n}` };
  });
  return { ...s, sites: [...sites].sort((p, q) => elementOf(q.element).z - elementOf(p.element).z) };
}
