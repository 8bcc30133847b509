/** Everything the symmetry page shows of a structure, worked out once. */
import { prettySymbol } from '../crystal/settings.ts';
import type { Cell } from '../crystal/cell.ts';
import { crystalClass, crystalSystem, laueClass, rotationsOf } from '../crystal/point-group.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import { operatorStrings, type SpaceGroup } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import type { TaskContext } from '../task-context.ts';
import { symmetryElements, type SymmetryElement } from './elements.ts';
import { findSuperstructure, opinionOfData, type Opinion, type Superstructure } from './opinion.ts';
import { sitesOn, specialPositions, type SpecialPosition } from './positions.ts';
import { searchTranslations, type FoundOperation } from './search.ts';
import { reducedCell, settingsOf, type SettingChoice } from './settings-of.ts';
import { subgroups, type Subgroup } from './subgroups.ts';
import {
  containsGroup,
  isWhole,
  namedGroup,
  supergroupsFound,
  type MissedGroup,
  type Supergroup,
} from './supergroups.ts';
import { reflectionConditions, symbolParts, type ReflectionCondition, type SymbolPart } from './symbol-words.ts';

export interface MissedWithOpinion extends MissedGroup {
  readonly opinion?: Opinion;
  /** Geometry alone within the tolerance for every compared atom, and the data not against it. */
  readonly likely: boolean;
  readonly words: string;
}

export interface SymmetryReport {
  readonly group: SpaceGroup;
  readonly system: string;
  readonly crystalClass: string;
  readonly laueClass: string;
  readonly operators: readonly string[];
  readonly parts: readonly SymbolPart[];
  readonly conditions: readonly ReflectionCondition[];
  readonly elements: readonly SymmetryElement[];
  readonly positions: readonly (SpecialPosition & { readonly sites: readonly number[] })[];
  readonly settings: readonly SettingChoice[];
  readonly reduced: { readonly cell: Cell; readonly words: string };
  readonly subgroups: readonly Subgroup[];
  readonly missed: readonly MissedWithOpinion[];
  /** Translations the model nearly has, and those the intensities show. */
  readonly pseudoTranslations: readonly FoundOperation[];
  readonly superstructure: readonly Superstructure[];
  readonly tolerance: number;
}

/** Missed supergroups with what the data say of each; those within another that holds as well are left out. Raw data are in the structure's axes. */
export function missedWithOpinion(s: Structure, tolerance: number, raw?: RawReflections): MissedWithOpinion[] {
  const kept: MissedWithOpinion[] = [];
  for (const found of supergroupsFound(s, tolerance)) {
    const known = (k: MissedWithOpinion): boolean => k.index === found.index || saysAllOf(k, found);
    if (kept.some((k) => known(k) && containsGroup(s, k, found))) continue;
    const m = namedGroup(found);
    if (!m) continue;
    // Operations of a finer lattice may have fractional coefficients in these axes, where indices would not stay whole.
    const whole = m.operators.every((o) => o.r.every(Number.isInteger));
    const opinion = raw && whole ? opinionOfData(raw, s.cell, s.spaceGroup, m.operators) : undefined;
    const likely = isWhole(m, tolerance) && opinion?.verdict !== 'against';
    kept.push({ ...m, likely, words: missedWords(m, opinion), ...(opinion ? { opinion } : {}) });
  }
  return kept;
}

/** Whether a larger group leaves nothing to say of a smaller one within it: it is likely, or fits about as well without the data against it. */
const saysAllOf = (large: MissedWithOpinion, small: Supergroup): boolean =>
  large.likely ||
  (large.opinion?.verdict !== 'against' &&
    large.fit > small.fit - 0.02 &&
    large.rms < 1.25 * small.rms + 0.005 &&
    large.metricMisfit < small.metricMisfit + 0.002);

function missedWords(m: MissedGroup, opinion: Opinion | undefined): string {
  const fits = m.fit > 0.999 ? 'every compared atom' : `${(100 * m.fit).toFixed(0)} % of the electrons`;
  const misfits = m.misfits.length ? `; ${m.misfits.length} atoms do not fit` : '';
  const geometry = `${fits} within ${m.maxDeviation.toFixed(3)} Å (r.m.s. ${m.rms.toFixed(3)} Å)${misfits}`;
  const data = opinion ? `. The data: ${opinion.words}` : '';
  return `${prettySymbol(m.group.symbol)}, ${m.index} times the operations: ${geometry}; metric within ${(100 * m.metricMisfit).toFixed(2)} %${data}.`;
}

export async function symmetryReport(
  s: Structure,
  tolerance: number,
  raw: RawReflections | undefined,
  context: TaskContext<string>,
): Promise<SymmetryReport> {
  const group = s.spaceGroup;
  const say = async (text: string): Promise<void> => {
    context.progress(text);
    await context.breath();
  };
  await say('Symmetry elements and special positions');
  const elements = symmetryElements(group);
  const positions = specialPositions(group).map((p) => ({ ...p, sites: sitesOn(s, p) }));
  await say('Settings');
  const settings = settingsOf(s.cell, group);
  await say('Translations the model nearly has');
  const pseudoTranslations = searchTranslations(s, tolerance, 0.7);
  await say('Supergroups, and what the data say of them');
  const missed = missedWithOpinion(s, tolerance, raw);
  const own = crystalClass(rotationsOf(group));
  return {
    group,
    system: crystalSystem(own),
    crystalClass: own,
    laueClass: laueClass(group),
    operators: operatorStrings(group),
    parts: symbolParts(group),
    conditions: reflectionConditions(group),
    elements,
    positions,
    settings,
    reduced: reducedCell(s.cell, group),
    subgroups: subgroups(group),
    missed,
    pseudoTranslations,
    superstructure: raw ? findSuperstructure(raw, s.cell, group) : [],
    tolerance,
  };
}
