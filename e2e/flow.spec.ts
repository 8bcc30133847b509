import { readFileSync, writeFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { exportProject, marks, openDemo, openSolved, solve, stop, watchForErrors } from './support.ts';

watchForErrors();

test('from measured reflections to a refined structure and a CIF, and back in again', async ({ page }, info) => {
  await openDemo(page, 'Benigara-2');
  await expect(page.getByText('P −1 fits without a contradiction')).toBeVisible();
  await expect(page.locator('canvas').first()).toBeVisible();
  await solve(page);
  await expect(page.locator('.gauge', { hasText: 'R1' }).first()).toContainText(/\d+\.\d\d %/);
  const before = await marks(page).count();
  await page.getByRole('button', { name: 'Refine', exact: true }).click();
  await expect(page.getByText(/Settled/).first()).toBeVisible({ timeout: 120_000 });
  expect(await marks(page).count()).toBe(before + 1);
  const r1 = Number(
    (await page.locator('.gauge', { hasText: 'R1' }).first().locator('.value').textContent())!.replace(' %', ''),
  );
  expect(r1).toBeLessThan(7);
  await expect(page.getByRole('cell', { name: 'ρ1', exact: true })).toBeVisible();

  // A distance with its s.u. from two rows of the table.
  await page.locator('.sites .row-line').nth(0).locator('.mono').first().click();
  await page
    .locator('.sites .row-line')
    .nth(1)
    .locator('.mono')
    .first()
    .click({ modifiers: ['Control'] });
  await expect(page.getByTestId('measurement')).toHaveText(/^distance \d+\.\d+\(\d+\) Å$/);

  // The scene by keyboard and by mouse.
  const scene = page.getByRole('application');
  await scene.focus();
  await page.keyboard.press('Escape');
  await page.keyboard.press('n');
  await expect(page.getByTestId('measurement')).toHaveText('one site');
  await page.keyboard.press('Shift+N');
  await page.keyboard.press('Shift+N');
  await expect(page.getByTestId('measurement')).toHaveText(/^angle \d+\.\d+\(\d+\)°$/);
  await page.keyboard.press('Escape');
  await page.keyboard.press('f');
  const pane = (await scene.boundingBox())!;
  await page.getByRole('button', { name: 'Box', exact: true }).click();
  await page.mouse.move(pane.x + 4, pane.y + 4);
  await page.mouse.down();
  await page.mouse.move(pane.x + pane.width - 4, pane.y + pane.height - 4, { steps: 5 });
  await page.mouse.up();
  await expect(page.getByRole('complementary', { name: 'Inspector' })).toContainText('38 sites');
  await page.getByRole('button', { name: 'Clear' }).click();

  await page.getByRole('link', { name: /Publish/ }).click();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Take the CIF home' }).click(),
  ]);
  const path = info.outputPath('out.cif');
  await download.saveAs(path);
  const cif = readFileSync(path, 'utf8');
  expect(Math.abs(100 * Number(/_refine_ls_R_factor_gt\s+(\S+)/.exec(cif)![1]) - r1)).toBeLessThan(0.011);
  await page.goto('/');
  await page.getByTestId('file-picker').setInputFiles(path);
  await expect(page.getByRole('dialog')).toContainText('a structure of 38 sites in P −1');
  await page.getByRole('button', { name: 'Take it in' }).click();
  // The model that comes with its data is judged at once, and has the R1 it left with.
  await expect(page.getByRole('button', { name: 'Go on to Refine' })).toBeVisible({ timeout: 60_000 });
  await page.getByRole('link', { name: /Refine/ }).click();
  await expect(page.getByRole('grid', { name: 'Sites' })).toBeVisible();
  const back = page.locator('.gauge', { hasText: 'R1' }).first().locator('.value');
  await expect(back).toContainText('%');
  expect(Math.abs(Number((await back.textContent())!.replace(' %', '')) - r1)).toBeLessThan(0.03);
});

test(
  'marks survive a reload in the middle of a solve and of a refinement; undo and branches',
  { tag: '@long' },
  async ({ page }) => {
    await openDemo(page, 'Benigara-2');
    await page.getByRole('button', { name: 'Go on to Solve' }).click();
    await page.getByRole('button', { name: 'Solve', exact: true }).click();
    await expect(page.getByRole('status')).toContainText('seed');
    await page.reload();
    await expect(page.getByRole('button', { name: /^Solve$|Continue with more seeds/ })).toBeVisible();
    await page.getByRole('button', { name: /^Solve$|Continue with more seeds/ }).click();
    await page.getByRole('button', { name: 'Take it to Refine' }).click({ timeout: 120_000 });
    await expect(page.getByRole('grid', { name: 'Sites' })).toBeVisible({ timeout: 60_000 });
    await expect(marks(page)).toHaveCount(1);
    await page.getByRole('button', { name: 'Refine', exact: true }).click();
    await expect(page.getByRole('status')).toContainText('cycle');
    await page.reload();
    await expect(marks(page)).toHaveCount(1);

    // Stopping leaves the model as it was.
    await page.getByRole('button', { name: 'Refine', exact: true }).click();
    await expect(page.getByRole('status')).toContainText('cycle');
    await stop(page);
    await expect(page.getByRole('status')).toHaveCount(0);
    await expect(marks(page)).toHaveCount(1);

    // Delete with the keyboard, go back, and change an element instead: a branch.
    const table = page.getByRole('grid', { name: 'Sites' });
    await table.focus();
    await page.keyboard.press('ArrowDown');
    await page.keyboard.press('Delete');
    await expect(page.getByText('37 in the asymmetric unit')).toBeVisible();
    await page.keyboard.press('Control+z');
    await expect(page.getByText('38 in the asymmetric unit')).toBeVisible();
    await page.keyboard.press('Control+Shift+z');
    await expect(page.getByText('37 in the asymmetric unit')).toBeVisible();
    await page.keyboard.press('Control+z');
    await page.locator('.sites .row-line').nth(3).locator('.mono').first().click();
    await page
      .getByRole('complementary', { name: 'Inspector' })
      .getByRole('button', { name: 'S', exact: true })
      .click();
    await expect(page.getByRole('listbox', { name: 'Marks' }).getByRole('option', { name: /made S/ })).toBeVisible();
    await expect(marks(page)).toHaveCount(3);

    // The finder reaches atoms by words.
    await page.keyboard.press('Control+k');
    await page.getByRole('textbox', { name: 'Find' }).fill('all bromine');
    await page.keyboard.press('Enter');
    await expect(page.locator('.sites .row-line.picked')).toHaveCount(2);
  },
);

test(
  'two tabs on one project do not overwrite each other, and a project goes out and in as one file',
  { tag: '@long' },
  async ({ page, context }, info) => {
    await openSolved(page, 'Benigara-2');
    const other = await context.newPage();
    await other.goto(page.url());
    await expect(marks(other)).toHaveCount(1);
    for (const [tab, row] of [
      [page, 5],
      [other, 6],
    ] as const) {
      await tab.locator('.sites .row-line').nth(row).locator('.mono').first().click();
      await tab
        .getByRole('complementary', { name: 'Inspector' })
        .getByRole('button', { name: /^Delete/ })
        .click();
    }
    for (const tab of [page, other]) {
      await expect(marks(tab)).toHaveCount(3);
      await expect(tab.getByText('37 in the asymmetric unit')).toBeVisible();
    }
    await other.close();
    const path = info.outputPath('out.nagare');
    await exportProject(page, 'Benigara-2', path);
    await page.goto('/');
    await page.getByTestId('file-picker').setInputFiles(path);
    await expect(marks(page)).toHaveCount(3);
    await expect(page.locator('.gauge', { hasText: 'R1' }).first()).toContainText('%');
    writeFileSync(path, readFileSync(path).subarray(0, 2000));
    await page.goto('/');
    await page.getByTestId('file-picker').setInputFiles(path);
    await expect(page.getByRole('alert')).toContainText('not a Nagare project file, or it was cut short');
  },
);

test('a wrong file gets a sentence with its line, and the project stays', async ({ page }) => {
  await page.goto('/');
  const drop = (name: string, text: string) =>
    page.getByTestId('file-picker').setInputFiles({ name, mimeType: 'text/plain', buffer: Buffer.from(text) });
  await drop('broken.cif', 'data_x\n_cell_length_a 7\nloop_\n_a\n_b\n1 2 3\n');
  await expect(page.getByRole('alert')).toContainText('broken.cif: Line 3: the loop of _a has 2 columns but 3 values');
  await page.getByRole('button', { name: 'Close', exact: true }).last().click();
  await drop('letter.txt', 'Dear reader,\nthis is no measurement.\n');
  await expect(page.getByRole('alert')).toContainText('was not recognised');
  await page.getByRole('button', { name: 'Close', exact: true }).last().click();
  await expect(page.getByText('None yet.')).toBeVisible();
});

test('a plain list asks once for cell and wavelength', async ({ page }) => {
  const cif = readFileSync('demo/data/benigara-2.cif', 'utf8');
  const rows = cif
    .slice(cif.indexOf('_diffrn_refln_intensity_u') + 26)
    .trim()
    .split('\n')
    .map((l) => {
      const [h, k, m, i, s] = l.split(' ').map(Number) as [number, number, number, number, number];
      return (
        [h, k, m].map((x) => String(x).padStart(4)).join('') +
        i.toFixed(2).slice(0, 8).padStart(8) +
        s.toFixed(2).padStart(8)
      );
    });
  const cell = ['a', 'b', 'c']
    .map((x) => new RegExp(`_cell_length_${x}\\s+([\\d.]+)`).exec(cif)![1])
    .concat(['alpha', 'beta', 'gamma'].map((x) => new RegExp(`_cell_angle_${x}\\s+([\\d.]+)`).exec(cif)![1]))
    .join(' ');
  await page.goto('/');
  await page.getByTestId('file-picker').setInputFiles({
    name: 'list.txt',
    mimeType: 'text/plain',
    buffer: Buffer.from(`${rows.join('\n')}\n   0   0   0    0.00    0.00\n`),
  });
  await expect(page.getByRole('dialog')).toContainText(
    'in fixed columns; the cell and the wavelength are still to be given',
  );
  await page.getByRole('button', { name: 'Take it in' }).click();
  await page.getByLabel('Cell, Å and °').fill('1 2');
  await page.getByRole('button', { name: 'Judge the data' }).click();
  await expect(page.getByRole('alert')).toContainText('is not a cell');
  await page.getByLabel('Cell, Å and °').fill(cell);
  await page.getByRole('button', { name: 'Judge the data' }).click();
  await expect(page.getByText('P −1 fits without a contradiction')).toBeVisible({ timeout: 60_000 });
});

test(
  'solving runs on the server too, and half a million reflections do not freeze the page',
  { tag: '@long' },
  async ({ page }) => {
    await openDemo(page, 'Mizuasagi');
    await page.getByRole('button', { name: 'Go on to Solve' }).click();
    await page.getByLabel('run on the server').check();
    await page.getByRole('button', { name: 'Solve', exact: true }).click();
    await expect(page.getByRole('button', { name: 'Take it to Refine' })).toBeVisible({ timeout: 120_000 });
    await page.goto('/');
    let seed = 1;
    const next = (): number => (seed = (seed * 16807) % 2147483647) / 2147483647;
    const rows = Array.from(
      { length: 500_000 },
      () =>
        `${Math.floor(next() * 30) - 15} ${Math.floor(next() * 30) - 15} ${Math.floor(next() * 30) + 1} ${(next() * 1000).toFixed(2)} 3.50`,
    );
    await page
      .getByTestId('file-picker')
      .setInputFiles({ name: 'large.txt', mimeType: 'text/plain', buffer: Buffer.from(rows.join('\n')) });
    await expect(page.getByRole('dialog')).toContainText('500 000 reflections', { timeout: 60_000 });
    await page.getByRole('button', { name: 'Take it in' }).click();
    await expect(page.getByLabel('Cell, Å and °')).toBeVisible();
  },
);
