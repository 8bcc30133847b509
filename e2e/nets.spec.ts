import { expect, test, type Page } from '@playwright/test';
import { find, marks, openSolved, watchForErrors } from './support.ts';

const errors = watchForErrors();

/** A part of the page that fails when it is drawn, in place of the real one. */
const breaks = (page: Page, chunk: string) =>
  page.route(`**/assets/${chunk}-*.js`, (route) =>
    route.fulfill({
      contentType: 'text/javascript',
      body: `export default function Broken() { throw new Error('the plots tripped') }`,
    }),
  );

test('a pane that fails leaves the rest, and the project, as they were', async ({ page }) => {
  await breaks(page, 'DataPane');
  await openSolved(page, 'Benigara-2');
  const before = await marks(page).count();
  await find(page, 'Show the data plots');
  const told = page.getByRole('alert').filter({ hasText: 'could not be drawn' });
  await expect(told).toContainText('The pane “data” could not be drawn');
  await expect(told).toContainText('the plots tripped');
  // Desk, course and commands go on.
  await page.locator('.sites .row-line').nth(5).locator('.mono').first().click();
  await page.getByRole('grid', { name: 'Sites' }).focus();
  await page.keyboard.press('Delete');
  await expect(marks(page)).toHaveCount(before + 1);
  await told.getByRole('button', { name: 'Undo the last step' }).click();
  await expect(page.getByText('38 in the asymmetric unit')).toBeVisible();
  await expect(told).toBeVisible();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    told.getByRole('button', { name: 'Export this project' }).click(),
  ]);
  expect(download.suggestedFilename()).toBe('Benigara-2.nagare');
  await find(page, 'Show the crystal');
  await expect(page.getByTestId('scene-canvas')).toBeVisible();
  await expect(told).toHaveCount(0);
  errors.expected(page, /the plots tripped/);
});
