/** What every browser test shares: no error may reach the page, and the ways into a project. */
import { expect, test, type Locator, type Page } from '@playwright/test';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { shippedShelf } from '@nagare/core/shelf/entry';

const problems = new WeakMap<Page, string[]>();

/** Fails a test when the page threw or logged an error, but for those it says it expects. Call once a file. */
export function watchForErrors(): { expected(page: Page, error: RegExp): void } {
  test.beforeEach(({ page }) => {
    const list: string[] = [];
    problems.set(page, list);
    page.on('pageerror', (e) => list.push(e.message));
    page.on('console', (m) => {
      if (m.type() === 'error' && !/status of 4\d\d/.test(m.text())) list.push(m.text());
    });
  });
  test.afterEach(({ page }) => expect(problems.get(page)).toEqual([]));
  return {
    expected: (page, error) => problems.set(page, problems.get(page)?.filter((text) => !error.test(text)) ?? []),
  };
}

export const marks = (page: Page) => page.getByRole('listbox', { name: 'Marks' }).getByRole('option');

/** Unfolds the samples of Home where there are projects already. */
export async function openSamples(page: Page): Promise<void> {
  await expect(page.getByText('Samples from the Kurobane Kiln')).toBeVisible();
  if (!(await page.locator('details.samples[open]').count()))
    await page.getByText('Samples from the Kurobane Kiln').click();
}

export async function openDemo(page: Page, name: string): Promise<void> {
  await page.goto('/');
  await openSamples(page);
  await page.getByRole('button', { name }).click();
  await expect(page.getByRole('dialog')).toContainText('reflections (unmerged intensities)');
  await page.getByRole('button', { name: 'Take it in' }).click();
  await expect(page.getByRole('button', { name: 'Go on to Solve' })).toBeVisible({ timeout: 120_000 });
}

export async function solve(page: Page): Promise<void> {
  await page.getByRole('button', { name: 'Go on to Solve' }).click();
  await page.getByRole('button', { name: 'Solve', exact: true }).click();
  await page.getByRole('button', { name: 'Take it to Refine' }).click({ timeout: 300_000 });
  await expect(page.getByRole('grid', { name: 'Sites' })).toBeVisible({ timeout: 120_000 });
}

/** Stops what runs, at once: a click would wait for the bar to keep still, and the run might end meanwhile. */
export const stop = (page: Page): Promise<void> =>
  page.getByRole('button', { name: 'Stop' }).first().dispatchEvent('click');

/** Opens a sheet of the desk that is folded. */
export async function unfold(sheet: Locator): Promise<void> {
  const fold = sheet.locator('.fold');
  if ((await fold.getAttribute('aria-expanded')) === 'false') await fold.click();
}

/** Counts clicks and keys from here on, over reloads too. Call before the page is opened. */
export async function countHands(page: Page): Promise<() => Promise<{ clicks: number; keys: number }>> {
  await page.addInitScript(() => {
    const more = (what: string): void =>
      sessionStorage.setItem(what, String(Number(sessionStorage.getItem(what) ?? 0) + 1));
    addEventListener('pointerdown', () => more('clicks'), true);
    addEventListener('keydown', () => more('keys'), true);
  });
  return () =>
    page.evaluate(() => ({
      clicks: Number(sessionStorage.getItem('clicks') ?? 0),
      keys: Number(sessionStorage.getItem('keys') ?? 0),
    }));
}

/** Takes the first thing that the finder finds. */
export async function find(page: Page, words: string): Promise<void> {
  await page.keyboard.press('Control+k');
  await page.getByRole('textbox', { name: 'Find' }).fill(words);
  await page.keyboard.press('Enter');
}

export async function exportProject(page: Page, name: string, path: string): Promise<void> {
  await page.getByRole('button', { name }).click();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Export this project' }).click(),
  ]);
  await download.saveAs(path);
}

/** A demo set at Refine, solved (see make-projects.ts), at its latest mark. */
export async function openSolved(page: Page, name: string): Promise<void> {
  await page.goto('/');
  await page.getByTestId('file-picker').setInputFiles(new URL(`projects/${name}.nagare`, import.meta.url).pathname);
  await expect(marks(page)).not.toHaveCount(0);
  await page.getByRole('link', { name: /Refine/ }).click();
  await expect(page.getByRole('grid', { name: 'Sites' })).toBeVisible();
}

/** A reference structure as a file. */
export function referenceFile(id: string): { name: string; mimeType: string; buffer: Buffer } {
  const { structure, name } = shippedShelf().find((x) => x.id === id)!;
  const experiment = { kept: { _chemical_name_common: name } };
  const cif = structureCif({ name: id, structure, experiment, date: '2026-11-26' });
  return { name: `${id}.cif`, mimeType: 'chemical/x-cif', buffer: Buffer.from(cif) };
}
