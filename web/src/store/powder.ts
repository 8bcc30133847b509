/** Patterns, instruments and phases of a powder project in the browser. */
import { anodeLines, USUAL_INSTRUMENT, type Instrument } from '@nagare/core/crystal/pattern';
import { newId } from '@nagare/core/crystal/structure';
import type { Recognised } from '@nagare/core/formats/recognise';
import { newPatternModel, newPhase, type FitModel, type PhaseModel } from '@nagare/core/powder/model';
import { addMark } from './course.ts';
import { db, type PatternRow, type PowderRow, type Project } from './db.ts';
import { demandProject } from './keeping.ts';
import type { FitState } from './marks.ts';
import { z } from 'zod';
import { remember, remembered } from './remembered.ts';

/** The instrument last used or calibrated in this browser. */
export async function rememberedInstrument(): Promise<Instrument | undefined> {
  const name = remembered('instrument', z.string(), '');
  return name ? db.instruments.get(name) : undefined;
}

export async function rememberInstrument(i: Instrument): Promise<void> {
  await db.instruments.put(i);
  remember('instrument', i.name);
}

/** Puts what was recognised into a powder project: patterns, an instrument, structures as phases. Without an id a project is made. Returns its id. */
export async function takePowder(
  all: readonly { fileName: string; found: Recognised }[],
  into?: string,
): Promise<string> {
  const id = into ?? newId(),
    now = Date.now();
  const first = all.find((a) => a.found.powder) ?? all[0]!;
  const given = all.find((a) => a.found.instrument)?.found.instrument;
  if (given) await rememberInstrument(given);
  if (!into) {
    const patterns = all.filter((a) => a.found.powder);
    const project: Project = {
      id,
      name: patterns.length > 1 ? `${first.found.name} and ${patterns.length - 1} more` : first.found.name,
      created: now,
      updated: now,
      source: { fileName: first.fileName, sentence: first.found.sentence },
      experiment: { kept: {} },
    };
    await db.projects.add(project);
  }
  const rows = await db.patterns.where('projectId').equals(id).toArray();
  let order = rows.reduce((n, r) => Math.max(n, r.order + 1), 0);
  for (const { found, fileName } of all)
    if (found.powder) {
      const { lines: _, ...file } = found.powder;
      await db.patterns.add({ id: newId(), projectId: id, order: order++, fileName, file });
    }
  await demandProject(db, id);
  const row = await db.powder.get(id);
  const lines = first.found.powder?.lines;
  if (!row) {
    const base = given ?? (await rememberedInstrument()) ?? USUAL_INSTRUMENT;
    await db.powder.add({
      projectId: id,
      instrument:
        !given && lines && Math.abs(lines[0]!.wavelength - base.lines[0]!.wavelength) > 1e-4
          ? { ...base, lines }
          : base,
      ...(given ? { instrumentKnown: true } : {}),
    });
  } else if (given) await db.powder.update(id, { instrument: given, instrumentKnown: true });
  const structures = all.filter((a) => a.found.structure);
  if (structures.length) {
    const project = (await db.projects.get(id))!;
    const head = project.head ? await db.marks.get(project.head) : undefined;
    const model = head && (await db.models.get(head.model));
    const state = await fitState(id, model?.kind === 'fit' ? model.fit : undefined);
    if (state) {
      const phases = structures.map((a) =>
        newPhase(newId(), a.found.experiment.kept['_chemical_name_common'] ?? a.found.name, a.found.structure!),
      );
      await addPhases(
        id,
        head?.id,
        state,
        phases,
        `${phases.map((p) => p.name).join(', ')} read from ${structures[0]!.fileName}`,
      );
    }
  }
  return id;
}

/** The fit of a mark, or a new one of the first pattern; undefined without a pattern. */
export async function fitState(projectId: string, fit: FitState | undefined): Promise<FitState | undefined> {
  if (fit) return fit;
  const first = (await db.patterns.where('projectId').equals(projectId).sortBy('order'))[0];
  const row = await db.powder.get(projectId);
  return first && row ? freshFit(first, row) : undefined;
}

export const freshFit = (pattern: PatternRow, row: PowderRow): FitState => ({
  model: { phases: [], patterns: [newPatternModel(pattern.file.pattern, row.instrument, 0, 8)] },
  patterns: [pattern.id],
});

/** A fit with further phases, their scales starting at nothing. */
export const withPhases = (m: FitModel, phases: readonly PhaseModel[]): FitModel => ({
  phases: [...m.phases, ...phases],
  patterns: m.patterns.map((p) => ({ ...p, scales: [...p.scales, ...phases.map((x) => (x.extraction ? 1 : 0))] })),
});

export const withoutPhase = (m: FitModel, id: string): FitModel => {
  const at = m.phases.findIndex((p) => p.id === id);
  return {
    phases: m.phases.filter((p) => p.id !== id),
    patterns: m.patterns.map((p) => ({ ...p, scales: p.scales.filter((_, i) => i !== at) })),
  };
};

export async function addPhases(
  projectId: string,
  parent: string | undefined,
  state: FitState,
  phases: readonly PhaseModel[],
  title: string,
): Promise<string> {
  const model = withPhases(state.model, phases);
  const { mark } = await addMark(db, {
    projectId,
    ...(parent ? { parent } : {}),
    kind: 'edit',
    title,
    content: { kind: 'fit', fit: { model, patterns: state.patterns } },
  });
  return mark.id;
}

/** Choices of spectrum for the instrument form. */
export const SPECTRA: readonly { name: string; lines: Instrument['lines'] }[] = [
  ...['Cu', 'Co', 'Mo', 'Fe', 'Cr', 'Ag'].flatMap((a) => [
    { name: `${a} Kα1 and Kα2`, lines: anodeLines(a) },
    { name: `${a} Kα1 only`, lines: anodeLines(a, true) },
  ]),
];
