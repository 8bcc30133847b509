import { expect, test } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { stop, unfold, watchForErrors } from './support.ts';

watchForErrors();

test(
  'a hydrate gets atoms as its wavefunction shapes them: forecast, stopped after a round, kept over a reload, factors out and in',
  { tag: '@long' },
  async ({ page }) => {
    await page.goto('/');
    // Threads of the page share memory only so.
    expect(await page.evaluate(() => crossOriginIsolated)).toBe(true);
    await page
      .getByTestId('file-picker')
      .setInputFiles(fileURLToPath(new URL('../demo/data/shiratsuyu-1.cif', import.meta.url)));
    await page.getByRole('button', { name: 'Take it in' }).click();
    await page.getByRole('link', { name: /Refine/ }).click();
    const sheet = page.getByRole('region', { name: 'Aspherical atoms' });
    await sheet.getByRole('button', { name: 'Aspherical atoms' }).click();
    await expect(sheet).toContainText(/a round .* MB of memory/);
    await expect(sheet.getByRole('row', { name: /N1 … H5/ })).toContainText('100');
    // What cannot be is never begun: an odd number of electrons takes an even multiplicity by itself.
    const charge = sheet.getByLabel('Charge of the molecule of O3');
    const spin = sheet.getByLabel('Spin multiplicity of the molecule of O3');
    await charge.fill('1');
    await expect(spin).toHaveValue('2');
    await charge.fill('0');
    await expect(spin).toHaveValue('1');

    await sheet.getByRole('button', { name: 'Refine with aspherical atoms' }).click();
    await expect(sheet.getByRole('row', { name: /^1 / })).toBeVisible({ timeout: 180_000 });
    await stop(page);
    await expect(sheet.getByRole('button', { name: 'Go on' })).toBeVisible();
    const gain = sheet.getByRole('table', { name: 'Figures with spherical and aspherical atoms' });
    const r1 = gain.getByRole('row', { name: /^R1/ });
    const [before, after] = (await r1.getByRole('cell').allInnerTexts()).slice(1).map(parseFloat);
    expect(after!).toBeLessThan(0.75 * before!);
    const bond = sheet.getByRole('row', { name: /^C2–H3/ });
    const [, spherical, now] = (await bond.getByRole('cell').allInnerTexts()).map(parseFloat);
    expect(now! - spherical!).toBeGreaterThan(0.07);

    // The bonds' density that spherical atoms leave, and what is left of it, at the same levels.
    await sheet.getByRole('button', { name: 'Sections before and after' }).click();
    await expect(page.getByRole('img', { name: /the section, Spherical atoms/ })).toBeVisible({ timeout: 60_000 });
    await expect(page.getByRole('img', { name: /the section, Aspherical atoms/ })).toBeVisible();
    await page.getByLabel('Beside it').selectOption({ label: 'alone' });
    await expect(page.getByRole('img', { name: 'Contour lines of the section' })).toHaveCount(1);
    await page.getByRole('button', { name: 'Close' }).click();

    await page.reload();
    await expect(bond).toContainText(now!.toFixed(3), { timeout: 30_000 });
    // What the molecule does to its neighbours, on its surface.
    await page.getByRole('link', { name: /Relate/ }).click();
    const surface = page.getByRole('region', { name: 'The molecule’s surface' });
    await unfold(surface);
    await surface.getByRole('button', { name: 'By its share of the density' }).click();
    await surface
      .getByLabel('What the surface is painted by')
      .selectOption({ label: 'electrostatic potential of the molecule' });
    await expect(surface).toContainText(/from −\d+ to \d+ on this surface/, { timeout: 60_000 });
    await page.getByRole('link', { name: /Refine/ }).click();

    const [file] = await Promise.all([
      page.waitForEvent('download'),
      sheet.getByRole('button', { name: 'Save form factors' }).click(),
    ]);
    const path = await file.path();
    expect(readFileSync(path, 'utf8')).toMatch(/^# nagare form factors 1/);

    await sheet.getByRole('button', { name: 'Spherical atoms again' }).click();
    await expect(gain).toBeHidden();
    await sheet.getByLabel('File of form factors').setInputFiles(path);
    await expect(r1).toContainText(`${after!.toFixed(2)}`);
  },
);
