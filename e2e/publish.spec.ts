import { expect, test, type Page } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { marks, openDemo, watchForErrors, openSamples, unfold } from './support.ts';

watchForErrors();
const idle = (page: Page) => expect(page.locator('.work')).toHaveCount(0, { timeout: 120_000 });

/** A demo set that comes as a model with its data. */
async function openModel(page: Page, name: string): Promise<void> {
  await page.goto('/');
  await openSamples(page);
  await page.getByRole('button', { name }).click();
  await page.getByRole('button', { name: 'Take it in' }).click();
  await expect(page.getByRole('button', { name: /Go on to Refine/ })).toBeVisible({ timeout: 120_000 });
  await expect(page.locator('.mark-info')).toContainText('R1', { timeout: 60_000 });
}

test(
  'symmetry that was missed is found, moved to and refined; both branches can be compared',
  { tag: '@long' },
  async ({ page }) => {
    await openModel(page, 'Hanada-3');
    await page.getByRole('link', { name: 'Symmetry' }).click();
    await expect(page.getByText(/Missed: the model has the symmetry of P n m a/)).toBeVisible({ timeout: 60_000 });
    await page.getByRole('button', { name: 'Move to P n m a and refine' }).click();
    await expect(page.locator('.mark-info b')).toContainText('refined in P n m a', { timeout: 120_000 });
    await idle(page);
    await expect(page.locator('.comparison')).toContainText('R1');
    await expect(page.locator('.comparison')).toContainText('in other axes');
    await expect(page.locator('.big-symbol')).toHaveText('P n m a');
    const r1 = Number(/R1 ([\d.]+) %/.exec(await page.locator('.mark-info').innerText())![1]);
    expect(r1).toBeLessThan(3);
    // The page of the space group: click the mirror to see who stands there.
    await page.getByRole('button', { name: 'Page of the space group' }).click();
    await page.getByRole('row', { name: /^4 m x, ¼, z/ }).click();
    await expect(page.locator('.selection-line b')).toContainText('Cl1');
    // Elements in the scene: shown, picked by their words, used to grow what is drawn.
    const elements = page.getByRole('region', { name: 'Elements in the scene' });
    await elements.getByLabel('mirror planes').check();
    await elements.getByText(/All 26 elements/).click();
    await elements.getByRole('button', { name: 'inversion centre at 0, 0, 0' }).click();
    await elements.getByRole('button', { name: 'Draw what it makes of the drawn atoms' }).click();
    await expect(elements.getByRole('button', { name: 'Unique part' })).toBeVisible();
    // It survives a reload: the branch, its axes, the merged data.
    await page.reload();
    await expect(page.locator('.big-symbol')).toHaveText('P n m a', { timeout: 60_000 });
    await expect(page.getByText('Nothing missed within 0.25 Å.')).toBeVisible({ timeout: 60_000 });
    expect(await marks(page).count()).toBe(3);
    // The opposite way: a subgroup with the twin law it implies, as another branch.
    const down = page.getByRole('region', { name: 'Too much symmetry?' });
    await down
      .getByRole('button', { name: /^Go down to P n 2₁ a/ })
      .first()
      .click({ timeout: 60_000 });
    await expect(page.locator('.mark-info b')).toContainText('refined in P n 2₁ a', { timeout: 120_000 });
    await expect(page.locator('.big-symbol')).toHaveText('P n 2₁ a');
  },
);

test('a setting is changed with R1 shown to stay, by button and by typed axes', { tag: '@long' }, async ({ page }) => {
  await openModel(page, 'Asagi-8');
  await page.getByRole('link', { name: /Refine/ }).click();
  await page.getByRole('button', { name: 'Refine', exact: true }).click();
  await expect(page.getByText('Settled after').first()).toBeVisible({ timeout: 120_000 });
  await page.getByRole('link', { name: 'Symmetry' }).click();
  await page.getByRole('button', { name: 'Re-set to C 2/c' }).click({ timeout: 60_000 });
  await expect(page.getByRole('status').filter({ hasText: 're-set in' })).toContainText('the same to rounding', {
    timeout: 120_000,
  });
  await expect(page.getByRole('status').filter({ hasText: 're-set in' })).toContainText(
    /refined again, the same to rounding/,
  );
  const axes = page.getByLabel('Other axes');
  await axes.fill('a, b');
  await expect(page.getByText('Three axes are needed')).toBeVisible();
  await axes.fill('b, a, c');
  await expect(page.getByText('left-handed')).toBeVisible();
  await axes.fill('a+b, 3b, c');
  await expect(page.getByText('fractional coefficients')).toBeVisible();
  await axes.fill('-c, b, a+c');
  await expect(page.getByText(/Determinant 1: the volume stays/)).toBeVisible();
  await axes.press('Enter');
  await expect(page.locator('.big-symbol')).toHaveText(/^[IA] 2\/[an]$/, { timeout: 120_000 });
  await idle(page);
  await page.getByRole('application').focus();
  const count = await marks(page).count();
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expect(page.locator('.big-symbol')).toHaveText('C 2/c');
  expect(await marks(page).count()).toBe(count);
});

test(
  'five planted faults are found and mended one by one; the rest is explained',
  { tag: '@long' },
  async ({ page }) => {
    await openModel(page, 'Suou-5');
    await page.getByRole('link', { name: /Vet/ }).click();
    const mend = page.getByRole('region', { name: 'Must be mended' });
    const line = (text: RegExp) => page.locator('.findings .line', { hasText: text }).first();
    await expect(line(/O9 looks lighter than O/)).toBeVisible({ timeout: 60_000 });
    for (const text of [
      /A hydrogen is missing on C3/,
      /C4: the displacement cannot be/,
      /H14⋯/,
      /the formula says C10 H14 N2 O4/,
    ])
      await expect(line(text)).toBeVisible();
    await expect(page.locator('.stations .count')).toBeVisible();
    await line(/O9 looks lighter than O/).click();
    await expect(page.locator('.selection-line b')).toHaveText('O9');
    await page.getByRole('button', { name: 'Make it N' }).click();
    await expect(line(/O9 looks lighter/)).toHaveCount(0, { timeout: 60_000 });
    await line(/A hydrogen is missing on C3/).click();
    await page.getByRole('button', { name: 'Place it' }).click();
    await expect(line(/A hydrogen is missing/)).toHaveCount(0, { timeout: 60_000 });
    await line(/C4: the displacement cannot be/).click();
    await page.getByRole('button', { name: 'Start again isotropic, restrained' }).click();
    await expect(line(/C4: the displacement cannot be/)).toHaveCount(0, { timeout: 60_000 });
    await line(/H14⋯/).click();
    await page.getByRole('button', { name: 'Place the hydrogens of O4 anew' }).first().click();
    await expect(line(/H14⋯/)).toHaveCount(0, { timeout: 60_000 });
    await line(/the formula says/).click();
    await page.getByRole('button', { name: "Take the model's formula" }).click();
    await expect(line(/the formula says/)).toHaveCount(0, { timeout: 60_000 });
    // What the changes left open is refined, and what remains is explained.
    await page.getByRole('link', { name: /Refine/ }).click();
    await page.getByRole('button', { name: 'Refine', exact: true }).click();
    await expect(page.getByText('Settled after').first()).toBeVisible({ timeout: 120_000 });
    await page.getByRole('link', { name: /Vet/ }).click();
    await expect(page.locator('.vet-verdict')).toContainText('Nothing must be mended', { timeout: 60_000 });
    await expect(mend).toHaveCount(0);
    await line(/⋯/).click();
    await page
      .getByLabel('Explanation for the CIF')
      .fill('The two water hydrogens meet across a centre and are disordered.');
    await page.keyboard.press('Control+Enter');
    await page.getByRole('link', { name: /Publish/ }).click();
    const download = page.waitForEvent('download');
    await page.getByRole('button', { name: 'Take the CIF home' }).click({ timeout: 60_000 });
    const text = readFileSync(await (await download).path(), 'utf8');
    expect(text).toContain('meet across a centre');
    expect(text).toContain("'C10 H15 N O4'");
  },
);

test('the record: form, tables, text with problems by line, report', { tag: '@long' }, async ({ page }) => {
  await openModel(page, 'Asagi-8');
  await page.getByRole('link', { name: /Publish/ }).click();
  const form = page.getByRole('region', { name: 'Form' });
  await form.locator('summary', { hasText: 'Measurement' }).click();
  await form.getByLabel(/^Source/).fill('microfocus tube');
  await page.keyboard.press('Enter');
  await form.getByLabel(/^Largest θ for the cell/).fill('200');
  await expect(form.getByText('above 90')).toBeVisible();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Tables', exact: true }).click();
  await page.getByRole('tab', { name: 'Bonds', exact: true }).click();
  await expect(page.locator('.tables-pane tbody tr').first()).toContainText(/\d\.\d{3,4}/);
  await page.getByRole('checkbox', { name: /^Row / }).first().uncheck();
  const csv = page.waitForEvent('download');
  await page.getByRole('button', { name: 'CSV' }).click();
  const rows = readFileSync(await (await csv).path(), 'utf8')
    .trim()
    .split('\r\n');
  expect(rows[0]).toBe('bond,"length, Å"');
  expect(rows.length).toBe(
    (await page.locator('.tables-pane tbody tr').count()) + (await page.locator('.tables-pane article > p').count()),
  );
  await page.getByRole('button', { name: 'CIF as text' }).click();
  const editor = page.getByRole('textbox', { name: 'CIF' });
  await expect(editor).toContainText('microfocus tube', { timeout: 60_000 });
  await editor.getByText('_cell_length_a').first().click();
  await page.keyboard.press('End');
  await page.keyboard.type(' wide');
  await expect(page.locator('.cif-problems')).toContainText('"wide" stands where a data name is expected', {
    timeout: 30_000,
  });
  await expect(page.getByText('Changed by hand')).toBeVisible();
  const report = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Take the report home' }).click();
  const html = readFileSync(await (await report).path(), 'utf8');
  expect(html).toContain('Bond lengths');
  expect(html).not.toContain('src="http');
  // The laboratory is remembered for the next sample.
  await openModel(page, 'Hanada-3');
  await page.getByRole('link', { name: /Publish/ }).click();
  await page.getByRole('button', { name: /Fill in 1 as usual here/ }).click();
  await page.getByRole('region', { name: 'Form' }).locator('summary', { hasText: 'Measurement' }).click();
  await expect(page.getByLabel(/^Source/)).toHaveValue('microfocus tube');
});

test(
  'data are scaled, a bad run left out, and layers of the reciprocal lattice looked at',
  { tag: '@long' },
  async ({ page }) => {
    await page.goto('/');
    await page.getByRole('button', { name: 'Enju-6' }).click();
    await page.getByRole('button', { name: 'Take it in' }).click();
    const sheet = page.getByRole('region', { name: 'Scale and absorption' });
    await expect(sheet).toContainText('6 batches', { timeout: 120_000 });
    await sheet.getByRole('button', { name: 'Correct the data' }).click();
    await expect(sheet).toContainText(/R_int \d+\.\d+ % before, [5-8]\.\d+ % after/, { timeout: 60_000 });
    await expect(sheet).toContainText('4 spoils the merge');
    await sheet.getByLabel('Batch 4').uncheck();
    await sheet.getByRole('button', { name: 'Correct again' }).click();
    await expect(sheet).toContainText(/5\.\d+ % after/, { timeout: 60_000 });
    await sheet.getByText('Directions and rings').click();
    await expect(sheet).toContainText('where ice diffracts', { timeout: 60_000 });
    // A file that does not belong gets a sentence and changes nothing.
    await sheet
      .getByTestId('more-data')
      .setInputFiles({ name: 'other.txt', mimeType: 'text/plain', buffer: Buffer.from('nothing of use\n') });
    await expect(page.getByRole('alert')).toContainText('other.txt was not recognised');
    await page.getByRole('alert').getByRole('button', { name: 'Close' }).click();
    // A second set of the same crystal is compared before it is taken in, as batches of its own.
    await sheet.getByTestId('more-data').setInputFiles(new URL('../demo/data/enju-6.cif', import.meta.url).pathname);
    await expect(sheet.getByText(/reflections in common/)).toBeVisible({ timeout: 60_000 });
    await sheet.getByRole('button', { name: 'Take it in, as batches of its own' }).click();
    await expect(sheet.locator('summary', { hasText: 'Batches' })).toBeVisible({ timeout: 60_000 });
    await expect(sheet.getByLabel('Batch 12')).toBeAttached({ timeout: 60_000 });
    await page.getByRole('button', { name: 'Reciprocal lattice' }).click();
    await page.getByRole('button', { name: 'h · l' }).click();
    await expect(page.getByTestId('layer')).toHaveText('h 0 l');
    await page.getByRole('application', { name: /Reciprocal lattice/ }).focus();
    await page.keyboard.press('PageUp');
    await expect(page.getByTestId('layer')).toHaveText('h 1 l');
    await sheet.getByRole('button', { name: 'Take it back' }).click();
    await expect(sheet).toContainText('not corrected yet', { timeout: 60_000 });
    await page.reload();
    await expect(page.getByRole('region', { name: 'Scale and absorption' })).toContainText('not corrected yet', {
      timeout: 60_000,
    });
  },
);

test('a plate is given its faces, and absorption is worked out from them', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('button', { name: 'Enju-6' }).click();
  await page.getByRole('button', { name: 'Take it in' }).click();
  const sheet = page.getByRole('region', { name: 'Scale and absorption' });
  await expect(sheet).toContainText('6 batches', { timeout: 120_000 });
  await expect(sheet.getByLabel('absorption by the faces')).toBeDisabled();
  const faces = page.getByRole('region', { name: 'Faces of the crystal' });
  await unfold(faces);
  await faces.getByText('Two faces by the thickness between them').click();
  for (const [h, k, l, thick] of [
    [6, 5, 8, 0.5],
    [4, 5, -7, 0.36],
    [-4, 9, 1, 0.04],
  ]) {
    for (const [name, index] of Object.entries({ h, k, l }))
      await faces.getByLabel(`Index ${name} of the face that is measured across`).fill(String(index));
    await faces.getByLabel('Thickness between the face and its opposite').fill(String(thick));
    await faces.getByRole('button', { name: /^Add \(.* and / }).click();
    // What does not close yet is said, and nothing is lost.
    if (h !== -4) await expect(faces.getByRole('alert')).toContainText('do not close');
  }
  await expect(faces).toContainText('6 faces around 0.0072');
  await faces.getByRole('button', { name: 'Keep these faces' }).click();
  await expect(faces).toContainText('6 faces are kept');
  await expect(sheet.getByLabel('absorption by direction')).not.toBeChecked();
  await sheet.locator('summary', { hasText: 'Batches' }).click();
  await sheet.getByLabel('Batch 4').uncheck();
  await sheet.getByRole('button', { name: 'Correct the data' }).click();
  await expect(sheet).toContainText(/R_int \d+\.\d+ % before, [34]\.\d+ % after/, { timeout: 60_000 });
  await expect(sheet).toContainText(/Transmission by the faces from 0\.\d+ to 0\.\d+/);
  await page.reload();
  await expect(page.getByRole('region', { name: 'Faces of the crystal' })).toContainText('6 faces are kept');
  await expect(sheet).toContainText('Transmission by the faces');
});

test('without a model, Symmetry and Vet say what is missing', async ({ page }) => {
  await openDemo(page, 'Mizuasagi');
  await page.getByRole('link', { name: /Vet/ }).click();
  await expect(page.getByText('Nothing to vet yet')).toBeVisible();
  await page.getByRole('link', { name: 'Symmetry' }).click();
  await expect(page.getByText('No model yet').first()).toBeVisible();
});
