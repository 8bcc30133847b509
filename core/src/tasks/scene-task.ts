/** Building the layers of a large scene beside the page. */
import { z } from 'zod';
import type { Structure } from '../crystal/structure.ts';
import { buildLayers, type SceneWish } from '../draw/build-scene.ts';
import type { Layer } from '../draw/scene.ts';
import { structureSchema } from './schemas.ts';
import { shaped, task } from './task.ts';

export const sceneTask = task<{ structure: Structure; wish: SceneWish }, readonly Layer[], never>({
  name: 'scene',
  input: z.object({ structure: structureSchema, wish: shaped<SceneWish>(['extent', 'rules', 'colours']) }),
  output: z.array(shaped<Layer>(['kind', 'name', 'items'])),
  run: async ({ structure, wish }) => buildLayers(structure, wish),
});
