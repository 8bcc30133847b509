import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { find, watchForErrors } from './support.ts';

watchForErrors();

async function takeIn(page: Page, file: string): Promise<void> {
  await page.goto('/');
  const buffer = readFileSync(new URL(`../demo/data/${file}`, import.meta.url));
  await page.getByTestId('file-picker').setInputFiles([{ name: file, mimeType: 'chemical/x-cif', buffer }]);
  await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
  await expect(page.getByRole('region', { name: 'Contacts', exact: true })).toBeVisible({ timeout: 30_000 });
}

test('wishes: asked, granted or not, picked in the list, of chosen probes, beside the other form', async ({ page }) => {
  await takeIn(page, 'ukonzome-2.cif');
  await takeIn(page, 'ukonzome-1.cif');
  const sheet = page.getByRole('region', { name: 'Wishes' });
  await find(page, 'Wishes');
  await expect(sheet).toBeInViewport();
  await sheet.getByRole('button', { name: 'Ask the molecule' }).click();
  await expect(sheet).toContainText(/serves .* with \d+ % of its wishes/);
  const rows = sheet.getByRole('table', { name: 'Wishes' }).locator('tbody tr');
  await expect(rows).not.toHaveCount(0);
  const before = await rows.count();
  await sheet.getByRole('checkbox', { name: 'aromatic' }).check();
  await expect(rows.filter({ hasText: 'aromatic' })).not.toHaveCount(0);
  expect(await rows.count()).toBeGreaterThan(before);
  await rows.filter({ hasText: 'granted' }).first().focus();
  await page.keyboard.press('Enter');
  await expect(sheet.getByRole('table', { name: 'Wishes' }).locator('tr.chosen')).toHaveCount(1);
  // Who grants it is drawn beside.
  await expect(page.getByTestId('scene-counts')).toContainText('of them copies');
  await sheet.getByRole('button', { name: 'Show them' }).click();
  await expect(sheet.getByRole('table', { name: 'Contacts against the wishes' })).toContainText('expected');
  const other = sheet.getByLabel('Another crystal');
  await other.selectOption(await other.locator('option', { hasText: 'ukonzome-2' }).getAttribute('value'));
  const served = sheet.getByRole('table', { name: 'Crystals side by side' }).locator('tr', { hasText: 'served' });
  await expect(served).toContainText(/\d+ %\s*\d+ %/);
  const [here, there] = (await served.locator('td.n').allTextContents()).map((x) => Number.parseInt(x));
  expect(here!).toBeGreaterThan(there!);
  await sheet.getByRole('button', { name: 'Take them away' }).click();
  await expect(rows).toHaveCount(0);
});

test('energies of pairs and of the lattice, the surface of the molecule and its fingerprint', async ({ page }) => {
  await takeIn(page, 'ukonzome-1.cif');
  const energies = page.getByRole('region', { name: 'Energies between molecules' });
  await energies.getByRole('button', { name: 'Work them out' }).click();
  await expect(energies).toContainText(/The lattice gains \d+\.\d kJ per mol/);
  const pairs = energies.getByRole('table', { name: 'Energies of pairs' }).locator('tbody tr');
  await expect(pairs.first()).toContainText('−');
  await pairs.first().click();
  await expect(page.getByTestId('scene-counts')).toContainText('of them copies');
  const surface = page.getByRole('region', { name: 'The molecule’s surface' });
  await surface.getByRole('button', { name: 'By its share of the density' }).click();
  await expect(surface).toContainText(/\d+ Å² around \d+ Å³/);
  await surface.getByRole('button', { name: 'Fingerprints' }).click();
  await expect(page.getByRole('img', { name: /Fingerprint of Ukonzome-1/i })).toBeVisible();
  await expect(page.getByRole('table', { name: 'Shares of the surface' })).toContainText('H⋯H');
});

test('a definition of one’s own: made, named, narrowed, kept over a reload, refused from a wrong file', async ({
  page,
}) => {
  await takeIn(page, 'ukonzome-1.cif');
  const sheet = page.getByRole('region', { name: 'Contacts', exact: true });
  await sheet.getByRole('button', { name: 'One of my own' }).click();
  await sheet.getByLabel('Name').fill('Strong ones');
  await page.keyboard.press('Enter');
  await sheet.getByLabel('H⋯A is asked for').selectOption('length');
  await sheet.getByLabel('H⋯A, longest, Å').fill('2.6');
  await page.keyboard.press('Enter');
  await expect(sheet).toContainText(/H⋯A from 0 to 2\.6 Å/);
  const mine = sheet.getByRole('checkbox', { name: /Strong ones/ });
  await expect(mine).toBeChecked();
  await page.reload();
  await expect(mine).toBeChecked();
  await sheet
    .getByLabel('File of definitions')
    .setInputFiles([{ name: 'odd.json', mimeType: 'application/json', buffer: Buffer.from('{"definitions": []}') }]);
  await expect(sheet.getByRole('alert')).toContainText('odd.json holds no definitions');
  await expect(mine).toBeChecked();
});

test('a network is followed until it repeats, a step back, from a list with the keyboard, and only what binds is left', async ({
  page,
}) => {
  await takeIn(page, 'kurumi-5.cif');
  const sheet = page.getByRole('region', { name: 'Contacts', exact: true });
  await sheet.getByLabel('Halogen bonds').check();
  const drawn = page.getByTestId('scene-counts');
  await expect(sheet.getByRole('table', { name: 'Contacts' }).locator('tbody tr')).not.toHaveCount(0);
  const told = (await drawn.textContent())!;
  await sheet.getByRole('button', { name: 'List the open ends' }).click();
  await sheet.getByRole('table', { name: 'Open ends' }).locator('tr').first().focus();
  await page.keyboard.press('Enter');
  await expect(drawn).not.toHaveText(told);
  const one = (await drawn.textContent())!;
  await sheet.getByRole('button', { name: 'Follow until it repeats' }).click();
  await expect(drawn).not.toHaveText(one);
  await sheet.getByRole('button', { name: 'A step back' }).click();
  await expect(drawn).toHaveText(one);
  await sheet.getByRole('button', { name: 'Take back what was brought' }).click();
  await expect(drawn).toHaveText(told);
  await sheet.getByRole('button', { name: 'Only atoms that bind' }).click();
  await expect(drawn).not.toHaveText(told);
  await sheet.getByRole('button', { name: 'Only atoms that bind' }).click();
  await expect(drawn).toHaveText(told);
});
