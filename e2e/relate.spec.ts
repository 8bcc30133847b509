import { readFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { find, marks, referenceFile, watchForErrors } from './support.ts';

watchForErrors();

test('a model alone is related: rings, pairs across symmetry by mouse and keyboard, a wider reach that is remembered', async ({
  page,
}) => {
  await page.goto('/');
  const buffer = readFileSync(new URL('../demo/truth/benigara-2.cif', import.meta.url));
  await page.getByTestId('file-picker').setInputFiles([{ name: 'benigara-2.cif', mimeType: 'chemical/x-cif', buffer }]);
  await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
  const rings = page.getByRole('region', { name: 'Rings' }),
    pairs = page.getByRole('region', { name: 'Planes to one another' });
  await expect(rings.locator('tr.pick')).toHaveCount(4);
  await rings.getByText('C1 C2 C3 C4 C5 C6').click();
  await expect(page.getByTestId('measurement')).toContainText('plane, r.m.s. deviation');
  await expect(page.getByTestId('scene-counts')).toContainText('60 are drawn');

  await expect(pairs.locator('tr.pick')).toHaveCount(3);
  await expect(pairs.locator('tr.pick').first()).toContainText('parallel and offset');
  await pairs.locator('tr.pick').first().focus();
  await page.keyboard.press('Enter');
  await expect(pairs.locator('tr.chosen')).toHaveCount(1);
  await expect(page.getByTestId('scene-counts')).toContainText('30 of them copies');

  await pairs.getByLabel('within').fill('8');
  await pairs.getByLabel('within').press('Enter');
  await expect(pairs).toContainText('within 8 Å');
  await expect.poll(() => pairs.locator('tr.pick').count()).toBeGreaterThan(10);
  await page.reload();
  await expect(pairs).toContainText('within 8 Å');
});

test('without a model Relate says what is missing', async ({ page }) => {
  await page.goto('/');
  const buffer = readFileSync(new URL('../demo/data/aobae.cif', import.meta.url));
  await page.getByTestId('file-picker').setInputFiles([{ name: 'aobae.cif', mimeType: 'chemical/x-cif', buffer }]);
  await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
  await page.getByRole('link', { name: /Relate/ }).click();
  await expect(page.getByRole('region', { name: 'No model yet' })).toContainText('told from a model');
});

test('the neighbours of a cation are drawn with it, with what the rule of radii says', async ({ page }) => {
  await page.goto('/');
  await page.getByTestId('file-picker').setInputFiles([referenceFile('rutile')]);
  await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
  const centres = page.getByRole('region', { name: 'Coordination' });
  await expect(centres.locator('tr.pick')).toHaveCount(1);
  await expect(centres.locator('tr.pick')).toContainText('octahedron');
  await expect(page.getByTestId('scene-counts')).toContainText('The cell holds 6 atoms; 15 are drawn');
  await centres.locator('tr.pick').click();
  await expect(page.getByTestId('scene-counts')).toContainText('of them copies');
  await expect(centres).toContainText('allows 6, as found');
});

test('contacts by a definition: found, drawn, followed, changed and kept', async ({ page }) => {
  await page.goto('/');
  await page.getByTestId('file-picker').setInputFiles(new URL('projects/Mizuasagi.nagare', import.meta.url).pathname);
  await expect(marks(page)).not.toHaveCount(0);
  await find(page, 'Relate');
  const sheet = page.getByRole('region', { name: 'Contacts', exact: true });
  await sheet.getByLabel('Hydrogen bonds').check();
  const rows = sheet.getByRole('table', { name: 'Contacts' }).locator('tbody tr');
  await expect(rows).not.toHaveCount(0);
  const before = await rows.count();
  const drawn = page.getByTestId('scene-counts');
  const told = (await drawn.textContent())!;
  await sheet.getByRole('button', { name: 'Follow every open end' }).click();
  await expect(drawn).not.toHaveText(told);
  await sheet.getByRole('button', { name: 'Take back what was brought' }).click();
  await expect(drawn).toHaveText(told);
  await sheet.getByRole('button', { name: 'definition', exact: true }).click();
  await sheet.getByLabel('Who gives').fill('N');
  await page.keyboard.press('Enter');
  await expect(sheet.getByRole('status')).toContainText('Out went');
  expect(await rows.count()).toBeLessThan(before);
  await page.reload();
  await expect(sheet.getByLabel('Hydrogen bonds')).toBeChecked();
  await sheet.getByRole('button', { name: 'definition', exact: true }).click();
  await expect(sheet.getByLabel('Who gives')).toHaveValue('N');
  await sheet.getByRole('button', { name: 'as it was' }).click();
  await expect(rows).toHaveCount(before);
});

test(
  'empty space: nothing at first and a hint why, dragged to where there is some, by the keyboard too',
  { tag: '@long' },
  async ({ page }) => {
    await page.goto('/');
    const buffer = readFileSync(new URL('../demo/data/hachisu.cif', import.meta.url));
    await page.getByTestId('file-picker').setInputFiles([{ name: 'hachisu.cif', mimeType: 'chemical/x-cif', buffer }]);
    await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
    await page.getByRole('link', { name: /Relate/ }).click();
    const sheet = page.getByRole('region', { name: 'Empty space', exact: true });
    await sheet.getByRole('button', { name: 'Look for it' }).click();
    await expect(sheet).toContainText(/Nothing for a probe of 1.20 Å. The largest that fits has 0.7\d Å/, {
      timeout: 30_000,
    });
    const curve = sheet.getByRole('slider', { name: 'Radius of the probe' });
    await curve.focus();
    await page.keyboard.press('Shift+ArrowLeft');
    await page.keyboard.press('Shift+ArrowLeft');
    await page.keyboard.press('Shift+ArrowLeft');
    await expect(sheet).toContainText(/\d % of the cell, \d+ Å³, for a probe of 0\.[2-5]\d Å/, { timeout: 30_000 });
    await expect(sheet.getByRole('table', { name: 'Voids' })).toContainText('3 × closed');
    const box = (await curve.boundingBox())!;
    await page.mouse.click(box.x + 0.15 * box.width, box.y + box.height / 2);
    await expect(sheet).toContainText(/for a probe of 0\.[01]\d Å/, { timeout: 30_000 });
    await sheet.getByRole('button', { name: 'Take it away' }).click();
    await expect(sheet).toContainText('Room between the molecules');

    const shape = page.getByRole('region', { name: 'Shape of the crystal', exact: true });
    await shape.getByRole('button', { name: 'Show it' }).click();
    const forms = shape.getByRole('table', { name: 'Forms' });
    await expect(forms).toContainText('{1 0 0}');
    await forms.getByRole('row', { name: /\{0 0 1\}/ }).focus();
    await page.keyboard.press('Enter');
    await expect(forms).toContainText('to (0 0 1)');
    await expect(forms.getByRole('row', { name: /\{1 0 0\}/ })).toContainText('90.00°');
  },
);

test('two forms of a dye beside one another: one molecule, another packing, two patterns', async ({ page }) => {
  for (const file of ['ukonzome-1.cif', 'ukonzome-2.cif']) {
    await page.goto('/');
    const buffer = readFileSync(new URL(`../demo/data/${file}`, import.meta.url));
    await page.getByTestId('file-picker').setInputFiles([{ name: file, mimeType: 'chemical/x-cif', buffer }]);
    await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
    await expect(page.getByRole('link', { name: /Relate/ })).toBeVisible({ timeout: 30_000 });
  }
  await page.getByRole('link', { name: /Relate/ }).click();
  const sheet = page.getByRole('region', { name: 'Beside another crystal', exact: true });
  const other = sheet.getByLabel('Another crystal');
  await other.selectOption({ index: 1 });
  await expect(sheet).toContainText(/\d+ of 15 molecules stand alike: (another|a piece of the) packing/, {
    timeout: 60_000,
  });
  await expect(sheet.getByRole('table', { name: 'What is alike' })).toContainText(/\d\.\d{3} Å/);
  await expect(sheet.getByRole('img', { name: 'Calculated patterns of both' })).toBeVisible();

  // Everything known of both, in columns; what is chosen stays after a reload.
  await page.getByRole('button', { name: 'Show it all' }).click();
  const known = page.getByRole('table', { name: 'Everything known' });
  await expect(known).toContainText('C15 H13 N3 O3', { timeout: 30_000 });
  await page.getByLabel('Put another structure beside it').selectOption({ index: 1 });
  await expect(known.locator('tr.differs').first()).toBeVisible({ timeout: 30_000 });
  const all = await known.getByRole('row').count();
  await page.getByRole('checkbox', { name: 'only what differs' }).check();
  await expect.poll(() => known.getByRole('row').count()).toBeLessThan(all);
  await page.getByRole('checkbox', { name: 'only what differs' }).uncheck();
  await page.getByLabel('Search in everything known').fill('density');
  await expect(known).toContainText('Density from the cell');
  await expect(known).not.toContainText('Crystal system');
  await page.getByLabel('Search in everything known').fill('');
  await page.getByRole('button', { name: 'Choose what is shown' }).click();
  await page.getByRole('checkbox', { name: 'Show Hall symbol' }).uncheck();
  await page.getByRole('button', { name: 'Done choosing' }).click();
  await expect(known).not.toContainText('Hall symbol');
  await page.reload();
  await page.getByRole('button', { name: 'Show it all' }).click();
  await expect(known).toContainText('Space group', { timeout: 30_000 });
  await expect(known).not.toContainText('Hall symbol');
});

test(
  'chambers and ways, a cut, the shape by energies and by given faces, what is expected of a measurement',
  { tag: '@long' },
  async ({ page }) => {
    await page.goto('/');
    const buffer = readFileSync(new URL('../demo/data/kurumi-5.cif', import.meta.url));
    await page.getByTestId('file-picker').setInputFiles([{ name: 'kurumi-5.cif', mimeType: 'chemical/x-cif', buffer }]);
    await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
    await page.getByRole('link', { name: /Relate/ }).click();
    const space = page.getByRole('region', { name: 'Empty space', exact: true });
    await space.getByRole('button', { name: 'Look for it' }).click();
    const probe = space.getByRole('textbox', { name: 'Radius of the probe' });
    await expect(probe).toBeVisible({ timeout: 30_000 });
    await probe.fill('0.6');
    await expect(space.getByRole('table', { name: 'Voids' })).toContainText('closed', { timeout: 30_000 });
    const before = await space.getByText(/Atoms fill/).textContent();
    await space.getByText(/^Radii of the atoms/).click();
    await space.getByRole('textbox', { name: 'Radius of C', exact: true }).fill('1.50');
    await page.keyboard.press('Enter');
    await expect(space.getByText(/Atoms fill/)).not.toHaveText(before!, { timeout: 30_000 });
    await space.getByRole('button', { name: 'The usual ones' }).click();
    await expect(space.getByText(/Atoms fill/)).toHaveText(before!, { timeout: 30_000 });
    await space.getByText('cut open by a plane').click();
    await space.getByRole('slider', { name: 'where' }).press('ArrowLeft');
    await space.getByRole('button', { name: 'chambers and ways' }).click();
    await expect(space).toContainText(/Chambers: \d+ of \d\.\d\d Å/, { timeout: 30_000 });
    await space.getByRole('button', { name: 'Take it away' }).click();

    const shape = page.getByRole('region', { name: 'Shape of the crystal', exact: true });
    await shape.getByRole('button', { name: 'Show it' }).click();
    const forms = shape.getByRole('table', { name: 'Forms' });
    await shape.getByRole('button', { name: 'by attachment energies' }).click();
    await expect(forms).toContainText('gains, kJ/mol', { timeout: 30_000 });
    await expect(forms).toContainText(/−\d+\.\d/);
    await shape.getByText(/^What \(/).click();
    await expect(shape).toContainText(/Rough by \d\.\d\d Å r\.m\.s\./, { timeout: 30_000 });
    await shape.getByRole('button', { name: 'by given faces' }).click();
    const first = shape.getByRole('textbox', { name: /^Distance of \(/ }).first();
    await first.fill('0');
    await first.fill('0.300');
    await expect(forms).toContainText('0.300');
    await shape
      .getByRole('button', { name: /^Leave \(/ })
      .first()
      .click();
    await expect(shape.getByRole('alert')).toContainText('do not close around the crystal');
    await shape.getByRole('button', { name: 'Add a face' }).click();
    await expect(shape.getByRole('alert')).toHaveCount(0);
    await shape.getByText('draw it around the structure').click();
    await shape.getByRole('button', { name: 'gold' }).click();

    const expected = page.getByRole('region', { name: 'What to expect of a measurement', exact: true });
    await expected.getByRole('button', { name: 'powder pattern' }).click();
    await expect(expected.getByRole('table', { name: 'Lines of the pattern' })).toContainText('0 0 1', {
      timeout: 30_000,
    });
    await expected.getByRole('button', { name: 'precession picture' }).focus();
    await page.keyboard.press('Enter');
    await expect(expected.getByRole('img', { name: 'Layer h k 0' })).toBeVisible({ timeout: 30_000 });
    await expected.getByRole('textbox', { name: 'Level of the layer' }).fill('2');
    await expect(expected.getByRole('img', { name: 'Layer h k 2' })).toBeVisible({ timeout: 30_000 });
    await expected.getByRole('button', { name: 'structure factors' }).click();
    await expect(expected.getByRole('table', { name: 'Structure factors' })).toContainText('|F|, e', {
      timeout: 30_000,
    });
  },
);
