import { expect, test, type Page } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { openSolved, watchForErrors } from './support.ts';

watchForErrors();

const fileOf = async (page: Page, kind: 'SVG' | 'PNG'): Promise<string> => {
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: kind, exact: true }).click(),
  ]);
  const type = kind === 'SVG' ? 'image/svg+xml' : 'image/png';
  return `data:${type};base64,${readFileSync(await download.path()).toString('base64')}`;
};

interface Likeness {
  /** Share of the picture that is not ground, in either. */
  readonly inked: number;
  /** Pixels that are ink in both over those that are in either. */
  readonly overlap: number;
  /** Mean difference of the colours of blocks that hold ink, 0–255. */
  readonly colour: number;
  /** Share of those blocks that differ by more than anti-aliasing and shading explain. */
  readonly apart: number;
}

/** Lays two pictures over each other in the page, pixel by pixel and in blocks of eight. */
const compare = (page: Page, first: string, second: string): Promise<Likeness> =>
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
      let difference = 0,
        blocks = 0,
        apart = 0;
      for (let y = 0; y < height; y += block)
        for (let x = 0; x < width; x += block) {
          const sums = [0, 0, 0];
          let inked = false;
          for (let v = y; v < y + block; v++)
            for (let u = x; u < x + block; u++) {
              const i = 4 * (v * width + u);
              inked ||= ink(p, i) || ink(q, i);
              for (let c = 0; c < 3; c++) sums[c]! += p[i + c]! - q[i + c]!;
            }
          if (!inked) continue;
          blocks++;
          const mean = sums.reduce((s, d) => s + Math.abs(d), 0) / (3 * block * block);
          difference += mean;
          if (mean > 45) apart++;
        }
      return {
        inked: either / (width * height),
        overlap: both / either,
        colour: difference / blocks,
        apart: apart / blocks,
      };
    },
    [first, second],
  );

/** A vector picture with something left out of it, as a painter that forgot it would make it. */
const WITHOUT: Readonly<Record<string, (svg: string) => string>> = {
  labels: (svg) => svg.replace(/<text[\s\S]*?<\/text>/g, ''),
  bonds: (svg) => svg.replace(/<g[^>]*>(<path [^>]*fill="none"[^>]*\/>){3}<\/g>/g, ''),
  'cell edges': (svg) => svg.replace(/<path [^>]*stroke-opacity[^>]*\/>/g, ''),
  atoms: (svg) => svg.replace(/<(circle|ellipse) [^>]*\/>/g, ''),
};

test('the file and the screen are the same picture, whatever is drawn and how', async ({ page }) => {
  await openSolved(page, 'Benigara-2');
  const part = page.getByLabel('Part of the crystal that is drawn');
  const look = page.getByLabel('How atoms are drawn');
  const seen: Record<string, Likeness> = {};
  const damaged: { readonly name: string; readonly whole: Likeness; readonly less: Likeness }[] = [];
  let last = '';
  for (const [extent, atoms] of [
    ['Unique part', 'Ellipsoids'],
    ['Cell closed at its faces', 'Balls and sticks'],
    ['Whole molecules', 'Sticks'],
    ['Molecules of the cell', 'Space-filling'],
  ] as const) {
    await part.selectOption({ label: extent });
    await look.selectOption({ label: atoms });
    await page.getByRole('button', { name: 'Fit', exact: true }).click();
    await page.waitForTimeout(600);
    const [svg, png] = [await fileOf(page, 'SVG'), await fileOf(page, 'PNG')];
    expect(png).not.toBe(last);
    last = png;
    const name = `${extent}, ${atoms}`;
    const whole = (seen[name] = await compare(page, svg, png));
    const text = Buffer.from(svg.split(',')[1]!, 'base64').toString('utf8');
    for (const [what, leaveOut] of Object.entries(WITHOUT)) {
      const less = leaveOut(text);
      if (less === text) continue;
      const url = `data:image/svg+xml;base64,${Buffer.from(less).toString('base64')}`;
      damaged.push({ name: `${name} without ${what}`, whole, less: await compare(page, url, png) });
    }
  }
  for (const [name, likeness] of Object.entries(seen)) {
    expect(likeness.inked, name).toBeGreaterThan(0.02);
    expect(likeness.overlap, name).toBeGreaterThan(0.85);
    expect(likeness.colour, name).toBeLessThan(15);
    expect(likeness.apart, name).toBeLessThan(0.02);
  }
  // The comparison sees a painter that leaves something out.
  expect(damaged.length).toBeGreaterThan(12);
  for (const { name, whole, less } of damaged)
    expect(less.overlap < whole.overlap - 0.005 || less.colour > whole.colour + 0.5, name).toBe(true);
});
