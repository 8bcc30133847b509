import { expect, test, type Page } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { stop, watchForErrors } from './support.ts';

watchForErrors();
const idle = (page: Page) => expect(page.locator('.work')).toHaveCount(0, { timeout: 120_000 });
const sheet = (page: Page, name: string) => page.getByRole('region', { name, exact: true });
const rwp = async (page: Page): Promise<number> =>
  Number((await page.getByTestId('live-rwp').innerText()).replace('%', ''));

async function openPowder(page: Page, name: RegExp): Promise<void> {
  await page.goto('/');
  await page.getByRole('button', { name }).click();
  await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
  await page.getByRole('button', { name: 'Go on to Fit' }).click();
  await expect(page.getByTestId('pattern')).toBeVisible();
}

async function fromShelf(page: Page, elements: string, name: string): Promise<void> {
  await page.getByRole('button', { name: 'Add from the shelf' }).click();
  const shelf = page.getByRole('dialog', { name: 'Shelf of reference structures' });
  await shelf.getByLabel('all of').fill(elements);
  await shelf.locator('li button', { hasText: name }).first().click();
  await expect(page.getByText(`${name} is shown on trial`)).toBeVisible();
  await shelf.getByRole('button', { name: `Take ${name}` }).click();
  await expect(page.locator('.mark-info b')).toContainText(`${name} taken from the shelf`);
  await shelf.getByRole('button', { name: 'Close' }).click();
}

test('a frit: phases from the shelf, a constant nudged by keys and by dragging, a staged run to weight fractions', async ({
  page,
}) => {
  await openPowder(page, /^Frit 12/);
  await fromShelf(page, 'Sn Ti', 'Yamabuki');
  await fromShelf(page, 'Co Al Zn', 'Kurobane blue');
  const before = await rwp(page);
  // Arrows change the pattern at once; Esc takes it back; nothing holds the focus.
  const a = page.getByLabel('a of Yamabuki', { exact: true });
  await a.scrollIntoViewIfNeeded();
  await a.focus();
  for (let i = 0; i < 8; i++) await page.keyboard.press('ArrowUp');
  await expect(a).toHaveValue('4.70900');
  await expect.poll(() => rwp(page)).not.toBe(before);
  await page.keyboard.press('Escape');
  await expect(a).not.toBeFocused();
  await expect(a).toHaveValue('4.70100');
  await expect.poll(() => rwp(page)).toBeCloseTo(before, 1);
  await a.focus();
  await page.keyboard.press('Tab');
  await expect(a).not.toBeFocused();
  // The increment is the person's own.
  await a.focus();
  await page.keyboard.press('PageUp');
  await page.keyboard.press('ArrowUp');
  await expect(a).toHaveValue('4.71100');
  await page.keyboard.press('PageDown');
  await page.keyboard.press('Escape');
  // Reflections by key: what they are and what moves them; a region pinned.
  await page.getByRole('application').focus();
  await page.keyboard.press('n');
  await expect(page.getByTestId('readout')).toContainText(/2θ.*depends on|moves/);
  await page.keyboard.press('p');
  await expect(page.locator('.pins figure')).toHaveCount(1);
  // Zoom by wheel and drag; everything again by key.
  const plot = page.getByTestId('pattern');
  const full = await plot.getAttribute('data-window');
  const box = (await plot.boundingBox())!;
  await page.mouse.move(box.x + box.width * 0.4, box.y + 60);
  await page.mouse.wheel(0, -400);
  await expect(plot).not.toHaveAttribute('data-window', full!);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.6, box.y + 70, { steps: 4 });
  await page.mouse.up();
  const zoomed = (await plot.getAttribute('data-window'))!.split(' ').map(Number);
  expect(zoomed[1]! - zoomed[0]!).toBeLessThan(40);
  await page.keyboard.press('f');
  await expect(plot).toHaveAttribute('data-window', full!);
  // A tick is dragged: the most sensitive constant follows.
  const value = await page.getByLabel('a of Yamabuki', { exact: true }).inputValue();
  const w = full!.split(' ').map(Number),
    at = (t: number): number => box.x + 58 + ((t - w[0]!) / (w[1]! - w[0]!)) * (box.width - 72);
  const pane = (await plot.boundingBox())!;
  const tickY =
    pane.y +
    (await plot.evaluate((c) => {
      const h = c.clientHeight,
        t = 2 * 13 + 4,
        d = Math.min(80, h * 0.16);
      return 10 + Math.max(30, h - 10 - 22 - t - d) + 9;
    }));
  await page.mouse.move(at(26.83), tickY);
  await expect(page.getByTestId('readout')).toContainText('Yamabuki 1 1 0');
  await expect(page.getByTestId('readout')).toContainText('depends on a alone');
  await page.mouse.down();
  await page.mouse.move(at(26.83) - 4, tickY, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByLabel('a of Yamabuki', { exact: true })).not.toHaveValue(value);
  expect(Number(await page.getByLabel('a of Yamabuki', { exact: true }).inputValue())).toBeGreaterThan(Number(value));
  await page.mouse.move(box.x + 300, box.y - 60);
  // A pause makes it a mark.
  await expect(page.locator('.mark-info b')).toContainText('a of Yamabuki by hand', { timeout: 10_000 });
  await page.getByRole('button', { name: 'Run', exact: true }).click();
  await expect(page.locator('.mark-info')).toContainText('fitted', { timeout: 120_000 });
  await idle(page);
  const results = sheet(page, 'Results');
  await expect(results).toContainText(/Yamabuki\s*58\.\d/);
  await results.getByLabel('Weighed fraction of Yamabuki, %').fill('58');
  await results.getByLabel('Weighed fraction of Yamabuki, %').press('Enter');
  await expect(results).toContainText(/\(\d\.\d s\.u\.\)/);
  expect(await rwp(page)).toBeLessThan(6);
  // Each stage left its mark; undo goes back and redo comes again.
  const stages = await page.getByRole('option').count();
  expect(stages).toBeGreaterThan(6);
  await page.locator('.selection-line').click();
  await page.keyboard.press('Control+z');
  await expect(page.locator('.mark-info')).not.toContainText('fitted');
  await page.keyboard.press('Control+Shift+z');
  await expect(page.locator('.mark-info')).toContainText('fitted');
  await page.getByRole('button', { name: 'Compare' }).click();
  await expect(page.locator('.comparison')).toContainText('Rwp');
  await page.getByRole('button', { name: 'End the comparison' }).click();
  await page.reload();
  await expect(sheet(page, 'Results')).toContainText(/58\.\d/, { timeout: 30_000 });
  const download = page.waitForEvent('download');
  await sheet(page, 'Results').getByRole('button', { name: 'CIF' }).click();
  expect(readFileSync(await (await download).path(), 'utf8')).toContain('_pd_phase_mass_%');
});

test(
  'an unknown: indexed, its intensities taken out, solved, and taken back into the fit',
  { tag: '@long' },
  async ({ page }) => {
    await openPowder(page, /^Hatsuyuki/);
    await sheet(page, 'Peaks and phases').getByRole('button', { name: 'Find peaks' }).click();
    await expect(sheet(page, 'Peaks and phases')).toContainText(/\d+ peaks/, { timeout: 60_000 });
    const unknown = sheet(page, 'An unknown cell');
    await unknown.getByRole('button', { name: 'Index them' }).click();
    await unknown.locator('tr.pick', { hasText: 'orthorhombic P' }).first().click({ timeout: 90_000 });
    await expect(page.getByText('is shown on trial')).toBeVisible();
    await unknown.getByRole('button', { name: 'Take as P c m n' }).click();
    await expect(sheet(page, 'Phases')).toContainText('no structure');
    await page.getByRole('button', { name: 'Run', exact: true }).click();
    await expect(page.locator('.mark-info')).toContainText('fitted', { timeout: 120_000 });
    await idle(page);
    await page.getByRole('button', { name: 'Solve Unknown from these intensities' }).click();
    await expect(page.getByRole('button', { name: 'Go on to Solve' })).toBeVisible({ timeout: 60_000 });
    await page.getByLabel('Formula').fill('Zn Mg Ge O4');
    await page.getByLabel('Formula').press('Enter');
    await page.getByRole('button', { name: 'Go on to Solve' }).click();
    await page.getByRole('button', { name: 'Solve', exact: true }).click();
    await page.getByRole('button', { name: 'Take it back to Fit' }).first().click({ timeout: 240_000 });
    await page.getByRole('button', { name: 'Take it into the fit' }).click();
    await page.getByLabel('Recipe').selectOption({ label: 'A structure' });
    await page.getByRole('button', { name: 'Run', exact: true }).click();
    await expect(page.locator('.mark-info')).toContainText('fitted', { timeout: 180_000 });
    await idle(page);
    expect(await rwp(page)).toBeLessThan(12);
  },
);

test(
  'a series on the server, identification, a wrong file, a run that is stopped',
  { tag: '@long' },
  async ({ page }) => {
    await openPowder(page, /^Titania, heated/);
    await page.getByLabel('Pattern shown').selectOption({ index: 5 });
    const peaks = sheet(page, 'Peaks and phases');
    await peaks.getByPlaceholder(/any elements/).fill('ti o');
    await peaks.getByRole('button', { name: 'Identify' }).click();
    await expect(peaks).toContainText(/anatase/, { timeout: 60_000 });
    await expect(peaks).toContainText(/rutile/);
    await peaks.getByRole('button', { name: /into the fit/ }).click();
    await expect(page.locator('.mark-info b')).toContainText('identified', { timeout: 30_000 });
    // A wrong file is told with its line and changes nothing.
    await page.getByTestId('file-picker').setInputFiles({
      name: 'broken.xy',
      mimeType: 'text/plain',
      buffer: Buffer.from(`${Array.from({ length: 30 }, (_, i) => `${20 + i * 0.1} 12`).join('\n')}\n23.1 twelve\n`),
    });
    await expect(page.getByRole('alert')).toContainText('Line 31');
    await page.getByRole('dialog').getByText('Close', { exact: true }).click();
    await expect(sheet(page, 'Phases')).toContainText('2 phases');
    // A stopped run keeps its stages.
    await page.getByRole('button', { name: 'Run', exact: true }).click();
    await expect(sheet(page, 'Fit').locator('.stages li').first()).toBeVisible({ timeout: 60_000 });
    await stop(page);
    await idle(page);
    await expect(page.locator('.mark-info')).toContainText('Rwp');
    // A stage that does not breathe in time is taken away with its worker: then the stage before it is where one stands.
    await expect(page.locator('.mark-info b')).toHaveText(/, stopped$|^Background and scales$/);
    await page.getByLabel('on the server').check();
    const series = sheet(page, 'Series');
    await series.getByRole('button', { name: 'Fit the series' }).click();
    await expect(page.locator('.work')).toContainText(/of 12/, { timeout: 60_000 });
    await idle(page);
    await expect(series.getByRole('img', { name: 'Chart along the series' })).toBeVisible();
    await expect(series.locator('circle')).toHaveCount(24);
    await series.getByLabel('along the series', { exact: true }).selectOption('c');
    await expect(series.locator('circle').first()).toBeVisible();
    const download = page.waitForEvent('download');
    await series.getByRole('button', { name: 'CSV' }).click();
    expect(
      readFileSync(await (await download).path(), 'utf8')
        .trim()
        .split('\n').length,
    ).toBe(13);
  },
);

test(
  'the instrument is calibrated from a standard and remembered; the shelf takes files of one’s own; regions are left out',
  { tag: '@long' },
  async ({ page }) => {
    await page.goto('/');
    await page.getByRole('button', { name: /^Silicon standard/ }).click();
    await page.getByRole('button', { name: 'Take it in' }).click();
    const instrument = sheet(page, 'Instrument');
    await expect(instrument).toContainText('Until then a usual laboratory diffractometer is assumed');
    await instrument.getByLabel('name').fill('Diffractometer by the window');
    await instrument.getByRole('button', { name: 'Use it' }).click();
    await expect(instrument).toContainText('not calibrated');
    const calibrate = sheet(page, 'Calibrate with a standard');
    await calibrate.getByRole('button', { name: 'Calibrate', exact: true }).click();
    await expect(calibrate).toContainText(/Zero 0\.02\d+°/, { timeout: 60_000 });
    await expect(instrument).toContainText('calibrated with silicon');
    // A wrong standard leaves the instrument as it was.
    await calibrate.getByLabel('Standard').selectOption('halite');
    await calibrate.getByRole('button', { name: 'Calibrate', exact: true }).click();
    await expect(page.getByRole('alert')).toContainText('does not fit Sodium chloride', { timeout: 60_000 });
    await expect(instrument).toContainText('calibrated with silicon');
    // The next pattern comes with it.
    await page.goto('/');
    await page.getByTestId('file-picker').setInputFiles('demo/data/bengara-nano.xy');
    await page.getByRole('button', { name: 'Take it in' }).click();
    await expect(sheet(page, 'Instrument').getByLabel('name')).toHaveValue('Diffractometer by the window');
    await page.getByRole('button', { name: 'Go on to Fit' }).click();
    // A search that finds nothing offers the nearest.
    await page.getByRole('button', { name: 'Add from the shelf' }).click();
    const shelf = page.getByRole('dialog', { name: 'Shelf of reference structures' });
    await shelf.getByLabel('all of').fill('Ni Al O');
    await expect(shelf).toContainText('Nearest: Zn in place of Ni');
    await shelf.getByLabel('all of').fill('Xx');
    await expect(shelf.getByRole('alert')).toContainText('Xx is not an element');
    const cif =
      'data_mine\n_chemical_name_common Murasaki\n_cell_length_a 5.02\n_cell_length_b 5.02\n_cell_length_c 13.70\n_cell_angle_alpha 90\n_cell_angle_beta 90\n_cell_angle_gamma 120\n_space_group_name_H-M_alt "R -3 c:H"\nloop_\n_atom_site_label\n_atom_site_type_symbol\n_atom_site_fract_x\n_atom_site_fract_y\n_atom_site_fract_z\nFe1 Fe 0 0 0.355\nO1 O 0.306 0 0.25\n';
    await shelf
      .locator('input[type=file]')
      .setInputFiles({ name: 'mine.cif', mimeType: 'chemical/x-cif', buffer: Buffer.from(cif) });
    await shelf.getByLabel('all of').fill('Fe O');
    await expect(shelf).toContainText('Your own');
    await shelf.locator('li button', { hasText: 'Murasaki' }).first().click();
    await shelf.getByRole('button', { name: 'Take Murasaki', exact: true }).click();
    await expect(page.locator('.mark-info b')).toContainText('Murasaki taken');
    await shelf.getByRole('button', { name: 'Close' }).click();
    // Leaving a region out changes the number of points; clicking it brings it back.
    await page.getByRole('button', { name: 'Leave out' }).click();
    const plot = page.getByTestId('pattern'),
      box = (await plot.boundingBox())!;
    await page.mouse.move(box.x + 200, box.y + 80);
    await page.mouse.down();
    await page.mouse.move(box.x + 260, box.y + 80, { steps: 4 });
    await page.mouse.up();
    await expect(page.locator('.mark-info b')).toContainText('A region is left out', { timeout: 10_000 });
    await plot.click({ position: { x: 230, y: 80 } });
    await expect(page.locator('.mark-info b')).toContainText('A region is fitted again', { timeout: 10_000 });
  },
);
