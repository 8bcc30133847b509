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
  await dialog.getByRole('button', { name: 'Choose from a list' }).click();
  await dialog.getByLabel('System').selectOption('cubic');
  await dialog.getByLabel('Words, numbers or parts of symbols').fill('origins fd');
  await dialog.getByRole('button', { name: '227 F d −3 m' }).click();
  await expect(dialog.getByLabel('Space group')).toHaveValue('F d -3 m');
  await expect(dialog).toContainText('Free: a.');
  await dialog.getByLabel('Constants of the cell').fill('8.083');
  await dialog.locator('textarea').fill('Mg 0 0 0\nAl 5/8 5/8 5/8\nO 0.3875 0.3875\n');
  await expect(dialog).toContainText('Line 3');
  await dialog.locator('textarea').fill('Mg 0 0 0\nAl 5/8 5/8 5/8\nO 0.3875 0.3875 0.3875\n');
  await expect(dialog).toContainText('Al2 Mg O4, Z = 8: 56 atoms');
  await expect(dialog.getByRole('radio', { name: /Origin 1, the sensible one/ })).toBeChecked();
  await expect(dialog.getByText(/which cannot be/)).toBeVisible();
  await expect(dialog.getByRole('application', { name: /The crystal as it is typed/ })).toBeVisible();
  await expect(dialog).toContainText(/sphere of/);
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
  const ways = page.getByRole('radiogroup', { name: 'Ways to cut' }).getByRole('radio');
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

test(
  'beside intensities another cell becomes a project of its own; an element alone stays',
  { tag: '@long' },
  async ({ page }) => {
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
    await page.getByRole('button', { name: 'Leave it' }).click();
    // A site alone is changed here, and judged against the intensities as any edit is.
    const here = await marks(page).count();
    await page.getByRole('button', { name: 'Sites', exact: true }).click();
    await page.getByRole('region', { name: 'Sites' }).getByLabel('Occupancy').fill('0.9');
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: 'Take it', exact: true }).click();
    await expect(marks(page)).toHaveCount(here + 1);
    await expect(page.getByText(/R1 \d+\.\d+ %/).first()).toBeVisible();
    await page.getByRole('button', { name: 'Look at the supercell' }).click();
    await expect(page.getByText(/× 8 = \d+, as it should be/)).toBeVisible({ timeout: 60_000 });
    const before = page.url();
    await page.getByRole('button', { name: 'Take it as a project of its own' }).click();
    await expect(page).not.toHaveURL(before);
    await expect(marks(page)).toHaveCount(1);
    await expect(page.getByText('Supercell 2 × 2 × 2').first()).toBeVisible();
  },
);

/** Opens a sample structure and the station. */
async function sample(page: Page, file: string): Promise<void> {
  await page.goto('/');
  await page.getByTestId('file-picker').setInputFiles(new URL(`../demo/data/${file}`, import.meta.url).pathname);
  await page.getByRole('button', { name: 'Take it in' }).click();
  await expect(marks(page)).toHaveCount(1);
  await find(page, 'Build');
}

test('a polar face is clicked, mended, taken, held and given a molecule', { tag: '@long' }, async ({ page }) => {
  await sample(page, 'ishibai.cif');
  await page.getByRole('button', { name: 'Cut along (1 1 1)' }).press('Enter');
  await expect(page.getByLabel('Index l of the plane')).toHaveValue('1');
  await page.getByRole('button', { name: 'Look at the slab' }).click();
  await expect(page.getByText(/a dipole of −?\d/)).toBeVisible();
  await expect(page.locator('.cut img')).toHaveCount(2);
  await page.getByLabel('part of the plane moved beneath').check();
  await expect(page.getByText('no dipole along the normal')).toBeVisible();
  await expect(counts(page)).toContainText('The cell holds 12 atoms');
  await page.getByLabel('both sides alike').check();
  await expect(page.getByText(/beyond whole formula units/)).toBeVisible();
  await page.getByLabel('part of the plane moved beneath').check();
  await page.getByText('Axes of the plane').click();
  await page.getByLabel('Axes in the plane in terms of a and b').fill('2,0; 0');
  await expect(page.getByText(/Write both new axes/)).toBeVisible();
  await page.getByLabel('Axes in the plane in terms of a and b').fill('1,0; 0,2');
  await page.getByRole('button', { name: 'Take these' }).click();
  await expect(counts(page)).toContainText('The cell holds 24 atoms');
  await page.getByRole('button', { name: 'Take it', exact: true }).click();
  await expect(marks(page)).toHaveCount(2);

  await page.getByLabel('Lowest planes of atoms that are held still').fill('2');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/\d+ held/)).toBeVisible();
  await page.reload();
  await expect(page.getByLabel('Lowest planes of atoms that are held still')).toHaveValue('2');

  await page.getByRole('application', { name: /^Crystal/ }).press('n');
  await page.getByRole('button', { name: 'A molecule above' }).click();
  await page.getByRole('region', { name: 'A molecule above' }).getByRole('button', { name: 'Look at it' }).click();
  await expect(page.getByText(/3 atoms over 24: 27/)).toBeVisible();
});

test('sites are shared, moved, taken away and taken back', async ({ page }) => {
  await sample(page, 'zakuro-1.cif');
  await page.getByRole('button', { name: 'Sites', exact: true }).click();
  const sheet = page.getByRole('region', { name: 'Sites' });
  await sheet.getByLabel('Site that is meant').selectOption('Al1');
  await expect(sheet).toContainText('Al1: What is changed, is changed at all 16 of the cell.');
  await sheet.getByLabel('x y z, fractions or decimals').fill('0 0');
  await expect(sheet).toContainText('A place is three fractions');
  await sheet.getByLabel('x y z, fractions or decimals').fill('0 0 0');
  await sheet.getByLabel('Element that shares the site').fill('fe');
  await sheet.getByLabel('Share of the newcomer').fill('0.25');
  await page.keyboard.press('Enter');
  await sheet.getByRole('button', { name: 'of Al1' }).click();
  await expect(page.getByText('Al1 0.75 and Fe1 0.25 share one place.')).toBeVisible();
  await page.getByRole('button', { name: 'Take it', exact: true }).click();
  await expect(marks(page)).toHaveCount(2);
  await sheet.getByLabel('Site that is meant').selectOption('Si1');
  await sheet.getByRole('button', { name: 'Remove Si1' }).click();
  await expect(page.getByText(/176 atoms of the cell before, 152 after/)).toBeVisible();
  await page.getByRole('button', { name: 'Leave it' }).click();
  await expect(counts(page)).toContainText('The cell holds 176 atoms');
  await page.locator('body').click({ position: { x: 5, y: 790 } });
  await page.keyboard.press('Control+z');
  await expect(counts(page)).toContainText('The cell holds 160 atoms');
});

test('layers are stacked with a twist; cells are looked for; strain, slices and empty space are told', async ({
  page,
}) => {
  await sample(page, 'asagiri.cif');
  await page.getByRole('button', { name: 'Stack', exact: true }).click();
  await page.getByLabel('Twist wished, degrees').fill('21.8');
  await page.getByRole('button', { name: 'Look for common cells' }).click();
  const cells = page.getByRole('table', { name: 'Common cells' }).getByRole('row');
  await expect(cells).toHaveCount(2);
  await cells.nth(1).click();
  await expect(page.getByText('35 + 35 = 70 atoms, as it should be')).toBeVisible();
  await page.getByRole('button', { name: 'Leave it' }).click();

  await page.getByLabel('Degrees that angles may miss 90 by').fill('0.1');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Look for cells' }).click();
  await page.getByRole('table', { name: 'Cells found' }).getByRole('row').nth(1).click();
  await expect(page.getByText(/5 atoms × 2 = 10, as it should be/)).toBeVisible();

  await page.getByRole('button', { name: 'Strain', exact: true }).click();
  await page.getByLabel('Strain ε11, %').fill('2');
  await page.keyboard.press('Enter');
  await page.getByRole('region', { name: 'Strain' }).getByRole('button', { name: 'Look at it' }).first().click();
  await expect(page.getByText(/\+2\.00 %.*of P -3 m 1 C 1 2\/m 1 is left|\+2\.00 %.*is left/)).toBeVisible();

  await page.getByRole('button', { name: 'Slice and origin' }).click();
  await page.getByRole('button', { name: 'Look at the slice' }).click();
  await expect(page.getByText(/stand between 0 and 0\.5 of c; the whole cell holds 5/)).toBeVisible();
  await page.getByRole('button', { name: 'Leave it' }).click();

  await page.getByRole('button', { name: 'Look for it' }).click();
  await expect(page.getByText(/sphere of/)).toBeVisible();
});
