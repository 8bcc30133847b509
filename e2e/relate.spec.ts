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

test('empty space: nothing at first and a hint why, dragged to where there is some, by the keyboard too', async ({
  page,
}) => {
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
});

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
});
