/** The density of any mark of the course, worked out from its data. */
import type { MapKind } from '@nagare/core/maps/residual';
import type { SampledMap } from '@nagare/core/maps/sample';
import { run } from '../engine/engine.ts';
import { experimentOf } from './experiment.ts';
import { mergedForModel } from './mark-data.ts';
import { headOf } from './marks.ts';
import type { ProjectStore } from './project-state.ts';

export type MapOfMark = SampledMap & { values: Float32Array };

/** A map of a mark; undefined where it has no intensities of its space group. */
export async function mapOfMark(store: ProjectStore, markId: string, kind: MapKind): Promise<MapOfMark | undefined> {
  const { result, marks, contentOf, project, intake } = store.getState();
  // The residual map of the newest mark is there already.
  if (kind === 'difference' && result?.markId === markId && result.map) return result.map;
  const mark = marks.find((m) => m.id === markId);
  const content = await contentOf(markId);
  const wavelength = project?.experiment.wavelength;
  if (mark?.type !== 'crystal' || content?.kind !== 'structure' || !intake || !project || !wavelength) return undefined;
  const merged = await mergedForModel(project.id, intake, content.structure, mark.basis);
  if (!merged) return undefined;
  return run('map', { ...experimentOf(headOf(mark, content), merged, wavelength), kind }).result;
}
