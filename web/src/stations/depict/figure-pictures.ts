/** Figures as files of pixels: panels painted by the graphics card at the size of the file, what lies over them on top. */
import { PIXELS_PER_MM, type Figure } from '@nagare/core/depict/figure';
import { overlayOf, overlayShapes } from '@nagare/core/depict/page';
import { sceneOfPanel, type PanelScene } from '@nagare/core/depict/panel-scene';
import { enlargedScene } from '@nagare/core/draw/ray-trace';
import { ScenePainter } from '../../scene/painter.ts';
import { measureText, paintShapes } from './shape-canvas.ts';

/** Pixels of the page an inch. */
const PAGE_DPI = 96;
/** Pixels a side that graphics cards paint at once. */
export const MOST_PIXELS = 8192;

export const pixelsOf = (figure: Figure, dpi: number): { readonly width: number; readonly height: number } => ({
  width: Math.round((figure.width * PIXELS_PER_MM * dpi) / PAGE_DPI),
  height: Math.round((figure.height * PIXELS_PER_MM * dpi) / PAGE_DPI),
});

/** A canvas as a PNG. Throws Error where the browser writes none. */
export const pngOf = (canvas: HTMLCanvasElement): Promise<Blob> =>
  new Promise((resolve, reject) =>
    canvas.toBlob(
      (blob) =>
        blob ? resolve(blob) : reject(new Error('The browser could not write the picture. Try fewer dots an inch.')),
      'image/png',
    ),
  );

export interface BesidePainter {
  readonly painter: ScenePainter;
  /** When the picture as it is asked for has been painted. Rejects in words where the browser cannot paint. */
  painted(): Promise<void>;
}

/** A painter of a canvas that nobody sees. */
export function besidePainter(): BesidePainter {
  let fail: (e: Error) => void = () => undefined;
  const failed = new Promise<never>((_, reject) => (fail = reject));
  // Where it fails while nobody waits, whoever asks next hears of it.
  failed.catch(() => undefined);
  const words = 'This browser offers no WebGL, so the crystal cannot be painted. SVG, PDF and rays work all the same.';
  const painter = new ScenePainter(() => fail(new Error(words)), 1);
  return { painter, painted: () => Promise.race([painter.painted(), failed]) };
}

/** One panel at so many pixels for one of the page. */
async function paintedPanel(figure: Figure, scene: PanelScene, factor: number): Promise<ImageBitmap> {
  const { layers, camera } = enlargedScene(sceneOfPanel(figure, scene), factor);
  const { painter, painted } = besidePainter();
  try {
    painter.resize(
      Math.round(scene.panel.box.width * PIXELS_PER_MM * factor),
      Math.round(scene.panel.box.height * PIXELS_PER_MM * factor),
    );
    painter.show(layers);
    painter.showDepth(figure.optics, figure.ground);
    painter.lookFrom(camera);
    await painted();
    return await createImageBitmap(await painter.picture(undefined, null));
  } finally {
    painter.dispose();
  }
}

/** The figure on a canvas. Throws Error in words where it would be too large, or the browser cannot paint it. */
export async function figureCanvas(
  figure: Figure,
  scenes: readonly PanelScene[],
  dpi: number,
): Promise<HTMLCanvasElement> {
  const size = pixelsOf(figure, dpi);
  if (Math.max(size.width, size.height) > MOST_PIXELS)
    throw new Error(
      `${size.width} × ${size.height} pixels are more than graphics cards paint at once (${MOST_PIXELS} a side). Choose fewer dots an inch, SVG or PDF.`,
    );
  const factor = dpi / PAGE_DPI;
  const canvas = Object.assign(document.createElement('canvas'), size);
  const pen = canvas.getContext('2d');
  if (!pen) throw new Error('This browser offers no canvas to put the figure together on.');
  if (!figure.clear) {
    pen.fillStyle = figure.ground;
    pen.fillRect(0, 0, size.width, size.height);
  }
  for (const scene of scenes) {
    const { x, y, width, height } = scene.panel.box;
    const px = PIXELS_PER_MM * factor;
    pen.drawImage(await paintedPanel(figure, scene, factor), x * px, y * px, width * px, height * px);
  }
  paintShapes(pen, overlayShapes(overlayOf(figure, scenes, measureText)), factor);
  return canvas;
}
