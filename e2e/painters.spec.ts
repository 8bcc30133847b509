import { expect, test, type Page } from '@playwright/test';
import { readFileSync } from 'node:fs';
import type { Structure } from '@nagare/core/crystal/structure';
import { buildLayers } from '@nagare/core/draw/build-scene';
import { extentPoints, fitCamera } from '@nagare/core/draw/camera';
import { PAPER_COLOURS } from '@nagare/core/draw/colours';
import type { Extent } from '@nagare/core/draw/extent';
import { USUAL_LIGHT } from '@nagare/core/draw/scene';
import type { AtomLook } from '@nagare/core/draw/style';
import { recognise } from '@nagare/core/formats/recognise';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { cross, normalize, type Mat3, type Vec3 } from '@nagare/core/math/matrix3';
import { seededRandom, type Random } from '@nagare/core/math/random';
import { compare, type Likeness } from './likeness.ts';
import { OVERLAP_SIZE, wrongOverlaps } from './overlap.ts';
import { openSolved, watchForErrors } from './support.ts';

watchForErrors();

function sample(file: string): Structure {
  const text = readFileSync(new URL(`../demo/data/${file}`, import.meta.url), 'utf8');
  const found = recognise(text, file).find((x) => x.structure);
  if (!found?.structure) throw new Error(`${file} holds no structure.`);
  return bonded(found.structure);
}

function anyRotation(random: Random): Mat3 {
  const any = (): Vec3 => normalize([random.normal(), random.normal(), random.normal()]);
  const u = any();
  const w = normalize(cross(u, any()));
  return [...u, ...cross(w, u), ...w] as unknown as Mat3;
}

const fileOf = async (page: Page, kind: 'SVG' | 'PNG'): Promise<string> => {
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: kind, exact: true }).click(),
  ]);
  const type = kind === 'SVG' ? 'image/svg+xml' : 'image/png';
  return `data:${type};base64,${readFileSync(await download.path()).toString('base64')}`;
};

/** Both files once the view has come to rest: the vector file is the same before and after the other was made. */
async function settled(page: Page): Promise<{ svg: string; png: string }> {
  let svg = await fileOf(page, 'SVG');
  for (;;) {
    await page.waitForTimeout(600);
    const png = await fileOf(page, 'PNG');
    const after = await fileOf(page, 'SVG');
    if (after === svg) return { svg, png };
    svg = after;
  }
}

/** A vector picture with something left out of it, as a painter that forgot it would make it. */
const WITHOUT: Readonly<Record<string, (svg: string) => string>> = {
  labels: (svg) => svg.replace(/<text[\s\S]*?<\/text>/g, ''),
  bonds: (svg) => svg.replace(/<g[^>]*>(<path [^>]*fill="none"[^>]*\/>){3}<\/g>/g, ''),
  'cell edges': (svg) => svg.replace(/<path [^>]*stroke-opacity[^>]*\/>/g, ''),
  atoms: (svg) => svg.replace(/<(circle|ellipse) [^>]*\/>/g, ''),
};

test('the file and the screen are the same picture, whatever is drawn and how', { tag: '@long' }, async ({ page }) => {
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
    const { svg, png } = await settled(page);
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

test('the vector file lays things over each other as they stand, pixel by pixel', async ({ page }) => {
  await page.goto('/');
  const random = seededRandom(21);
  const scenes: readonly (readonly [Structure, AtomLook, Extent])[] = [
    [sample('kurumi-5.cif'), 'balls', { kind: 'molecules' }],
    [sample('kurumi-5.cif'), 'space-filling', { kind: 'cell' }],
    [sample('zakuro-1.cif'), 'balls', { kind: 'cell' }],
    [sample('hachisu.cif'), 'balls', { kind: 'cell' }],
  ];
  let all = 0;
  for (const [s, look, extent] of scenes) {
    const layers = buildLayers(s, {
      extent,
      rules: [{ which: { kind: 'all' }, style: { look } }],
      showCell: false,
      labels: 'none',
      colours: PAPER_COLOURS,
      sectors: true,
      polyhedra: ['W', 'Al', 'Si'].map((element) => ({
        centre: { kind: 'element', element },
        opacity: 1,
        edges: false,
        edgeWidth: 0,
        showCentre: false,
      })),
    });
    for (let view = 0; view < 4; view++) {
      const camera = fitCamera(extentPoints(layers), anyRotation(random), OVERLAP_SIZE);
      const { compared, wrong } = await wrongOverlaps(page, { layers, camera, light: USUAL_LIGHT, ground: '#ffffff' });
      all += compared;
      expect(wrong, `${look} of ${s.sites.length} sites, view ${view}`).toBeLessThanOrEqual(0.01 * compared);
    }
  }
  expect(all).toBeGreaterThan(200_000);
});
