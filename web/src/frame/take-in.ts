/** Takes what files held into projects, by the way that was chosen. */
import type { Structure } from '@nagare/core/crystal/structure';
import { run } from '../engine/engine.ts';
import { db } from '../store/db.ts';
import { NO_LOOKS, type LooksRow } from '../store/looks.ts';
import { takePowder } from '../store/powder.ts';
import { addReflections, addStructures, createProject } from '../store/projects.ts';
import { rememberedView } from '../store/view-state.ts';
import { isStructureAlone, type Arrived, type Here, type Way } from './arrivals.ts';

/** What the project on screen is. */
export async function hereOf(id: string | undefined): Promise<Here | undefined> {
  if (!id) return undefined;
  const [powder, data, marks] = await Promise.all([
    db.powder.get(id),
    db.data.where('projectId').equals(id).count(),
    db.marks.where('projectId').equals(id).count(),
  ]);
  return { powder: !!powder, structureAlone: !powder && !data && marks > 0 };
}

/** How a structure alone is shown first: by what it is. */
async function firstLooks(structure: Structure): Promise<Omit<LooksRow, 'projectId'>> {
  const look = await run('first look', { structure }).result;
  return {
    view: { ...rememberedView(), extent: look.extent, look: look.look, colourBy: 'element' },
    looks: NO_LOOKS,
    rotation: look.rotation,
  };
}

const create = async ({ fileName, found }: Arrived): Promise<string> =>
  createProject(found, fileName, isStructureAlone(found) ? await firstLooks(found.structure!) : undefined);

/** A project of a structure that was built here. Returns it. */
export async function createBuilt(name: string, structure: Structure, title: string): Promise<string> {
  const found = {
    name,
    sentence: title,
    experiment: { kept: {} },
    structure,
    cell: structure.cell,
    spaceGroup: structure.spaceGroup,
  };
  return createProject(found, name, await firstLooks(structure), title);
}

/** Returns the project to go to. Throws Error in words where something does not fit; then nothing was taken in. */
export async function takeIn(way: Way, chosen: readonly Arrived[], here: string | undefined): Promise<string> {
  switch (way) {
    case 'patterns into this':
      return takePowder([...chosen], here);
    case 'patterns as new':
      return takePowder([...chosen]);
    case 'reflections into this':
      await addReflections(here!, chosen[0]!.found, chosen[0]!.fileName);
      return here!;
    case 'marks': {
      const id = await create(chosen[0]!);
      await addStructures(id, chosen.slice(1));
      return id;
    }
    case 'projects': {
      let last = '';
      for (const a of chosen) last = await create(a);
      return last;
    }
  }
}
