/** What every browser test shares: no error may reach the page, and the way from a demo set to Refine. */
import { expect, test, type Page } from '@playwright/test';

const problems = new WeakMap<Page, string[]>();

/** Fails a test when the page threw or logged an error. Call once a file. */
export function watchForErrors(): void {
  test.beforeEach(({ page }) => {
    const list: string[] = [];
    problems.set(page, list);
    page.on('pageerror', (e) => list.push(e.message));
    page.on('console', (m) => {
      if (m.type() === 'error' && !/status of 4\d\d/.test(m.text())) list.push(m.text());
    });
  });
  test.afterEach(({ page }) => expect(problems.get(page)).toEqual([]));
}

export const marks = (page: Page) => page.getByRole('listbox', { name: 'Marks' }).getByRole('option');

export async function openDemo(page: Page, name: string): Promise<void> {
  await page.goto('/');
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
