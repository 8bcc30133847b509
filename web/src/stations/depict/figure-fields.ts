/** What figures take from a mark beside its structure: maps worked out from its data, potentials of its aspherical atoms. */
import { mapsWanted, potentialsWanted, type FigureFields } from '@nagare/core/depict/figure-surfaces';
import type { AtomPotentials } from '@nagare/core/crystal/form-factors';
import type { Drawing } from '@nagare/core/depict/figure';
import type { MapKind } from '@nagare/core/maps/residual';
import { mapOfMark, type MapOfMark } from '../../store/mark-map.ts';
import type { ProjectStore } from '../../store/project-state.ts';

const NO_DATA =
  'Density is drawn from measured intensities, and this mark has none of its space group: take the density out under “Beside the atoms”, or show a mark that was refined.';

/** What the surfaces of a drawing of a mark ask for. Throws Error in words where the mark has no data. */
export async function figureFields(
  store: ProjectStore,
  markId: string,
  { surfaces }: Pick<Drawing, 'surfaces'>,
): Promise<FigureFields> {
  const kinds = mapsWanted(surfaces);
  const maps = await Promise.all(kinds.map((kind) => mapOf(store, markId, kind)));
  const potentials = potentialsWanted(surfaces) ? await potentialsOf(store, markId) : undefined;
  return { ...Object.fromEntries(kinds.map((kind, i) => [kind, maps[i]])), ...(potentials ? { potentials } : {}) };
}

async function potentialsOf(store: ProjectStore, markId: string): Promise<AtomPotentials | undefined> {
  const content = await store.getState().contentOf(markId);
  return content?.kind === 'structure' ? content.treatment?.aspherical?.potentials : undefined;
}

async function mapOf(store: ProjectStore, markId: string, kind: MapKind): Promise<MapOfMark> {
  const map = await mapOfMark(store, markId, kind);
  if (!map) throw new Error(NO_DATA);
  return map;
}
