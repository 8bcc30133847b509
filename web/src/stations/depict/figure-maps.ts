/** Density for figures: maps of the mark that a drawing shows, worked out from its data. */
import { mapsWanted, type FigureMaps } from '@nagare/core/depict/figure-surfaces';
import type { Drawing } from '@nagare/core/depict/figure';
import type { MapKind } from '@nagare/core/maps/residual';
import type { SampledMap } from '@nagare/core/maps/sample';
import { run } from '../../engine/engine.ts';
import { experimentOf } from '../../store/experiment.ts';
import { mergedForModel } from '../../store/mark-data.ts';
import { headOf } from '../../store/marks.ts';
import type { ProjectStore } from '../../store/project-store.ts';

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

async function mapOf(
  store: ProjectStore,
  markId: string,
  kind: MapKind,
): Promise<SampledMap & { values: Float32Array }> {
  const { result, marks, contentOf, project, intake } = store.getState();
  // The residual map of the newest mark is there already.
  if (kind === 'difference' && result?.markId === markId && result.map) return result.map;
  const mark = marks.find((m) => m.id === markId);
  const content = await contentOf(markId);
  const wavelength = project?.experiment.wavelength;
  if (mark?.type !== 'crystal' || content?.kind !== 'structure' || !intake || !project || !wavelength)
    throw new Error(NO_DATA);
  const merged = await mergedForModel(project.id, intake, content.structure, mark.basis);
  if (!merged) throw new Error(NO_DATA);
  return run('map', { ...experimentOf(headOf(mark, content), merged, wavelength), kind }).result;
}
