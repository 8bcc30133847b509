import { expect, test, type Page } from '@playwright/test';
import { countHands, find, marks, openSolved, stop, unfold, watchForErrors } from './support.ts';

watchForErrors();

const r1 = async (page: Page): Promise<number> =>
  Number((await page.locator('.gauge', { hasText: 'R1' }).first().locator('.value').textContent())!.replace(' %', ''));
const idle = (page: Page) =>
  expect(page.getByRole('status').filter({ hasText: 'Stop' })).toHaveCount(0, { timeout: 240_000 });

test(
  'a hydrate settles with its hydrogens planned, shown with evidence, placed, changed and turned',
  { tag: '@long' },
  async ({ page }) => {
    const hands = await countHands(page);
    await openSolved(page, 'Mizuasagi');
    await page.getByRole('button', { name: 'Refine', exact: true }).click();
    await expect(page.getByText(/Settled/).first()).toBeVisible({ timeout: 120_000 });
    const before = await r1(page);
    const sheet = page.getByRole('region', { name: 'Hydrogens' });
    await sheet.getByRole('button', { name: 'Make a plan' }).click();
    await expect(sheet.getByText(/16 proposed, the formula asks for 16/)).toBeVisible({ timeout: 120_000 });
    const water = sheet.getByRole('row').filter({ hasText: '2 × water' }).first();
    await water.getByText('2 × water').click();
    await expect(sheet.getByText(/bonds to/)).toBeVisible();
    await expect(sheet.getByLabel('Shape')).toHaveValue('water');
    await sheet.getByRole('button', { name: 'Place 16 hydrogens' }).click();
    await expect(sheet.getByText(/^16 on 12 atoms/)).toBeVisible({ timeout: 60_000 });
    const unrefined = await marks(page).count();
    await page.getByRole('button', { name: 'Refine', exact: true }).click();
    await expect(marks(page)).toHaveCount(unrefined + 1, { timeout: 240_000 });
    await idle(page);
    expect(await r1(page)).toBeLessThan(before - 3);

    // How a group is held changes without moving it, as a mark that can be undone.
    const count = await marks(page).count();
    await sheet.getByText('How each is held').click();
    const held = sheet.getByLabel(/^Hydrogens of O\d+ held$/).first();
    await held.selectOption('free');
    await expect(marks(page)).toHaveCount(count + 1);
    await page.keyboard.press('Control+z');
    await expect(held).not.toHaveValue('free');

    // The settle run goes on from here and leaves marks, the last of them converged; a reload keeps them.
    await page.getByRole('button', { name: 'Settle', exact: true }).click();
    await expect(page.getByText('Weights and convergence').first()).toBeVisible({ timeout: 240_000 });
    await idle(page);
    await expect(page.locator('.mark-info b')).toHaveText('Weights and convergence', { timeout: 60_000 });
    await expect.poll(() => r1(page)).toBeLessThan(2);
    // Two thirds of what a first user needed for it.
    expect((await hands()).clicks).toBeLessThanOrEqual(42);
    expect((await hands()).keys).toBeLessThanOrEqual(60);
    const settled = await marks(page).count();
    await page.reload();
    await expect(marks(page)).toHaveCount(settled, { timeout: 60_000 });
    expect(await r1(page)).toBeLessThan(2);
  },
);

/** Opens the finder, types and takes the first thing, as hands do. */
async function ask(page: Page, words: string): Promise<void> {
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('textbox', { name: 'Find' })).toBeFocused();
  await page.keyboard.type(words);
  await page.keyboard.press('Enter');
}

test('a hydrate is finished by the keyboard alone', { tag: '@long' }, async ({ page }) => {
  const hands = await countHands(page);
  await openSolved(page, 'Mizuasagi');
  const before = await hands();
  await ask(page, 'least sq');
  await expect(page.getByRole('button', { name: 'Refine', exact: true })).toBeFocused();
  const count = await marks(page).count();
  await page.keyboard.press('Enter');
  await expect(marks(page)).toHaveCount(count + 1, { timeout: 120_000 });
  await idle(page);
  await ask(page, 'hydrogens:');
  await expect(page.getByRole('button', { name: 'Make a plan' })).toBeFocused();
  await page.keyboard.press('Enter');
  // The next step has the focus as soon as there is one.
  await expect(page.getByRole('button', { name: 'Place 16 hydrogens' })).toBeFocused({ timeout: 120_000 });
  await page.keyboard.press('Enter');
  await expect(page.getByText(/^16 on 12 atoms/)).toBeVisible({ timeout: 60_000 });
  await ask(page, 'settle');
  await expect(page.getByRole('button', { name: 'Settle', exact: true })).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(page.locator('.mark-info b')).toHaveText('Weights and convergence', { timeout: 300_000 });
  await idle(page);
  await expect.poll(() => r1(page)).toBeLessThan(2);
  const after = await hands();
  expect(after.clicks - before.clicks).toBe(0);
  expect(after.keys - before.keys).toBeLessThanOrEqual(60);
});

test(
  'a molecule in two places is modelled without typing, and both places can be seen, compared and undone',
  { tag: '@long' },
  async ({ page }) => {
    const hands = await countHands(page);
    await openSolved(page, 'Kasumi');
    // The isotropic stage, whose density shows the second place undisturbed.
    await page.getByRole('button', { name: 'Settle', exact: true }).click();
    await expect(page.getByRole('region', { name: 'Settle' }).locator('.stages li')).toHaveCount(1, {
      timeout: 120_000,
    });
    await stop(page);
    await idle(page);
    await marks(page).nth(1).focus();
    await page.keyboard.press('Enter');
    expect(await r1(page)).toBeGreaterThan(25);
    await find(page, 'all');
    const sheet = page.getByRole('region', { name: 'Disorder' });
    await sheet.getByRole('button', { name: /Second place for 13 atoms/ }).click();
    await expect(sheet.getByRole('row')).not.toHaveCount(0, { timeout: 120_000 });
    await expect(sheet.getByText(/on density, score/)).toBeVisible({ timeout: 120_000 });
    // Escape in the scene leaves the model as it was.
    const count = await marks(page).count();
    await page.getByRole('application').focus();
    await page.keyboard.press('Escape');
    await expect(sheet.getByRole('button', { name: /Second place for 13 atoms/ })).toBeVisible();
    expect(await marks(page).count()).toBe(count);
    await sheet.getByRole('button', { name: /Second place for 13 atoms/ }).click();
    await sheet.getByRole('button', { name: 'Use this place' }).click({ timeout: 120_000 });
    await expect(sheet.getByText('Assembly A')).toBeVisible({ timeout: 60_000 });
    await expect(
      page
        .getByRole('region', { name: 'Restraints and constraints' })
        .getByText('share one refined number and sum to one'),
    ).toBeVisible();
    await page.getByRole('button', { name: 'Settle', exact: true }).click();
    await expect(page.getByText('Weights and convergence').first()).toBeVisible({ timeout: 300_000 });
    await idle(page);
    await expect(page.locator('.mark-info b')).toHaveText('Weights and convergence', { timeout: 60_000 });
    await expect.poll(() => r1(page)).toBeLessThan(2);
    // Two thirds of what a first user needed for it.
    expect((await hands()).clicks).toBeLessThanOrEqual(50);
    expect((await hands()).keys).toBeLessThanOrEqual(97);
    const occupancy = await sheet.getByRole('row').filter({ hasText: 'group 1' }).locator('td.n').first().textContent();
    expect(Math.abs(Number.parseFloat(occupancy!) - 0.6)).toBeLessThan(0.01);
    await sheet.getByRole('row').filter({ hasText: 'group 2' }).getByRole('button', { name: 'shown' }).click();
    await expect(
      sheet.getByRole('row').filter({ hasText: 'group 2' }).getByRole('button', { name: 'hidden' }),
    ).toHaveAttribute('aria-pressed', 'false');
    await page.getByRole('button', { name: 'Compare', exact: true }).click();
    await expect(page.getByText(/r\.m\.s\. \d\.\d+ Å/)).toBeVisible();
    await page.getByRole('button', { name: 'End the comparison' }).click();

    // A reflection is left out on the plot with a reason, and put back.
    await page.getByRole('button', { name: 'Plots' }).click();
    await page.locator('figure', { hasText: 'Farthest off' }).getByRole('row').nth(1).click();
    await page.getByLabel('reason').fill('beam stop');
    await page.getByRole('button', { name: 'Leave it out' }).click();
    const data = page.getByRole('region', { name: 'Data', exact: true });
    await expect(data.getByText('1 left out')).toBeVisible({ timeout: 60_000 });
    await data.getByText('1 reflections left out').click();
    await data.getByRole('button', { name: 'put back' }).click();
    await expect(data.getByText('1 left out')).toHaveCount(0);
  },
);

test(
  'restraints from a selection, names along the chain, the expected molecule and a section',
  { tag: '@long' },
  async ({ page }) => {
    await openSolved(page, 'Aobae');
    await find(page, 'ring of C3');
    const restraints = page.getByRole('region', { name: 'Restraints and constraints' });
    await restraints.getByRole('button', { name: 'in one plane' }).click();
    await expect(restraints.getByText(/in one plane$/).first()).toBeVisible({ timeout: 60_000 });
    await expect(restraints.getByText(/1 restraints \(\d equations\)/)).toBeVisible();
    await restraints.getByRole('button', { name: 'on', exact: true }).click();
    await expect(restraints.getByRole('button', { name: 'off', exact: true })).toBeVisible({ timeout: 60_000 });
    await find(page, 'all oxygen');
    await expect(page.locator('.sites .picked').first()).toBeVisible();

    const expected = page.getByRole('region', { name: 'Expected molecule' });
    await unfold(expected);
    await expected.getByLabel('Expected molecule in line notation').fill('COc1cc(cc(Cl)c1O)C(=O)NCCNC(=O)c1ccc(O)nc1');
    await page.keyboard.press('Enter');
    await expect(expected.getByText(/25 of 25 atoms found/)).toBeVisible({ timeout: 60_000 });
    await expected
      .getByRole('img', { name: /Expected molecule/ })
      .locator('g[role=button]')
      .first()
      .click();
    await expect(page.getByTestId('measurement')).toHaveText('one site');
    await unfold(expected);
    await expected.getByLabel('Expected molecule in line notation').fill('this is no molecule');
    await page.keyboard.press('Enter');
    await expect(page.getByRole('alert')).toContainText('could not be read');
    await page.getByRole('button', { name: 'Close' }).click();

    await unfold(page.getByRole('region', { name: 'Complete and name' }));
    await page.getByRole('button', { name: 'along the chains' }).click();
    await expect(page.getByLabel('Course').getByText('named along the chains')).toBeVisible({ timeout: 60_000 });
    await page.getByRole('button', { name: 'Section', exact: true }).click();
    await expect(page.getByText('through the mean plane')).toBeVisible();
    await page.getByRole('button', { name: 'Close' }).click();
    await page.getByRole('button', { name: 'Until nothing is missing' }).click();
    await expect(page.getByText(/atoms drawn|Nothing more is reached|26 in the asymmetric unit/).first()).toBeVisible();
  },
);

test('the sites are worked through by keyboard alone', async ({ page }) => {
  await openSolved(page, 'Mizuasagi');
  const grid = page.getByRole('grid', { name: 'Sites' });
  const rows = grid.getByRole('row');
  const count = async (): Promise<number> => Number(await grid.getAttribute('aria-rowcount'));
  const all = await count();
  await grid.focus();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await expect(rows.nth(1)).toHaveAttribute('aria-selected', 'true');
  await page.keyboard.press('Shift+ArrowDown');
  await expect(page.getByTestId('measurement')).toHaveText(/^distance \d+\.\d+/);
  // Two sites set at once; the mark can be taken back.
  const first = await marks(page).count();
  const occupancy = grid.getByLabel(/^Occupancy of /).nth(1);
  await occupancy.focus();
  await occupancy.fill('0.5');
  await page.keyboard.press('Enter');
  await expect(marks(page)).toHaveCount(first + 1, { timeout: 60_000 });
  await expect(grid.getByLabel(/^Occupancy of /).nth(1)).toHaveValue('0.5');
  await expect(grid.getByLabel(/^Occupancy of /).nth(2)).toHaveValue('0.5');
  await occupancy.fill('7');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('alert')).toContainText('above 0 and not above 1');
  await page.keyboard.press('Escape');
  await grid.focus();
  await page.keyboard.press('Control+z');
  await expect(grid.getByLabel(/^Occupancy of /).nth(1)).toHaveValue('1');
  await grid.focus();
  await page.keyboard.press('Delete');
  await expect.poll(count).toBe(all - 2);
  await page.keyboard.press('Control+z');
  await expect.poll(count).toBe(all);
  // Filter by words, sort by displacement, several made isotropic.
  await page.getByLabel('Filter sites by label or words').fill('all oxygen');
  await expect.poll(count).toBeLessThan(all);
  expect(await count()).toBeGreaterThan(0);
  await page.getByLabel('Filter sites by label or words').fill('');
  await page.getByRole('button', { name: 'Sort by U, Å²' }).press('Enter');
  await expect(page.getByRole('button', { name: 'Sort by U, Å²' })).toContainText('↑');
  // The course by keyboard: look at a mark, then continue from it.
  await marks(page).nth(1).focus();
  await page.keyboard.press('Space');
  await expect(page.getByRole('button', { name: 'Continue from here' })).toBeVisible();
  await page.getByRole('button', { name: 'Continue from here' }).press('Enter');
  await expect(marks(page).nth(1)).toHaveAttribute('aria-selected', 'true');
});

test('a twin is found by its law, and a run that is stopped loses nothing', { tag: '@long' }, async ({ page }) => {
  await openSolved(page, 'Futago-1');
  const data = page.getByRole('region', { name: 'Data', exact: true });
  await unfold(data);
  await data.getByText('Twin laws').click();
  await data.getByRole('button', { name: 'Test those the metric allows' }).click();
  const row = data.getByRole('row').filter({ hasText: 'two-fold' });
  await expect(row).toContainText('fits better', { timeout: 120_000 });
  await row.getByRole('button', { name: /use/ }).click();
  await expect(data.getByText(/Component 2/)).toBeVisible({ timeout: 60_000 });

  // Lists and laws that cannot be read get a sentence and change nothing.
  const before = await marks(page).count();
  await data.getByTestId('overlap-file').setInputFiles({
    name: 'overlaps.txt',
    mimeType: 'text/plain',
    buffer: Buffer.from('# h k l both\n1 0 0 0 1 0\n2 0 zero 0 2 0\n'),
  });
  await expect(page.getByRole('alert')).toContainText('overlaps.txt: Line 3');
  await page.getByRole('alert').getByRole('button', { name: 'Close' }).click();
  await data.getByLabel('Twin law, nine numbers by rows').fill('0 1 0');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('alert')).toContainText('nine numbers');
  await page.getByRole('alert').getByRole('button', { name: 'Close' }).click();
  await data.getByText('Solvent that cannot be modelled').click();
  await data.getByLabel('probe').fill('2.8');
  await data.getByRole('button', { name: 'Find voids and correct' }).click();
  await expect(page.getByRole('alert')).toContainText('no void', { timeout: 60_000 });
  expect(await marks(page).count()).toBe(before);
  const count = await marks(page).count();
  await page.getByRole('button', { name: 'Settle', exact: true }).click();
  await expect.poll(() => marks(page).count(), { timeout: 120_000 }).toBeGreaterThan(count);
  await page.getByRole('region', { name: 'Settle' }).getByRole('button', { name: 'Stop' }).click();
  await idle(page);
  // The mark of the last stage may still be on its way to the course.
  let kept = -1;
  await expect
    .poll(
      async () => {
        const last = kept;
        kept = await marks(page).count();
        return kept === last;
      },
      { intervals: [700] },
    )
    .toBe(true);
  expect(kept).toBeGreaterThan(count);
  await page.reload();
  await expect(marks(page)).toHaveCount(kept, { timeout: 60_000 });
});
