/** What the phases of a seed are worth: a model in every group that they obey, and without the images that heavy atoms make. */
import type { Cell } from '../crystal/cell.ts';
import { cellInGroup } from '../crystal/group-cell.ts';
import { cellVolume } from '../crystal/cell.ts';
import { scaleFormula, type Formula } from '../crystal/formula.ts';
import { proposeZ } from '../crystal/formula-units.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import { modelContents } from '../crystal/structure.ts';
import type { TaskContext } from '../task-context.ts';
import {
  buildModel,
  expectedAtoms,
  peaksFor,
  peaksFromPhases,
  type BuildInput,
  type BuildReport,
  type BuiltModel,
} from './build-model.ts';
import { candidateRank, Candidates, type Candidate } from './candidates.ts';
import type { PhasingData } from './expand.ts';
import { dominantElement, isBeyondImages, withoutGhosts } from './ghosts.ts';
import { fixedArrangements } from './fixed-sites.ts';
import { higherGroups } from './higher-groups.ts';
import type { GroupMatch, PhaseResult } from './phase.ts';
import { mergeForGroup } from './prepare.ts';
import { PhaseIndex } from './symmetry-from-phases.ts';

/** Groups that are built for a seed; more where R1 alone does not say which of them is right, in the shadow of a heavy atom. */
const GROUPS = 3;
const GROUPS_IN_SHADOW = 6;
/** Atoms of the asymmetric unit up to which all groups are built: it takes no time, and so few can stand in a wrong group and fit well. */
const FEW_ATOMS = 12;
/** A model that explains less is none. */
const WORST_R1 = 0.5;
/** How much worse than the best a model may rank to be cleared of images. */
const WORTH_CLEARING = 1.15;

/** What all seeds are judged by. */
export interface Judged {
  readonly raw: RawReflections;
  readonly cell: Cell;
  readonly wavelength: number;
  /** Contents of a formula unit and how many of them the cell holds, where they are known. */
  readonly formula?: Formula | undefined;
  readonly z?: number | undefined;
  readonly groups: readonly SpaceGroup[];
  readonly data: PhasingData;
}

/** What is told while a seed is judged. */
export type JudgeReport =
  | { kind: 'stage'; text: string }
  | ({ kind: 'building'; seed: number; symbol: string } & BuildReport)
  | { kind: 'candidate'; candidate: Candidate };

/** What was made of the phases of a seed in one group. */
interface Built {
  readonly build: BuildInput;
  readonly match: GroupMatch;
  readonly model: BuiltModel;
}

/** Whether a heavy atom leaves it open if the light ones of a model are their images. */
function isShadowed({ build, model }: Built): boolean {
  const dominant = dominantElement(build.contents ?? modelContents(model.structure));
  return !!dominant && !isBeyondImages(model, dominant);
}

/** Models in whose place one without images could become the best, most likely first. */
function worthClearing(built: readonly Built[]): Built[] {
  const ranked = built.map((b) => ({ ...b, rank: candidateRank(b.model) })).sort((p, q) => p.rank - q.rank);
  return ranked.filter((b) => b.rank < WORTH_CLEARING * ranked[0]!.rank);
}

export class SeedJudge {
  private readonly index: PhaseIndex;
  private readonly inputs = new Map<number, BuildInput>();
  private fixedSitesTried = false;

  constructor(
    private readonly of: Judged,
    private readonly candidates: Candidates,
    private readonly context: TaskContext<JudgeReport>,
  ) {
    this.index = new PhaseIndex(of.data);
  }

  /** Adds what comes of the phases to the candidates; whether the structure is solved. Images are cleared while `hasTime` says so. */
  async judge(phased: PhaseResult, hasTime: () => boolean): Promise<boolean> {
    const built: Built[] = [];
    let inShadow = false;
    const areFew = this.areFew(phased.matches);
    for (const [n, match] of phased.matches.entries()) {
      if (!areFew && n >= (inShadow ? GROUPS_IN_SHADOW : GROUPS)) break;
      const one = await this.build(phased, match);
      if (!one) continue;
      built.push(one);
      const candidate = this.add(phased.seed, match, one.model);
      inShadow = built.every(isShadowed);
      if (!areFew && !inShadow && this.candidates.isSolvedBy(candidate)) break;
    }
    if (inShadow) await this.clear(phased.seed, built, hasTime);
    await this.layOnFixedSites(phased.seed);
    const { best } = this.candidates;
    if (!best || !this.candidates.isSolvedBy(best)) return false;
    await this.raise(best);
    return true;
  }

  /** Tries, once, the structures whose atoms all lie on fixed positions, where the cell holds less than a general position. */
  private async layOnFixedSites(seed: number): Promise<void> {
    if (this.fixedSitesTried) return;
    this.fixedSitesTried = true;
    for (const [n, group] of this.of.groups.entries()) {
      const input = this.inputFor(n);
      if (!input.contents || expectedAtoms(input) >= 1) continue;
      await this.context.breath();
      for (const peaks of fixedArrangements(input)) {
        const model = await buildModel(input, peaks, this.telling(seed, group));
        if (model && model.r1 <= WORST_R1) this.add(seed, { group: n, score: 1, worst: 1, origin: [0, 0, 0] }, model);
      }
    }
  }

  /** Builds a solved model in the higher groups that its own phases obey; which of them stands is for the ranking to say. */
  private async raise({ seed, structure }: Candidate): Promise<void> {
    const { groups, data } = this.of;
    const { phases, matches } = higherGroups(structure, groups, data, this.index);
    for (const match of matches) {
      await this.context.breath();
      const one = await this.build({ seed, phases }, match);
      if (one) this.add(seed, match, one.model);
    }
  }

  private areFew([first]: readonly GroupMatch[]): boolean {
    return !!first && expectedAtoms(this.inputFor(first.group)) <= FEW_ATOMS;
  }

  private async build(phased: Pick<PhaseResult, 'seed' | 'phases'>, match: GroupMatch): Promise<Built | undefined> {
    const build = this.inputFor(match.group);
    const most = peaksFor(expectedAtoms(build));
    const peaks = peaksFromPhases(build, this.of.data, this.index, phased.phases, match.origin, most);
    const model = await buildModel(build, peaks, this.telling(phased.seed, build.group));
    return model && model.r1 <= WORST_R1 ? { build, match, model } : undefined;
  }

  private async clear(seed: number, built: readonly Built[], hasTime: () => boolean): Promise<void> {
    this.context.progress({
      kind: 'stage',
      text: 'Telling light atoms from the images that heavy ones make of them',
    });
    for (const { build, match, model } of worthClearing(built)) {
      if (!hasTime()) break;
      const clear = await withoutGhosts(model, build, this.telling(seed, build.group));
      if (clear) this.add(seed, match, clear);
    }
  }

  /** Data merged in a group and its contents, made when they are first asked for. */
  private inputFor(n: number): BuildInput {
    const known = this.inputs.get(n);
    if (known) return known;
    const { raw, cell, wavelength, groups } = this.of;
    const group = groups[n]!;
    const contents = this.contentsIn(group);
    const input: BuildInput = {
      cell: cellInGroup(cell, group),
      group,
      reflections: mergeForGroup(raw, cell, group).reflections,
      wavelength,
      ...(contents ? { contents } : {}),
    };
    this.inputs.set(n, input);
    return input;
  }

  private contentsIn(g: SpaceGroup): Formula | undefined {
    const { formula, cell } = this.of;
    if (!formula) return undefined;
    const z = this.of.z ?? proposeZ(formula, cellVolume(cell), g);
    return scaleFormula(formula, z);
  }

  private telling(seed: number, { symbol }: SpaceGroup): TaskContext<BuildReport> {
    return { ...this.context, progress: (p) => this.context.progress({ kind: 'building', seed, symbol, ...p }) };
  }

  private add(seed: number, match: GroupMatch, model: BuiltModel): Candidate {
    const { structure, r1, completeness, guessed } = model;
    const candidate: Candidate = { seed, structure, r1, completeness, guessed, agreement: match.score };
    this.candidates.add(candidate);
    this.context.progress({ kind: 'candidate', candidate });
    return candidate;
  }
}
