/** Density for figures: maps of the mark that a drawing shows, worked out from its data. */
import { mapsWanted, type FigureMaps } from '@nagare/core/depict/figure-surfaces';
import type { Drawing } from '@nagare/core/depict/figure';
import type { MapKind } from '@nagare/core/maps/residual';
import { mapOfMark, type MapOfMark } from '../../store/mark-map.ts';
import type { ProjectStore } from '../../store/project-state.ts';

const NO_DATA =
  'Density is drawn from measured intensities, and this mark has none of its space group: take the density out under “Beside the atoms”, or show a mark that was refined.';

/** Maps that a drawing of a mark asks for. Throws Error in words where the mark has no data. */
export async function figureMaps(
  store: ProjectStore,
  markId: string,
  { surfaces }: Pick<Drawing, 'surfaces'>,
): Promise<FigureMaps> {
  const kinds = mapsWanted(surfaces);
  const maps = await Promise.all(kinds.map((kind) => mapOf(store, markId, kind)));
  return Object.fromEntries(kinds.map((kind, i) => [kind, maps[i]]));
}

async function mapOf(store: ProjectStore, markId: string, kind: MapKind): Promise<MapOfMark> {
  const map = await mapOfMark(store, markId, kind);
  if (!map) throw new Error(NO_DATA);
  return map;
}
