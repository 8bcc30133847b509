/**
 * Atoms out of the shadow of a heavy one. Phases that come of heavy atoms alone obey the symmetry of the heavy atoms, which is often more
 * than the structure's: everything light appears twice, as itself and as its image, and a model of both halves refines to nothing. Atoms
 * are therefore placed one after another, the first of them taking sides: what belongs to it rises in the next map, its image falls.
 */
import { elementOf } from '../crystal/elements.ts';
import { experiment } from '../crystal/experiment.ts';
import type { Formula } from '../crystal/formula.ts';
import { equivalentU, modelContents, siteWeight, type Site, type Structure } from '../crystal/structure.ts';
import { localMaxima, uniquePeaks, type Peak } from '../maps/peaks.ts';
import { modelMap } from '../maps/residual.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import type { TaskContext } from '../task-context.ts';
import {
  buildModel,
  expectedAtoms,
  plausible,
  refineIso,
  siteFromPeak,
  type BuildInput,
  type BuildReport,
  type BuiltModel,
} from './build-model.ts';

/** Of the scattering power ΣZ², the share of one element above which its phases hide the rest. */
const DOMINANT = 0.4;

/** Starts that are tried: the first peak of one may lie where it takes no side. Fewer for many atoms, of which each start takes longer. */
const startsFor = (atoms: number): number => Math.max(3, Math.min(8, Math.round(120 / atoms)));
/** Steps of growth at most. */
const ROUNDS = 14;
/** Times that the loosest atoms are taken out and looked for again. */
const PASSES = 3;

/** An element whose scattering dominates others. */
export interface Dominant {
  readonly element: string;
  /** Its share of ΣZ². */
  readonly share: number;
}

/** What dominates the contents, of elements beyond neon. */
export function dominantElement(contents: Formula): Dominant | undefined {
  const power = Object.entries(contents).map(([element, n]) => ({ element, p: n * elementOf(element).z ** 2 }));
  const total = power.reduce((sum, x) => sum + x.p, 0);
  const found = power.find((x) => elementOf(x.element).z > 10 && x.p > DOMINANT * total);
  return found && { element: found.element, share: found.p / total };
}

/**
 * Whether a model fits so well that images are out of question: they spoil what is left beside the heavy atoms, the more the more that
 * is, and in a centrosymmetric group every wrong half is a whole atom.
 */
export const isBeyondImages = ({ structure, r1, completeness }: BuiltModel, { share }: Dominant): boolean =>
  completeness > 0.97 && r1 < (structure.spaceGroup.centric ? 0.35 : 0.18) * (1 - share);

/** Peaks of the difference map that could be atoms, highest first. */
function openPeaks(s: Structure, input: BuildInput): Peak[] {
  const most = 4 * Math.ceil(expectedAtoms(input));
  const { data } = evaluateStructure(
    experiment(s, input.reflections, input.wavelength, { weights: { a: 0.15, b: 0 } }),
  );
  const map = modelMap('difference', s, input.reflections, data);
  return uniquePeaks(localMaxima(map, 2 * map.sigma, 1, 4000), s.cell, s.spaceGroup, most, 0.7).filter((p) =>
    plausible(s, p),
  );
}

/** Sites placed one after another, more at a time the more stand; the first step adds the peaks given. */
async function grown(
  from: Structure,
  first: readonly Peak[],
  input: BuildInput,
  context: TaskContext,
): Promise<Structure> {
  const expected = expectedAtoms(input);
  const added = (s: Structure, peaks: readonly Peak[]): Structure => ({
    ...s,
    sites: [...s.sites, ...peaks.map((p) => siteFromPeak(input, p, 'C'))],
  });
  let s = added(from, first);
  for (let round = 0; round < ROUNDS; round++) {
    await context.breath();
    s = (await refineIso(s, input, 2, context)).structure;
    const standing = s.sites.reduce((sum, x) => sum + siteWeight(s, x), 0);
    const room = Math.round(expected - standing);
    if (room <= 0) break;
    const light = s.sites.filter((x) => elementOf(x.element).z <= 10).length;
    const next = openPeaks(s, input).slice(0, Math.min(room, Math.max(1, Math.floor(light / 3))));
    if (!next.length) break;
    s = added(s, next);
  }
  return s;
}

/** A model built anew from sites, the heaviest first. */
function rebuilt(s: Structure, input: BuildInput, context: TaskContext<BuildReport>): Promise<BuiltModel | undefined> {
  const peaks = s.sites.map((x): Peak => ({ position: x.position, height: elementOf(x.element).z }));
  return buildModel(
    input,
    [...peaks].sort((p, q) => q.height - p.height),
    context,
  );
}

/** The model without the third of its light atoms that move most: what is in a wrong place is smeared out. */
function withoutLoose(s: Structure, heavy: (x: Site) => boolean): Structure {
  const light = s.sites
    .filter((x) => !heavy(x))
    .sort((p, q) => equivalentU(s.cell, p.displacement) - equivalentU(s.cell, q.displacement));
  const kept = new Set(light.slice(0, Math.ceil((2 / 3) * light.length)));
  return { ...s, sites: s.sites.filter((x) => heavy(x) || kept.has(x)) };
}

/**
 * A model without the images that heavy atoms make of the light ones, if heavy atoms dominate the model given and a start is found that
 * explains the data better; undefined otherwise. The heavy atoms are those of the model.
 */
export async function withoutGhosts(
  model: BuiltModel,
  input: BuildInput,
  context: TaskContext<BuildReport>,
): Promise<BuiltModel | undefined> {
  const dominant = dominantElement(input.contents ?? modelContents(model.structure));
  if (!dominant) return undefined;
  const heavy = (x: Site): boolean => elementOf(x.element).z > elementOf(dominant.element).z / 2;
  // Where all is heavy, or nothing, there is nothing to tell apart.
  if (model.structure.sites.every((x) => heavy(x) === heavy(model.structure.sites[0]!))) return undefined;
  const quiet = context as TaskContext;
  // The hand may have been turned: the model's own group goes with its sites.
  const own: BuildInput = { ...input, group: model.structure.spaceGroup };
  let best = model;
  const tryFrom = async (s: Structure, first: readonly Peak[]): Promise<boolean> => {
    const built = await rebuilt(await grown(s, first, own, quiet), own, context);
    const better =
      !!built && built.r1 < best.r1 - (input.contents ? 0.0005 : 0.01) && built.completeness > model.completeness - 0.1;
    if (better) best = built;
    return better;
  };
  if (!own.group.centric) {
    const alone = { ...model.structure, sites: model.structure.sites.filter(heavy) };
    const start = (await refineIso(alone, own, 3, quiet)).structure;
    for (const first of openPeaks(start, own).slice(0, startsFor(expectedAtoms(own)))) await tryFrom(start, [first]);
  }
  for (let pass = 0; pass < PASSES; pass++) if (!(await tryFrom(withoutLoose(best.structure, heavy), []))) break;
  return best === model ? undefined : best;
}
