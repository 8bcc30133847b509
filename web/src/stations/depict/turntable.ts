/** A panel turned once about the upright direction of the page, as an animation. */
import { GIFEncoder, applyPalette, quantize } from 'gifenc';
import { PIXELS_PER_MM, turnedAbout, type Figure } from '@nagare/core/depict/figure';
import { overlayOf, overlayShapes } from '@nagare/core/depict/page';
import { sceneOfPanel, type PanelScene } from '@nagare/core/depict/panel-scene';
import { enlargedScene } from '@nagare/core/draw/ray-trace';
import { besidePainter } from './figure-pictures.ts';
import { measureText, paintShapes } from './shape-canvas.ts';

const FRAMES = 60,
  /** ms each. */
  FRAME = 60,
  /** Pixels across at most: animations grow with their area. */
  MOST_ACROSS = 800;

interface Course {
  isStopped(): boolean;
  tell(words: string): void;
}

/** Bytes of the GIF; undefined where it was stopped. */
export async function turntable(
  figure: Figure,
  scene: PanelScene,
  course: Course,
): Promise<Uint8Array<ArrayBuffer> | undefined> {
  const box = { ...scene.panel.box, x: 0, y: 0 };
  const factor = Math.min(2, MOST_ACROSS / (box.width * PIXELS_PER_MM));
  const width = Math.round(box.width * PIXELS_PER_MM * factor),
    height = Math.round(box.height * PIXELS_PER_MM * factor);
  const { painter, painted } = besidePainter();
  const canvas = Object.assign(document.createElement('canvas'), { width, height });
  const pen = canvas.getContext('2d', { willReadFrequently: true });
  if (!pen) throw new Error('This browser offers no canvas to make the animation on.');
  const gif = GIFEncoder();
  try {
    painter.resize(width, height);
    painter.show(enlargedScene(sceneOfPanel(figure, scene), factor).layers);
    painter.showDepth(figure.optics, figure.ground);
    for (let i = 0; i < FRAMES; i++) {
      if (course.isStopped()) return undefined;
      course.tell(`Picture ${i + 1} of ${FRAMES}…`);
      const view = { ...scene.panel.view, rotation: turnedAbout(scene.panel.view.rotation, (360 * i) / FRAMES) };
      const panel = { ...scene.panel, box, view };
      const turned = { ...scene, panel };
      painter.lookFrom(enlargedScene(sceneOfPanel(figure, turned), factor).camera);
      await painted();
      pen.setTransform(1, 0, 0, 1, 0, 0);
      pen.drawImage(await createImageBitmap(await painter.picture(figure.ground, null)), 0, 0, width, height);
      const { legend: _, ...bare } = figure;
      const over = overlayOf({ ...bare, panels: [panel], letters: false }, [turned], measureText);
      paintShapes(pen, overlayShapes(over), factor);
      const { data } = pen.getImageData(0, 0, width, height);
      const palette = quantize(data, 256);
      gif.writeFrame(applyPalette(data, palette), width, height, { palette, delay: FRAME });
    }
  } finally {
    painter.dispose();
  }
  gif.finish();
  return new Uint8Array(gif.bytes());
}
