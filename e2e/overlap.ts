/** Whether a vector file lays things over each other as they stand: its pixels against those of rays, by the hue of each thing. */
import type { Page } from '@playwright/test';
import { Tracer, PREVIEW } from '@nagare/core/draw/ray-trace';
import type { Layer, Scene } from '@nagare/core/draw/scene';
import { paintSvg } from '@nagare/core/draw/svg';

export const OVERLAP_SIZE = { width: 480, height: 360 };
/** Hues that survive light and shade, degrees. */
const HUES = 8;
/** Share of the brightest channel by which a colour must differ from grey to have a hue. */
const COLOURED = 0.25;

function colourOfHue(hue: number): string {
  const channel = (n: number): string => {
    const k = (n + hue / 60) % 6;
    const v = 0.85 - 0.65 * Math.max(0, Math.min(k, 4 - k, 1));
    return Math.round(255 * v)
      .toString(16)
      .padStart(2, '0');
  };
  return `#${channel(5)}${channel(3)}${channel(1)}`;
}

/** Every thing of a scene opaque, in one of a few strong colours. */
export function inHues(scene: Scene): Scene {
  let n = 0;
  const next = (): string => colourOfHue(((n++ * 5) % HUES) * (360 / HUES));
  const layers = scene.layers.flatMap((l): Layer[] => {
    if (l.kind === 'atoms')
      return [
        {
          ...l,
          items: l.items.map(({ sectors: _, ...a }) => ({
            ...a,
            shape: 'sphere' as const,
            colour: next(),
            opacity: 1,
          })),
        },
      ];
    if (l.kind === 'bonds')
      return [
        {
          ...l,
          items: l.items.map((b) => {
            const colour = next();
            return { ...b, colours: [colour, colour] as const, opacity: 1 };
          }),
        },
      ];
    if (l.kind === 'polyhedra')
      return [{ ...l, items: l.items.map((p) => ({ ...p, colour: next(), opacity: 1, edgeWidth: 0 })) }];
    return [];
  });
  return { ...scene, layers };
}

/** Number of the hue of a pixel; −1 where it has none. */
function hueAt(data: ArrayLike<number>, i: number): number {
  const [r, g, b] = [data[i]!, data[i + 1]!, data[i + 2]!];
  const most = Math.max(r, g, b),
    least = Math.min(r, g, b);
  if (most - least < COLOURED * most || most < 20) return -1;
  const span = most - least;
  const h = most === r ? ((g - b) / span + 6) % 6 : most === g ? (b - r) / span + 2 : (r - g) / span + 4;
  return Math.round((h / 6) * HUES) % HUES;
}

/** Of the pixels that show one thing with all their neighbours, by rays: how many, and how many show another in the vector file. */
export async function wrongOverlaps(
  page: Page,
  plain: Scene,
): Promise<{ readonly compared: number; readonly wrong: number }> {
  const scene = inHues({ ...plain, ground: '#ffffff' });
  const { width, height } = OVERLAP_SIZE;
  const rays = new Tracer(scene, OVERLAP_SIZE, { ...PREVIEW, shadows: 0, outline: false, finish: 'matt' }).tile({
    x: 0,
    y: 0,
    ...OVERLAP_SIZE,
  });
  const svg = Buffer.from(paintSvg(scene, OVERLAP_SIZE)).toString('base64');
  const pixels = await page.evaluate(
    async ([source, w, h]) => {
      const image = new Image();
      image.src = `data:image/svg+xml;base64,${source}`;
      await image.decode();
      const pen = new OffscreenCanvas(w, h).getContext('2d')!;
      pen.drawImage(image, 0, 0, w, h);
      const { data } = pen.getImageData(0, 0, w, h);
      let text = '';
      for (let i = 0; i < data.length; i += 4096) text += String.fromCharCode(...data.subarray(i, i + 4096));
      return btoa(text);
    },
    [svg, width, height] as const,
  );
  const painted = Buffer.from(pixels, 'base64');
  let compared = 0,
    wrong = 0;
  for (let y = 2; y < height - 2; y++)
    for (let x = 2; x < width - 2; x++) {
      const at = (u: number, v: number): number => 4 * (x + u + width * (y + v));
      const hue = hueAt(rays, at(0, 0));
      if (hue < 0) continue;
      let even = true;
      for (let v = -2; v <= 2 && even; v++)
        for (let u = -2; u <= 2; u++) if (hueAt(rays, at(u, v)) !== hue) even = false;
      const shown = hueAt(painted, at(0, 0));
      if (!even || shown < 0) continue;
      compared++;
      if (shown !== hue) wrong++;
    }
  return { compared, wrong };
}
