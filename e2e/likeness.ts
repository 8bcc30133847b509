/** How alike two pictures are. */
import type { Page } from '@playwright/test';

export interface Likeness {
  /** Share of the picture that is not ground, in either. */
  readonly inked: number;
  /** Pixels that are ink in both over those that are in either. */
  readonly overlap: number;
  /** Share of the ink of either that has ink of the other within a pixel: what anti-aliasing and thin lines do is left aside. */
  readonly outline: number;
  /** Mean difference of the colours of blocks that hold ink, 0–255. */
  readonly colour: number;
  /** Share of those blocks that differ by more than anti-aliasing and shading explain. */
  readonly apart: number;
}

/** Lays two pictures over each other in the page, pixel by pixel and in blocks of eight. */
export const compare = (page: Page, first: string, second: string): Promise<Likeness> =>
  page.evaluate(
    async ([a, b]) => {
      const width = 640,
        height = 400,
        block = 8;
      const pixels = async (source: string): Promise<Uint8ClampedArray> => {
        const image = new Image();
        image.src = source;
        await image.decode();
        const canvas = new OffscreenCanvas(width, height);
        const context = canvas.getContext('2d')!;
        context.drawImage(image, 0, 0, width, height);
        return context.getImageData(0, 0, width, height).data;
      };
      const [p, q] = [await pixels(a!), await pixels(b!)];
      const ink = (d: Uint8ClampedArray, i: number): boolean =>
        Math.abs(d[i]! - d[0]!) + Math.abs(d[i + 1]! - d[1]!) + Math.abs(d[i + 2]! - d[2]!) > 40;
      let both = 0,
        either = 0;
      for (let i = 0; i < p.length; i += 4) {
        const here = ink(p, i),
          there = ink(q, i);
        if (here && there) both++;
        if (here || there) either++;
      }
      const mask = (d: Uint8ClampedArray): Uint8Array =>
        Uint8Array.from({ length: width * height }, (_, i) => (ink(d, 4 * i) ? 1 : 0));
      const [m, n] = [mask(p), mask(q)];
      const isNear = (of: Uint8Array, at: number): boolean => {
        const x = at % width,
          y = (at - x) / width;
        for (let v = Math.max(0, y - 1); v <= Math.min(height - 1, y + 1); v++)
          for (let u = Math.max(0, x - 1); u <= Math.min(width - 1, x + 1); u++) if (of[v * width + u]) return true;
        return false;
      };
      let inked = 0,
        matched = 0;
      for (const [here, other] of [
        [m, n],
        [n, m],
      ] as const)
        here.forEach((one, at) => {
          if (!one) return;
          inked++;
          if (isNear(other, at)) matched++;
        });
      let difference = 0,
        blocks = 0,
        apart = 0;
      for (let y = 0; y < height; y += block)
        for (let x = 0; x < width; x += block) {
          const sums = [0, 0, 0];
          let hasInk = false;
          for (let v = y; v < y + block; v++)
            for (let u = x; u < x + block; u++) {
              const i = 4 * (v * width + u);
              hasInk ||= ink(p, i) || ink(q, i);
              for (let c = 0; c < 3; c++) sums[c]! += p[i + c]! - q[i + c]!;
            }
          if (!hasInk) continue;
          blocks++;
          const mean = sums.reduce((s, d) => s + Math.abs(d), 0) / (3 * block * block);
          difference += mean;
          if (mean > 45) apart++;
        }
      return {
        inked: either / (width * height),
        overlap: both / either,
        outline: matched / inked,
        colour: difference / blocks,
        apart: apart / blocks,
      };
    },
    [first, second],
  );
