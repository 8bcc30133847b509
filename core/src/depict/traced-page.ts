/** The panels of a figure by tracing rays, put on its page; what is written over them is not painted. */
import type { Size } from '../draw/camera.ts';
import { channels } from '../draw/colours.ts';
import { enlargedScene, Tracer, type TraceOptions } from '../draw/ray-trace.ts';
import type { Scene } from '../draw/scene.ts';
import { PIXELS_PER_MM, type Figure } from './figure.ts';
import { sceneOfPanel, type PanelScene } from './panel-scene.ts';

/** Rows of a piece, pixels. */
const ROWS = 64;

export interface Raster extends Size {
  /** Red, green, blue, cover of each pixel, 0–255. */
  readonly data: Uint8ClampedArray;
}

/** A scene traced whole; `tell` hears the share (0–1) that is done. */
export function tracedScene(scene: Scene, size: Size, options: TraceOptions, tell?: (share: number) => void): Raster {
  const tracer = new Tracer(scene, size, options);
  const data = new Uint8ClampedArray(4 * size.width * size.height);
  for (let y = 0; y < size.height; y += ROWS) {
    const height = Math.min(ROWS, size.height - y);
    data.set(tracer.tile({ x: 0, y, width: size.width, height }), 4 * size.width * y);
    tell?.((y + height) / size.height);
  }
  return { ...size, data };
}

/** Lays one picture into another, as much of it as has room there. */
function lay(part: Raster, page: Raster, x: number, y: number): void {
  const room = Math.min(part.width, page.width - x);
  for (let row = 0; row < part.height && y + row < page.height; row++) {
    const from = 4 * part.width * row;
    page.data.set(part.data.subarray(from, from + 4 * room), 4 * ((y + row) * page.width + x));
  }
}

/** A figure so many pixels across. */
export function tracedPage(
  figure: Figure,
  scenes: readonly PanelScene[],
  width: number,
  options: TraceOptions,
  tell?: (share: number) => void,
): Raster {
  const factor = width / (figure.width * PIXELS_PER_MM);
  const height = Math.max(1, Math.round(figure.height * PIXELS_PER_MM * factor));
  const page: Raster = { width, height, data: new Uint8ClampedArray(4 * width * height) };
  const [r, g, b] = channels(figure.ground);
  for (let i = 0; i < page.data.length; i += 4) page.data.set([r, g, b, figure.clear ? 0 : 255], i);
  const px = (mm: number): number => Math.round(mm * PIXELS_PER_MM * factor);
  scenes.forEach((scene, n) => {
    const { box } = scene.panel;
    const size = { width: Math.min(px(box.width), width), height: Math.min(px(box.height), height) };
    if (!size.width || !size.height) return;
    const big = enlargedScene(sceneOfPanel(figure, scene), factor);
    const part = tracedScene(big, size, { ...options, clear: figure.clear }, (share) =>
      tell?.((n + share) / scenes.length),
    );
    lay(part, page, px(box.x), px(box.y));
  });
  return page;
}
