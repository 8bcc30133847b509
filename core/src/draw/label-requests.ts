/** Which labels of a scene ask for a place, and where; the same for every painter. */
import { project, toViewer, type Size } from './camera.ts';
import { type LabelRequest } from './labels.ts';
import type { Camera, LabelPrimitive, Scene } from './scene.ts';
import { number } from './svg-canvas.ts';

/** Cosine of a face's normal with the line of sight from which on it has room for a name. */
const FACING = 0.3;

/** Whether a label may stand: the name of a face only where the face is turned to the viewer. */
export const isNameable = (camera: Camera, { normal }: Pick<LabelPrimitive, 'normal'>): boolean =>
  !normal || toViewer(camera, normal)[2] >= FACING;

/** Where every label of a scene goes, pixels: the same for every painter, given how wide text is. */
export function labelRequests(scene: Scene, size: Size): (LabelRequest & { readonly colour: string })[] {
  const seen = new Set<string>();
  return scene.layers.flatMap((layer) => {
    if (layer.kind !== 'labels') return [];
    return layer.items.flatMap((l) => {
      if (!isNameable(scene.camera, l)) return [];
      const p = project(scene.camera, size, l.at);
      if (p.x < 0 || p.y < 0 || p.x > size.width || p.y > size.height) return [];
      // A selected atom has its label twice, once with the weight of the selection.
      const key = `${l.text} ${number(p.x)} ${number(p.y)}`;
      if (layer.name === 'model' && seen.has(key)) return [];
      seen.add(key);
      return [
        {
          text: l.text,
          x: p.x,
          y: p.y,
          clear: Math.max(2, l.clear / scene.camera.scale),
          weight: l.weight + p.depth,
          colour: l.colour,
          ...(l.normal ? { onFace: true } : {}),
        },
      ];
    });
  });
}
