/** What is known of other marks and projects, as the CIF of them would take it. */
import type { CifInput } from '@nagare/core/publish/structure-cif';
import { db } from './db.ts';
import { recordInAxes } from './experiment.ts';

export interface KnownInput {
  readonly input: CifInput;
  /** What the file said, by data name. */
  readonly items: Readonly<Record<string, string>>;
}

/** Of a choice of another structure (`useOtherStructures`); undefined where it is gone or holds no structure. */
export async function knownOfChoice(choice: string): Promise<KnownInput | undefined> {
  const [kind, id] = choice.split(' ') as [string, string];
  const markId = kind === 'project' ? (await db.projects.get(id))?.head : id;
  const mark = markId ? await db.marks.get(markId) : undefined;
  const model = mark && (await db.models.get(mark.model));
  const project = mark && (await db.projects.get(mark.projectId));
  if (!mark || mark.type === 'fit' || model?.kind !== 'structure' || !project) return undefined;
  const { wavelength } = project.experiment;
  const figures = mark.type === 'crystal' ? mark : undefined;
  return {
    input: {
      name: project.name,
      structure: model.structure,
      experiment: recordInAxes(project.experiment, mark.basis),
      ...(wavelength ? { wavelength } : {}),
      date: new Date(project.updated).toISOString(),
      ...(model.treatment ? { treatment: model.treatment } : {}),
      ...(figures?.readings ? { readings: figures.readings } : {}),
      ...(figures?.residual ? { residual: figures.residual } : {}),
      ...(figures?.absolute ? { absolute: figures.absolute } : {}),
    },
    items: project.source?.items ?? {},
  };
}
