/** `symmetry` and `reset` of the terminal: what symmetry a model has, nearly has, and how it looks in other axes. */
import { experiment } from '@nagare/core/crystal/experiment';
import { cellParameters } from '@nagare/core/crystal/cell';
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import { evaluateStructure } from '@nagare/core/refine/single-crystal-problem';
import { mergeForGroup } from '@nagare/core/solve/prepare';
import { structureCif } from '@nagare/core/publish/structure-cif';
import {
  changeReflections,
  changeStructure,
  changeTreatment,
  changeWords,
  consequenceOf,
  parseChange,
  type AxesChange,
} from '@nagare/core/symmetry/change-setting';
import { missedWithOpinion } from '@nagare/core/symmetry/report';
import { settingsOf } from '@nagare/core/symmetry/settings-of';
import { findSetting } from '@nagare/core/crystal/settings';
import type { Recognised } from '@nagare/core/formats/recognise';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import { BadInput, type Answer } from './answers.ts';

const rounded = (x: number, digits: number): number => Number(x.toFixed(digits)) + 0;
export const groupJson = (g: SpaceGroup): { number: number; symbol: string; hall: string } => ({
  number: g.number,
  symbol: g.symbol,
  hall: g.hall,
});
const changeJson = (c: AxesChange): { matrix: number[]; shift: number[] } => ({
  matrix: c.p.map((x) => rounded(x, 6)),
  shift: c.origin.map((x) => rounded(x, 6)),
});

/** What is present, what was missed, and the settings to choose from. `raw` is in the axes of the model. */
export function symmetryAnswer(model: Recognised, tolerance: number, raw?: RawReflections): Answer {
  const s = model.structure!;
  const missed = missedWithOpinion(s, tolerance, raw);
  const settings = settingsOf(s.cell, s.spaceGroup);
  const json = {
    present: groupJson(s.spaceGroup),
    tolerance,
    missed: missed
      .filter((m) => m.likely)
      .map((m) => ({
        ...groupJson(m.group),
        ...changeJson(m.change),
        index: m.index,
        maxDeviation: rounded(m.maxDeviation, 4),
        rms: rounded(m.rms, 4),
        rIntHigher: m.opinion ? m.opinion.rIntThen : null,
        rIntPresent: m.opinion ? m.opinion.rIntNow : null,
        verdict: m.opinion?.verdict ?? null,
      })),
    nearly: missed
      .filter((m) => !m.likely)
      .map((m) => ({
        ...groupJson(m.group),
        index: m.index,
        maxDeviation: rounded(m.maxDeviation, 4),
        fit: rounded(m.fit, 3),
        misfits: m.misfits.slice(0, 12).map((x) => ({
          atom: s.sites[x.site]!.label,
          distance: Number.isFinite(x.distance) ? rounded(x.distance, 3) : null,
        })),
        verdict: m.opinion?.verdict ?? null,
      })),
    settings: settings.map((c) => ({
      ...groupJson(c.group),
      ...changeJson(c.change),
      cell: cellParameters(c.cell).map((x) => rounded(x, 4)),
      present: c.present,
      standard: c.standard,
      why: c.reasons,
    })),
  };
  const text = [
    `${s.spaceGroup.symbol} (no. ${s.spaceGroup.number}).`,
    ...missed.map((m) => `${m.likely ? 'Missed' : 'Nearly'}: ${m.words}`),
    ...(missed.length ? [] : [`No further symmetry within ${tolerance} Å.`]),
    ...settings.map(
      (c) =>
        `${c.group.symbol}: ${cellParameters(c.cell)
          .map((x, i) => x.toFixed(i < 3 ? 3 : 2))
          .join(' ')}${c.reasons.length ? ` (${c.reasons.join(', ')})` : ''}`,
    ),
  ].join('\n');
  return { json, text };
}

/** The model in another setting: "standard", a symbol of the same type, or "matrix;shift". */
export function chooseChange(model: Recognised, wanted: string): AxesChange {
  const s = model.structure!;
  if (/[;,]/.test(wanted) || wanted.trim().split(/\s+/).length === 9) {
    const change = parseChange(wanted);
    const c = consequenceOf(s.cell, s.spaceGroup, change);
    if (!c.possible) throw new BadInput(`--setting "${wanted}": ${c.reason}`);
    return change;
  }
  const list = settingsOf(s.cell, s.spaceGroup);
  if (wanted === 'standard') return list.find((c) => c.standard)!.change;
  const named = findSetting(wanted);
  if (!named)
    throw new BadInput(
      `--setting "${wanted}" is neither "standard" nor a known symbol nor a change of axes such as "-a-c,b,a;0,0,0".`,
    );
  const choice = list.find((c) => c.group.hall === named.hall) ?? list.find((c) => c.group.symbol === named.symbol);
  if (!choice)
    throw new BadInput(
      `${named.symbol} is ${named.number === s.spaceGroup.number ? 'not reached from this cell by a usual change of axes' : `of another type (no. ${named.number}) than ${s.spaceGroup.symbol} (no. ${s.spaceGroup.number})`}. Settings of this structure: ${list.map((c) => c.group.symbol).join(', ')}.`,
    );
  return choice.change;
}

/** The model and its reflections carried to other axes: the CIF text, and R1 on both sides. */
export function resetAnswer(
  model: Recognised,
  change: AxesChange,
  raw: RawReflections | undefined,
): Answer & { cif: string } {
  const s = model.structure!;
  const next = changeStructure(s, change);
  const treatment = model.treatment && changeTreatment(model.treatment, change);
  const wavelength = model.experiment.wavelength;
  const moved = raw && changeReflections(raw, change).raw;
  const merged = moved && mergeForGroup(moved, next.cell, next.spaceGroup);
  const r1 = (structure: typeof s, data: RawReflections | undefined, t: typeof treatment): number | null =>
    data && wavelength
      ? evaluateStructure(
          experiment(structure, mergeForGroup(data, structure.cell, structure.spaceGroup).reflections, wavelength, {
            weights: { a: 0.05, b: 0 },
            treatment: t,
          }),
        ).figures.r1
      : null;
  const before = r1(s, raw, model.treatment),
    after = r1(next, moved, treatment);
  const cif = structureCif({
    name: model.name,
    structure: next,
    experiment: model.experiment,
    ...(wavelength ? { wavelength } : {}),
    ...(merged ? { reflections: merged.reflections, statistics: merged.statistics } : {}),
    ...(treatment ? { treatment } : {}),
    date: new Date().toISOString(),
    exact: true,
  });
  return {
    cif,
    json: {
      from: groupJson(s.spaceGroup),
      to: groupJson(next.spaceGroup),
      ...changeJson(change),
      cell: cellParameters(next.cell).map((x) => rounded(x, 5)),
      r1Before: before,
      r1After: after,
    },
    text: `${s.spaceGroup.symbol} → ${next.spaceGroup.symbol}: ${changeWords(change)}.${before !== null ? ` R1 ${(100 * before).toFixed(3)} % before, ${(100 * after!).toFixed(3)} % after.` : ''}`,
  };
}
