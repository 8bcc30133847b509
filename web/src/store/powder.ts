/** Patterns, instruments and phases of a powder project in the browser. */
import { anodeLines, USUAL_INSTRUMENT, type Instrument } from '@nagare/core/crystal/pattern';
import { newId } from '@nagare/core/crystal/structure';
import type { Recognised } from '@nagare/core/formats/recognise';
import { newPatternModel, newPhase, type FitModel, type PhaseModel } from '@nagare/core/powder/model';
import { addMark } from './course.ts';
import { db, type PatternRow, type PowderRow, type Project } from './db.ts';
import { demandProject, withRoom } from './keeping.ts';
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

type Taken = readonly { readonly fileName: string; readonly found: Recognised }[];

/** A project named by its patterns. */
function projectOf(all: Taken, first: Taken[number], id: string): Project {
  const further = all.filter((a) => a.found.powder).length - 1;
  const now = Date.now();
  return {
    id,
    name: further > 0 ? `${first.found.name} and ${further} more` : first.found.name,
    created: now,
    updated: now,
    source: { fileName: first.fileName, sentence: first.found.sentence },
    experiment: { kept: {} },
  };
}

async function addPatterns(all: Taken, projectId: string): Promise<void> {
  const rows = await db.patterns.where('projectId').equals(projectId).toArray();
  let order = rows.reduce((n, r) => Math.max(n, r.order + 1), 0);
  for (const { found, fileName } of all)
    if (found.powder) {
      const { lines: _, ...file } = found.powder;
      await db.patterns.add({ id: newId(), projectId, order: order++, fileName, file });
    }
}

/** The instrument: the one given, or the one last used with the lines that the first pattern tells. */
async function setInstrument(first: Taken[number], given: Instrument | undefined, projectId: string): Promise<void> {
  const row = await db.powder.get(projectId);
  if (row) {
    if (given) await db.powder.update(projectId, { instrument: given, instrumentKnown: true });
    return;
  }
  const lines = first.found.powder?.lines;
  const base = given ?? (await rememberedInstrument()) ?? USUAL_INSTRUMENT;
  const others = !given && lines && Math.abs(lines[0]!.wavelength - base.lines[0]!.wavelength) > 1e-4;
  await db.powder.add({
    projectId,
    instrument: others ? { ...base, lines } : base,
    ...(given ? { instrumentKnown: true } : {}),
  });
}

/** Structures of files as phases of the fit at the project's head. */
async function addStructuresAsPhases(structures: Taken, projectId: string): Promise<void> {
  const project = await db.projects.get(projectId);
  const head = project?.head ? await db.marks.get(project.head) : undefined;
  const model = head && (await db.models.get(head.model));
  const state = await fitState(projectId, model?.kind === 'fit' ? model.fit : undefined);
  if (!state) return;
  const phases = structures.map((a) =>
    newPhase(newId(), a.found.experiment.kept['_chemical_name_common'] ?? a.found.name, a.found.structure!),
  );
  const title = `${phases.map((p) => p.name).join(', ')} read from ${structures[0]!.fileName}`;
  await addPhases(projectId, head?.id, state, phases, title);
}

/**
 * Puts what was recognised into a powder project, all or nothing: patterns, an instrument, structures as phases. Without an id
 * a project is made. Returns its id. Throws StorageFull or ProjectGone.
 */
export async function takePowder(all: Taken, into?: string): Promise<string> {
  const id = into ?? newId();
  const first = all.find((a) => a.found.powder) ?? all[0]!;
  const given = all.find((a) => a.found.instrument)?.found.instrument;
  const structures = all.filter((a) => a.found.structure);
  const tables = [db.projects, db.patterns, db.powder, db.instruments, db.marks, db.models, db.results, db.data];
  await withRoom(db, () =>
    db.transaction('rw', tables, async () => {
      if (given) await rememberInstrument(given);
      if (into) await demandProject(db, id);
      else await db.projects.add(projectOf(all, first, id));
      await addPatterns(all, id);
      await setInstrument(first, given, id);
      if (structures.length) await addStructuresAsPhases(structures, id);
    }),
  );
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
