import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { find, openSamples, watchForErrors } from './support.ts';

watchForErrors();

const counts = (page: Page) => page.getByTestId('scene-counts');
const sheet = (page: Page, name: string) => page.getByRole('region', { name, exact: true });
const unfold = (page: Page, name: string) => sheet(page, name).getByRole('button', { name, exact: true }).click();
const take = (page: Page) => page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
const drop = (page: Page, files: { name: string; text: string }[]) =>
  page
    .getByTestId('file-picker')
    .setInputFiles(files.map((f) => ({ name: f.name, mimeType: 'text/plain', buffer: Buffer.from(f.text) })));
const sample = async (page: Page, name: string): Promise<void> => {
  await page.goto('/');
  await openSamples(page);
  await page.getByRole('button', { name }).click();
  await take(page);
  await expect(sheet(page, 'Rings')).toContainText(/rings? of|No rings/, { timeout: 60_000 });
};

test('a layered mineral is taken apart: bonds by pair, a sheet alone, polyhedra, hidden and back, looks undone', async ({
  page,
}) => {
  await sample(page, 'Kirara-3');
  // A structure alone: no stations for data, and its cell closed at the faces.
  await expect(page.getByRole('navigation', { name: 'Stations' }).getByRole('link')).toHaveText([
    /Relate/,
    /Build/,
    /Symmetry/,
    /Vet/,
    /Depict/,
    /Publish/,
  ]);
  await expect(counts(page)).toContainText('The cell holds 52 atoms; 70 are drawn');
  const [atoms] = await Promise.all([
    page.waitForEvent('download'),
    sheet(page, 'What is drawn').getByRole('button', { name: 'XYZ' }).click(),
  ]);
  const xyz = readFileSync(await atoms.path(), 'utf8').split('\n');
  expect(xyz[0]).toBe('70');
  expect(xyz[1]).not.toContain('Lattice');

  await unfold(page, 'Bonds');
  const bonds = sheet(page, 'Bonds');
  await expect(bonds).toContainText('K has 12 O: more than the crystal’s scheme needs');
  const handle = bonds.getByRole('slider', { name: 'Longest bond Mg–O' });
  await expect(handle).toHaveAttribute('aria-valuetext', /2\.\d\d Å/);
  await bonds.getByLabel('Bonds Mg–O').uncheck();
  await expect(handle).toHaveAttribute('aria-valuetext', 'off');
  await handle.focus();
  for (let i = 0; i < 6; i++) await page.keyboard.press('Shift+ArrowRight');
  await expect(bonds).toContainText('Set by you');
  await bonds.getByRole('button', { name: 'As proposed' }).click();
  await expect(bonds).not.toContainText('Set by you');

  await find(page, 'Mg1');
  await page.getByRole('button', { name: 'Only this layer' }).click();
  await expect(counts(page)).toContainText(/4\d\d are drawn/);
  await page.keyboard.press('Control+z');
  await expect(counts(page)).toContainText('70 are drawn');

  await page.getByRole('button', { name: 'Hide all copies' }).click();
  await expect(sheet(page, 'What is drawn')).toContainText('hidden, still in the model');
  await expect(counts(page)).not.toContainText('70 are drawn');
  await page.getByRole('button', { name: 'Show all again' }).click();
  await expect(counts(page)).toContainText('70 are drawn');

  await page.getByLabel('Part of the crystal that is drawn').selectOption('block');
  await page.getByLabel('Cells along c').fill('2');
  await expect(counts(page)).toContainText(/2\d\d are drawn/);
  await page.getByLabel('Part of the crystal that is drawn').selectOption('closed cell');
  await expect(counts(page)).toContainText('70 are drawn');

  await page.getByRole('button', { name: 'Draw Mg, Si, Al' }).click();
  await expect(sheet(page, 'Polyhedra')).toContainText('3 rules');
  await unfold(page, 'Polyhedra');
  await sheet(page, 'Polyhedra').getByRole('button', { name: 'Away' }).first().click();
  await expect(sheet(page, 'Polyhedra')).toContainText('2 rules');
  await page.reload();
  await expect(sheet(page, 'Polyhedra')).toContainText('2 rules');
});

test('a cage is measured: groups of rings, a pin that stays, measures in words, tables, one molecule over another', async ({
  page,
}) => {
  await sample(page, 'Temari');
  await expect(sheet(page, 'Rings')).toContainText('6 of one nitrogen and four carbon, flat');
  await page.getByLabel('6 of one nitrogen and four carbon, flat').check();
  await expect(sheet(page, 'Rings').locator('tr.pick')).toHaveCount(6);
  const pairs = sheet(page, 'Planes to one another');
  await pairs.getByRole('button', { name: 'angle, °' }).click();
  await expect(pairs.getByRole('columnheader', { name: 'angle, °' })).toHaveAttribute('aria-sort', 'ascending');

  await find(page, 'angle between the planes of ring 1 and ring 2');
  const measures = sheet(page, 'Measures');
  await expect(measures).toContainText('ring 1 – ring 2');
  await expect(measures).toContainText(/angle\s*\d+\.\d+\(\d+\)°/);
  await expect(measures).toContainText('S.u. from those of the sites in the file');
  await page.reload();
  await expect(measures).toContainText('ring 1 – ring 2');

  await page.getByRole('button', { name: 'Show the tables' }).click();
  await page.getByLabel('Only those that').fill('C–N');
  await expect(page.getByRole('table', { name: 'Kinds' }).locator('tbody tr')).toHaveCount(1);
  await expect(page.getByRole('table', { name: 'Bond lengths' }).locator('tbody tr')).toHaveCount(18);
  const [saved] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'CSV' }).last().click(),
  ]);
  expect(
    readFileSync(await saved.path(), 'utf8')
      .trim()
      .split('\n'),
  ).toHaveLength(19);
  await page.getByRole('button', { name: 'Back to the crystal' }).click();

  await find(page, 'N1');
  await unfold(page, 'One over another');
  const over = sheet(page, 'One over another');
  await over.getByRole('button', { name: 'Take N1 as the first' }).click();
  await over.getByRole('button', { name: 'Lay it over' }).click();
  await expect(page.getByTestId('overlay')).toContainText('R.m.s. 0.000 Å over 60 atoms', { timeout: 30_000 });
});

const WATER = '3\nwater, bent\nO 0 0 0.117\nH 0 0.757 -0.467\nH 0 -0.757 -0.467\n';

test('molecules from an XYZ file: chosen, taken as marks, measured; reflections come later; a wrong file changes nothing', async ({
  page,
}) => {
  await page.goto('/');
  await drop(page, [{ name: 'bent.xyz', text: WATER.replace('O 0', 'Qq 0') }]);
  await expect(page.getByRole('alert')).toContainText('"Qq" is no element');
  await page.getByRole('button', { name: 'Close', exact: true }).last().click();

  await drop(page, [
    { name: 'three.xyz', text: WATER + WATER.replace('bent', 'wide') + WATER.replace('bent', 'last') },
  ]);
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('without a lattice');
  await dialog.getByRole('checkbox').last().uncheck();
  await dialog.getByRole('button', { name: 'Take in as 2 marks to compare' }).click();
  await expect(page.getByRole('listbox', { name: 'Marks' }).getByRole('option')).toHaveCount(2);
  await expect(counts(page)).toContainText('3 are drawn');

  const scene = page.locator('.scene-host');
  await scene.focus();
  for (const key of ['n', 'Shift+n']) await page.keyboard.press(key);
  await expect(page.getByTestId('measurement')).toContainText('distance 0.956 Å');
  await page.getByRole('button', { name: 'Pin', exact: true }).click();
  await expect(sheet(page, 'Measures')).toContainText('O1 – H1');
  await page.getByRole('button', { name: 'Select more' }).click();
  await page.getByRole('button', { name: 'Everything else' }).click();
  await expect(page.locator('.selection-line')).toContainText('H2');

  await unfold(page, 'Views');
  const views = sheet(page, 'Views');
  await views.getByLabel('Perspective').check();
  await views.getByLabel('Name of the view').fill('from the side');
  await views.getByRole('button', { name: 'Keep this view' }).click();
  await expect(views.getByRole('button', { name: 'from the side', exact: true })).toBeVisible();

  // Reflections of this cell join the project, and bring their stations.
  const list = Array.from(
    { length: 40 },
    (_, i) => `${i % 5} ${i % 3} ${1 + (i % 7)} ${(50 + i).toFixed(2)} 1.00`,
  ).join('\n');
  await drop(page, [{ name: 'later.hkl', text: `${list}\n` }]);
  await dialog.getByRole('button', { name: 'Add to this project' }).click();
  await expect(page.getByRole('navigation', { name: 'Stations' })).toContainText('Refine');
  await expect(page).toHaveURL(/intake/);
});
