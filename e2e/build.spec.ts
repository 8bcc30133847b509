/** Structures are built, looked at, taken, taken back, and leave with certainty. */
import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { recognise } from '@nagare/core/formats/recognise';
import { find, marks, watchForErrors } from './support.ts';

watchForErrors();

const counts = (page: Page) => page.getByTestId('scene-counts');

/** A file that is saved by a click, as text. */
async function saved(page: Page, act: () => Promise<void>): Promise<{ name: string; text: string }> {
  const [download] = await Promise.all([page.waitForEvent('download'), act()]);
  return { name: download.suggestedFilename(), text: readFileSync((await download.path())!, 'utf8') };
}

test('a crystal is typed, its origin judged, cut along a plane, and saved after it was read back', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('button', { name: 'Build a crystal from its symmetry' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Space group').fill('F d -3 m');
  await expect(dialog).toContainText('Free: a.');
  await dialog.getByLabel('Constants of the cell').fill('8.083');
  await dialog.locator('textarea').fill('Mg 0 0 0\nAl 5/8 5/8 5/8\nO 0.3875 0.3875\n');
  await expect(dialog).toContainText('Line 3');
  await dialog.locator('textarea').fill('Mg 0 0 0\nAl 5/8 5/8 5/8\nO 0.3875 0.3875 0.3875\n');
  await expect(dialog).toContainText('Al2 Mg O4, Z = 8: 56 atoms');
  await expect(dialog.getByRole('radio', { name: /Origin 1, the sensible one/ })).toBeChecked();
  await expect(dialog.getByText(/which cannot be/)).toBeVisible();
  await expect(dialog.getByAltText('The crystal as it is typed')).toBeVisible();
  await dialog.getByRole('button', { name: 'Take it as a project' }).click();
  await expect(counts(page)).toContainText('The cell holds 56 atoms');

  await page.getByRole('link', { name: /Build/ }).click();
  // A matrix that is none changes nothing.
  const matrix = page.getByLabel('New axes in terms of the old ones, rows of whole numbers');
  await matrix.fill('1,0,0; 0,1,0; 1,1,0');
  await expect(page.getByRole('alert')).toContainText('one plane');
  await matrix.fill('');
  await page.getByRole('button', { name: 'Primitive' }).click();
  await expect(page.getByText('56 atoms × 0.25 = 14, as it should be.')).toBeVisible();
  await page.getByRole('button', { name: 'Leave it' }).click();
  await expect(counts(page)).toContainText('The cell holds 56 atoms');

  for (const index of 'hk') {
    await page.getByLabel(`Index ${index} of the plane`).fill('1');
    await page.keyboard.press('Enter');
  }
  await page.getByRole('button', { name: 'Look at the slab' }).click();
  await expect(page.getByText(/14 atoms a layer × 3 = 42, as it should be/)).toBeVisible();
  await expect(counts(page)).toContainText('The cell holds 42 atoms');
  const ways = page.getByRole('region', { name: 'Surface' }).getByRole('row');
  await expect(ways).not.toHaveCount(0);
  await ways.last().click();
  await page.getByLabel('Layers of the slab').fill('2');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/14 atoms a layer × 2 = 28/)).toBeVisible();
  await page.getByRole('button', { name: 'Take it', exact: true }).click();
  await expect(marks(page)).toHaveCount(2);
  await expect(counts(page)).toContainText('The cell holds 28 atoms');

  await page.getByLabel('Format of the file').selectOption('extended xyz');
  await expect(page.getByText('8 Al, 4 Mg, 16 O, as it should be.')).toBeVisible();
  await expect(page.getByText(/12\.00 Å of vacuum/)).toBeVisible();
  const { name, text } = await saved(page, () => page.getByRole('button', { name: 'Save', exact: true }).click());
  expect(name).toMatch(/\.xyz$/);
  expect(recognise(text, name)[0]!.structure!.sites).toHaveLength(28);

  await page.reload();
  await expect(counts(page)).toContainText('The cell holds 28 atoms');
  await page.locator('body').click({ position: { x: 5, y: 790 } });
  await page.keyboard.press('Control+z');
  await expect(counts(page)).toContainText('The cell holds 56 atoms');
});

test('beside intensities another cell becomes a project of its own; an element alone stays', async ({ page }) => {
  await page.goto('/');
  await page.getByTestId('file-picker').setInputFiles(new URL('projects/Futago-1.nagare', import.meta.url).pathname);
  await expect(marks(page)).not.toHaveCount(0);
  await find(page, 'Build');
  await expect(page.getByRole('button', { name: 'Look at the supercell' })).toBeVisible();
  await page.getByRole('button', { name: 'Look at the supercell' }).click();
  await expect(page.getByText(/× 8 = \d+, as it should be/)).toBeVisible({ timeout: 60_000 });
  await expect(
    page.getByText(/The intensities and the controls of this project do not go with another cell/),
  ).toBeVisible();
  await expect(page.getByRole('button', { name: 'Take it', exact: true })).toHaveCount(0);
  const before = page.url();
  await page.getByRole('button', { name: 'Take it as a project of its own' }).click();
  await expect(page).not.toHaveURL(before);
  await expect(marks(page)).toHaveCount(1);
  await expect(page.getByText('Supercell 2 × 2 × 2').first()).toBeVisible();
});
