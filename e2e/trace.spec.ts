import { readFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { watchForErrors } from './support.ts';

watchForErrors();

test('a picture by tracing rays: a preview at once, stopped, traced, saved', async ({ page }) => {
  await page.goto('/');
  const buffer = readFileSync(new URL('../demo/data/kurumi-5.cif', import.meta.url));
  await page.getByTestId('file-picker').setInputFiles([{ name: 'kurumi-5.cif', mimeType: 'chemical/x-cif', buffer }]);
  await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
  await expect(page.getByTestId('scene-counts')).toBeVisible();
  await page.getByRole('button', { name: 'Rays…' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('status')).toHaveText('A preview.', { timeout: 60_000 });
  /** Pixels of the picture that are neither the ground nor clear. */
  const painted = (): Promise<number> =>
    dialog.getByRole('img', { name: 'Traced picture' }).evaluate((e) => {
      const canvas = e as HTMLCanvasElement;
      const { data } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height);
      let n = 0;
      for (let i = 0; i < data.length; i += 4) if (data[i + 3]! > 0 && data[i]! < 200) n++;
      return n;
    });
  const small = await painted();
  expect(small).toBeGreaterThan(1000);
  await expect(dialog.getByRole('button', { name: 'Save PNG' })).toBeDisabled();
  await dialog.getByLabel('Pixels across').selectOption('4000');
  await dialog.getByRole('button', { name: 'Trace it' }).click();
  await dialog.getByRole('button', { name: 'Stop' }).click();
  await expect(dialog.getByRole('progressbar')).toHaveCount(0);
  await expect(dialog.getByRole('button', { name: 'Save PNG' })).toBeDisabled();
  await dialog.getByLabel('Pixels across').selectOption('1200');
  await dialog.getByRole('button', { name: 'Trace it' }).click();
  await expect(dialog.getByRole('status')).toContainText('pixels, ready', { timeout: 120_000 });
  // What stands there keeps its size, whatever is chosen for the next one.
  await dialog.getByLabel('Pixels across').selectOption('3000');
  await expect(dialog.getByRole('status')).toContainText('1200 × ');
  // The same picture on more pixels.
  const large = await painted();
  expect(large / small).toBeGreaterThan((0.7 * 1200 ** 2) / 640 ** 2);
  const download = page.waitForEvent('download');
  await dialog.getByRole('button', { name: 'Save PNG' }).click();
  expect((await download).suggestedFilename()).toBe('kurumi-5-rays.png');
});
