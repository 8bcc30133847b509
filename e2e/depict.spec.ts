import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { TEMPLATES } from '@nagare/core/depict/templates';
import { compare, type Likeness } from './likeness.ts';
import { openSolved, watchForErrors } from './support.ts';

watchForErrors();

const demo = (file: string): Buffer => readFileSync(new URL(`../demo/data/${file}`, import.meta.url));

async function takeIn(page: Page, file: string): Promise<void> {
  await page.goto('/');
  await page.getByTestId('file-picker').setInputFiles([{ name: file, mimeType: 'chemical/x-cif', buffer: demo(file) }]);
  await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
  await expect(page.getByRole('link', { name: /Depict/ })).toBeVisible({ timeout: 30_000 });
  await page.getByRole('link', { name: /Depict/ }).click();
}

const sheet = (page: Page, name: string) => page.getByRole('region', { name, exact: true });
const counts = (page: Page) => page.getByTestId('figure-counts');

async function saved(page: Page, button: string): Promise<Buffer> {
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    sheet(page, 'Save it').getByRole('button', { name: button, exact: true }).click(),
  ]);
  return readFileSync(await download.path());
}

/** Whether the figure's page shows a colour (0–255 each, within 12) somewhere. */
async function shows(page: Page, [r, g, b]: readonly [number, number, number]): Promise<boolean> {
  const png = (await page.getByTestId('figure-page').screenshot()).toString('base64');
  return page.evaluate(
    async ([source, red, green, blue]) => {
      const image = new Image();
      image.src = `data:image/png;base64,${source}`;
      await image.decode();
      const canvas = new OffscreenCanvas(image.width, image.height);
      const pen = canvas.getContext('2d')!;
      pen.drawImage(image, 0, 0);
      const { data } = pen.getImageData(0, 0, image.width, image.height);
      for (let i = 0; i < data.length; i += 4)
        if (Math.abs(data[i]! - red!) + Math.abs(data[i + 1]! - green!) + Math.abs(data[i + 2]! - blue!) < 36)
          return true;
      return false;
    },
    [png, r, g, b] as const,
  );
}

test(
  'the argument: polyhedra of one element, pale with fine edges; tunnels outlined end-on and from the side; the rest gone, and back',
  { tag: '@long' },
  async ({ page }) => {
    await takeIn(page, 'hachisu.cif');
    await page.getByRole('button', { name: /Along the channel/ }).click();
    await expect(counts(page)).toContainText('193 atoms and 48 polyhedra', { timeout: 30_000 });
    await expect(sheet(page, 'Figure')).toContainText('2 panels');

    // Pale faces with fine edges, by the keyboard where there are keys for it.
    const rules = sheet(page, 'Rules');
    await rules.getByRole('button', { name: /^W and Nb/ }).focus();
    await page.keyboard.press('Enter');
    await rules.getByRole('slider', { name: 'faces' }).focus();
    for (let i = 0; i < 6; i++) await page.keyboard.press('ArrowLeft');
    await rules
      .getByRole('group', { name: 'Face colour' })
      .getByRole('button', { name: 'Face colour #2b7f8c' })
      .click();
    await expect(rules).toContainText('50 %');
    await rules.getByRole('slider', { name: 'edges' }).fill('0.4');
    await rules.getByLabel('in the legend').fill('W_{5/6}Nb_{1/6}O_6');

    // What does not serve the argument goes, by a rule, and the guests get a colour that is theirs.
    const hidden = sheet(page, 'Hidden');
    await hidden.getByRole('button', { name: 'Hide by a rule…' }).click();
    await hidden.getByRole('group', { name: 'Elements' }).getByRole('button', { name: 'O', exact: true }).click();
    await hidden.getByRole('button', { name: 'Hide', exact: true }).click();
    await expect(hidden).toContainText('1 step of hiding');
    await expect(counts(page)).toContainText('9 atoms and 48 polyhedra');
    await rules.getByRole('button', { name: 'Add a rule' }).click();
    const last = rules.getByRole('listitem').last();
    await last.getByRole('group', { name: 'Elements' }).getByRole('button', { name: 'W', exact: true }).click();
    await last.getByRole('group', { name: 'Elements' }).getByRole('button', { name: 'Cs', exact: true }).click();
    await last.getByRole('button', { name: 'Colour #c8452b', exact: true }).click();

    // Both kinds of tunnels, outlined.
    const find = sheet(page, 'Channels, cages and rings');
    await find.getByRole('button', { name: 'Channels, cages and rings' }).click();
    const channels = find.getByRole('table', { name: 'Channels' }).locator('tbody tr');
    await expect(channels).toHaveCount(3, { timeout: 30_000 });
    await expect(channels.first()).toContainText('[0 0 1]');
    // Its walls are of oxygen: they count though they are hidden.
    await channels.first().click();
    await find.getByRole('button', { name: 'Outline them' }).click();
    const written = sheet(page, 'Written over it');
    await expect(written.getByRole('listitem').filter({ hasText: 'Outline' })).toHaveCount(1);
    await channels.nth(2).click();
    await find.getByRole('button', { name: 'Outline them' }).click();
    await expect(written.getByRole('listitem').filter({ hasText: 'Outline' })).not.toHaveCount(1);
    await hidden.getByRole('button', { name: 'One step back' }).click();
    await expect(counts(page)).toContainText('193 atoms');
    const outlines = await written.getByRole('listitem').filter({ hasText: 'Outline' }).count();

    // An arrow with words, drawn over the page.
    await written.getByRole('button', { name: 'Text', exact: true }).click();
    const paper = (await page.getByTestId('figure-page').boundingBox())!;
    await page.mouse.click(paper.x + 0.72 * paper.width, paper.y + 0.93 * paper.height);
    await written.getByLabel('Text', { exact: true }).last().fill('Cs^+ and Ba^{2+}');
    await expect(written.getByRole('listitem').filter({ hasText: 'Text “Cs^+ and' })).toHaveCount(1);

    // Turned by the keyboard, which the second panel does not follow.
    await page.getByTestId('figure-page').focus();
    await page.keyboard.press('ArrowUp');
    await page.keyboard.press('c');

    const svg = (await saved(page, 'SVG')).toString();
    for (const id of ['panel-a', 'panel-b', 'labels', 'annotations', 'legend']) expect(svg).toContain(`id="${id}"`);
    expect(svg).toContain('>Cs</tspan>');
    expect(svg).toContain('fill-opacity="0.5"');
    expect(svg).toMatch(/stroke-width="0\.40?"/);
    const png = await saved(page, 'PNG');
    // 175 × 85 mm at 300 dots an inch.
    expect([png.readUInt32BE(16), png.readUInt32BE(20)]).toEqual([2067, 1004]);
    const pdf = await saved(page, 'PDF');
    expect(pdf.subarray(0, 5).toString()).toBe('%PDF-');

    // All of it survives a reload …
    await page.reload();
    await expect(counts(page)).toContainText('193 atoms and 48 polyhedra', { timeout: 30_000 });
    await expect(written.getByRole('listitem').filter({ hasText: 'Outline' })).toHaveCount(outlines);
    await expect(rules.getByRole('listitem')).toHaveCount(3);
  },
);

test(
  'undo brings every step back; figures are duplicated, put in order, removed',
  { tag: '@long' },
  async ({ page }) => {
    await takeIn(page, 'hachisu.cif');
    await page.getByRole('button', { name: /Polyhedra What surrounds/ }).click();
    await expect(counts(page)).toContainText('polyhedra drawn', { timeout: 30_000 });
    const before = await counts(page).textContent();
    const rules = sheet(page, 'Rules');
    await rules.getByRole('checkbox').nth(1).uncheck();
    await expect(counts(page)).not.toContainText('polyhedra');
    await page.waitForTimeout(1000);
    await sheet(page, 'Figure').getByLabel('Colours').selectOption('apart');
    await page.waitForTimeout(1000);
    await sheet(page, 'Figure').getByLabel('Name').fill('Two metals');
    const thumbs = page.getByRole('toolbar', { name: 'Figures of this project' }).locator('.figure-thumb');
    await expect(thumbs.first()).toContainText('Two metals');
    await page.getByTestId('figure-page').focus();
    for (const check of [
      () => expect(thumbs.first()).toContainText('Polyhedra'),
      () => expect(sheet(page, 'Figure').getByLabel('Colours')).toHaveValue('screen'),
      () => expect(counts(page)).toHaveText(before!),
    ]) {
      await page.keyboard.press('Control+z');
      await check();
    }
    await page.keyboard.press('Control+Shift+z');
    await expect(counts(page)).not.toContainText('polyhedra');
    await page.keyboard.press('Control+z');

    await sheet(page, 'Figure').getByRole('button', { name: 'Duplicate' }).click();
    await expect(thumbs).toHaveCount(2);
    await expect(thumbs.nth(1)).toContainText('Polyhedra 2');
    await thumbs.nth(1).focus();
    await page.keyboard.press('Alt+ArrowLeft');
    await expect(thumbs.first()).toContainText('Polyhedra 2');
    await sheet(page, 'Figure').getByRole('button', { name: 'Remove', exact: true }).click();
    await expect(thumbs).toHaveCount(1);
    await page.getByTestId('figure-page').focus();
    await page.keyboard.press('Control+z');
    await expect(thumbs).toHaveCount(2);
    await page.getByRole('button', { name: 'Compare', exact: true }).click();
    const dialog = page.getByRole('dialog');
    await expect(dialog.getByRole('img')).toHaveCount(2);
    await dialog.getByLabel('Figure at the right').selectOption({ index: 0 });
    await expect(dialog.getByLabel('Figure at the left')).toHaveValue(/./);
    await page.keyboard.press('Escape');
    await expect(dialog).toHaveCount(0);
  },
);

test('picked and hidden by click and key; a ring alone; a figure goes into a file and into another project', async ({
  page,
}) => {
  await takeIn(page, 'kurumi-5.cif');
  await page.getByRole('button', { name: /Ellipsoids with labels/ }).click();
  await expect(counts(page)).toContainText('atoms drawn', { timeout: 30_000 });
  const count = async (): Promise<number> => Number.parseInt((await counts(page).textContent())!);
  const all = await count();
  const paper = page.getByTestId('figure-page');
  await paper.focus();
  await page.keyboard.press('n');
  await expect(counts(page)).toContainText('one site');
  await page.keyboard.press('h');
  await expect(counts(page)).toContainText(`${all - 1} atoms`);
  await expect(sheet(page, 'Hidden')).toContainText('1 step of hiding');
  await sheet(page, 'Hidden').getByRole('button', { name: 'Show again' }).click();
  await expect(counts(page)).toContainText(`${all} atoms`);

  const find = sheet(page, 'Channels, cages and rings');
  await find.getByRole('button', { name: 'Channels, cages and rings' }).click();
  await find.getByRole('button', { name: 'List the rings' }).click();
  const ring = find.getByRole('list', { name: 'Rings' }).getByRole('listitem').first();
  await ring.getByRole('button', { name: 'Only these' }).click();
  await expect.poll(count).toBeLessThan(all);
  await page.keyboard.press('Escape');

  const file = await saved(page, 'Figure file');
  expect(JSON.parse(file.toString())).toMatchObject({ format: 'nagare figure' });
  const thumbs = page.locator('.figure-thumb');
  const drop = (name: string, buffer: Buffer): Promise<void> =>
    page.getByTestId('file-picker').setInputFiles([{ name, mimeType: 'application/json', buffer }]);
  await drop('again.figure.json', file);
  await expect(thumbs).toHaveCount(2);
  // A damaged one is refused by name, and nothing is lost.
  await drop('cut.figure.json', file.subarray(0, file.length / 2));
  await expect(page.getByRole('dialog')).toContainText('cut.figure.json is not a figure, or it was cut short');
  await page.keyboard.press('Escape');
  await expect(thumbs).toHaveCount(2);
  // Where there is no such structure, it brings its own.
  await page.goto('/');
  await drop('elsewhere.figure.json', file);
  await expect(page).toHaveURL(/depict/);
  await expect(thumbs).toHaveCount(1);
  await expect(counts(page)).toContainText('atoms drawn', { timeout: 30_000 });
});

test('a cage from the list stands alone, and the legend finds a free place', { tag: '@long' }, async ({ page }) => {
  await takeIn(page, 'shironezumi.cif');
  await page.getByRole('button', { name: /^Packing/ }).click();
  await expect(counts(page)).toContainText('atoms drawn', { timeout: 60_000 });
  const find = sheet(page, 'Channels, cages and rings');
  await find.getByRole('button', { name: 'Channels, cages and rings' }).click();
  await find.getByRole('button', { name: 'List the cages' }).click();
  const cages = find.getByRole('table', { name: 'Cages' });
  await expect(cages.getByRole('row')).toHaveCount(4, { timeout: 60_000 });
  await expect(cages).toContainText('O36 Si24');
  await cages.getByRole('row', { name: /O36 Si24/ }).click();
  await find.getByRole('button', { name: 'Only one' }).click();
  await expect(counts(page)).toContainText('60 atoms drawn', { timeout: 60_000 });
  await page.keyboard.press('Control+z');
  await expect(counts(page)).not.toContainText('60 atoms drawn');
  await sheet(page, 'Figure').getByRole('checkbox', { name: 'legend' }).check();
  await expect(sheet(page, 'Figure').getByRole('checkbox', { name: 'legend' })).toBeChecked();
});

test('a shared place in sectors, a dark ground, solids and a stereo pair', { tag: '@long' }, async ({ page }) => {
  await takeIn(page, 'hachisu.cif');
  await page.getByRole('button', { name: /Polyhedra What surrounds/ }).click();
  await expect(counts(page)).toContainText('polyhedra drawn', { timeout: 30_000 });
  await sheet(page, 'Figure').getByRole('button', { name: 'Ground #1f2a33' }).click();
  await expect.poll(() => shows(page, [31, 42, 51])).toBe(true);
  const glb = await saved(page, 'glTF');
  expect(glb.subarray(0, 4).toString()).toBe('glTF');
  const stl = await saved(page, 'STL');
  // A header of 80 bytes, the number of triangles, 50 bytes for each.
  expect(stl.length).toBe(84 + 50 * stl.readUInt32LE(80));
  const pair = await saved(page, 'Stereo pair');
  const one = await saved(page, 'PNG');
  expect(pair.readUInt32BE(16)).toBeGreaterThan(2 * one.readUInt32BE(16) - 4);
});

test(
  'twelve figures: the card, the vector file and the rays show the same picture',
  { tag: '@long' },
  async ({ page }) => {
    test.setTimeout(600_000);
    const seen: Record<string, Likeness> = {};
    let last: { readonly png: Buffer; readonly svg: Buffer } = { png: Buffer.alloc(0), svg: Buffer.alloc(0) };
    const url = (type: string, data: Buffer): string => `data:${type};base64,${data.toString('base64')}`;
    for (const [n, file] of ['hachisu.cif', 'kurumi-5.cif'].entries()) {
      await takeIn(page, file);
      await page.getByRole('button', { name: 'Make a first figure' }).click();
      for (const [i, template] of TEMPLATES.entries()) {
        if (i) {
          await page.getByRole('button', { name: 'New figure' }).click();
          await page.getByRole('button', { name: new RegExp(`^${template.name}`) }).click();
        }
        await expect(sheet(page, 'Figure').getByLabel('Name')).toHaveValue(/./);
        await expect(page.locator('.figure-thumb')).toHaveCount(i + 1);
        await expect(counts(page)).toContainText('drawn', { timeout: 30_000 });
        await sheet(page, 'Save it').getByLabel('Dots an inch').fill('96');
        await page.waitForTimeout(400);
        const name = `${file}, ${template.name}`;
        const [png, svg] = [await saved(page, 'PNG'), await saved(page, 'SVG')];
        seen[name] = await compare(page, url('image/png', png), url('image/svg+xml', svg));
        if (file === 'hachisu.cif' && template.id === 'polyhedra') last = { png, svg };
        // Each way of drawing is traced once, of one crystal or the other.
        if ((i + n) % 2) continue;
        await sheet(page, 'Save it').getByRole('button', { name: 'Rays…' }).click();
        const dialog = page.getByRole('dialog');
        await expect(dialog.getByRole('status')).toHaveText('A preview.', { timeout: 60_000 });
        const traced = await dialog
          .getByRole('img', { name: 'Traced picture' })
          .evaluate((e) => (e as HTMLCanvasElement).toDataURL('image/png'));
        await page.keyboard.press('Escape');
        await expect(dialog).toHaveCount(0);
        seen[`${name}, rays`] = await compare(page, url('image/png', png), traced);
      }
    }
    // One with everything cut open and hollow.
    await page.locator('.figure-thumb').filter({ hasText: 'Ellipsoids' }).click();
    const rules = sheet(page, 'Rules');
    await rules.getByRole('button', { name: /everything ellipsoids/ }).click();
    await rules.getByLabel('cut open towards the viewer').check();
    await rules.getByLabel('bonds of their own').check();
    await rules.getByLabel('hollow').check();
    await expect(rules).toContainText('cut open, hollow bonds');
    await page.waitForTimeout(1000);
    const [png, svg] = [await saved(page, 'PNG'), await saved(page, 'SVG')];
    seen['cut open'] = await compare(page, url('image/png', png), url('image/svg+xml', svg));
    expect(svg.toString().split('stroke-linejoin="round"/>').length).toBeGreaterThan(30);
    expect(Object.keys(seen)).toHaveLength(19);
    for (const [name, likeness] of Object.entries(seen)) {
      expect(likeness.outline, name).toBeGreaterThan(0.98);
      expect(likeness.colour, name).toBeLessThan(13);
      expect(likeness.apart, name).toBeLessThan(0.02);
    }
    // The comparison sees a painter that leaves something out.
    const less = last.svg.toString().replace(/<path [^>]*fill-opacity[^>]*\/>/g, '');
    const damaged = await compare(page, url('image/png', last.png), url('image/svg+xml', Buffer.from(less)));
    expect(damaged.outline).toBeLessThan(0.98);
  },
);

test(
  'density of the measured data in a figure: at a level, in two colours, in the vector file',
  { tag: '@long' },
  async ({ page }) => {
    await openSolved(page, 'Aobae');
    await page.getByRole('link', { name: /Depict/ }).click();
    await page.getByRole('button', { name: 'Make a first figure' }).click();
    await expect(counts(page)).toContainText('atoms drawn', { timeout: 30_000 });
    const surfaces = sheet(page, 'Surfaces');
    await surfaces.getByRole('button', { name: 'Surfaces' }).click();
    await surfaces.getByRole('button', { name: 'Add density' }).click();
    await expect(surfaces).toContainText(/±0\.\d\d e Å⁻³/);
    const shapes = async (): Promise<number> => (await saved(page, 'SVG')).toString().split('<p').length;
    await surfaces.getByLabel('Which density').selectOption('observed');
    await expect(surfaces).toContainText('1.60 e Å⁻³');
    const lower = await shapes();
    await surfaces.getByLabel('at', { exact: true }).fill('1.5');
    await expect(surfaces).toContainText('4.4');
    const higher = await shapes();
    expect(lower).toBeGreaterThan(higher);
    expect(higher).toBeGreaterThan(40);
    await page.keyboard.press('Control+z');
    await expect(surfaces).toContainText('1.60 e Å⁻³');
  },
);
