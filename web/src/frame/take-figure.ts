/** A figure's file that was dropped: into the project on screen where its atoms are there, else as a project of its own structure. */
import type { Structure } from '@nagare/core/crystal/structure';
import { copyOfFigure } from '../stations/depict/figure-edits.ts';
import { readFigureFile } from '../stations/depict/figure-file.ts';
import { db } from '../store/db.ts';
import { handFigure } from '../store/figure-inbox.ts';
import { createProject } from '../store/projects.ts';
import { NO_LOOKS } from '../store/looks.ts';
import { rememberedView } from '../store/view-state.ts';

async function structureOf(projectId: string): Promise<Structure | undefined> {
  const head = (await db.projects.get(projectId))?.head;
  const mark = head === undefined ? undefined : await db.marks.get(head);
  const model = mark && (await db.models.get(mark.model));
  return model?.kind === 'structure' ? model.structure : undefined;
}

/** Whether every site that a structure names is in another, the same element there. */
export function holdsAll(s: Structure, other: Structure): boolean {
  const elements = new Map(s.sites.map((x) => [x.id, x.element]));
  return other.sites.every((x) => elements.get(x.id) === x.element);
}

/** The project the figure went to. Throws Error in words where the file is no figure; then nothing was taken in. */
export async function takeFigure(text: string, fileName: string, here: string | undefined): Promise<string> {
  const read = readFigureFile(text, fileName);
  const figure = copyOfFigure(read.figure, read.figure.name);
  const structure = Object.values(read.structures)[0];
  if (!structure) throw new Error(`${fileName} holds no structure for its figure. Save it again from where it came.`);
  const present = here === undefined ? undefined : await structureOf(here);
  if (here !== undefined && present && holdsAll(present, structure) && handFigure(here, figure)) return here;
  const found = {
    name: figure.name,
    sentence: `The structure of the figure “${figure.name}”`,
    experiment: { kept: {} },
    structure,
    cell: structure.cell,
    spaceGroup: structure.spaceGroup,
  };
  return createProject(found, fileName, { view: rememberedView(), looks: { ...NO_LOOKS, figures: [figure] } });
}
