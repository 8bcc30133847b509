/** Nothing stands outside the window, over something else or cut off; and everything can be read aloud and reached, in both themes. */
import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import { disorderOfPage, manyMarks } from './calm.ts';
import { FINDER_PLACES } from '../web/src/frame/finder-index.ts';
import { marks, openSamples, openSolved, watchForErrors } from './support.ts';

watchForErrors();

const STATIONS = ['Intake', 'Solve', 'Refine', 'Relate', 'Build', 'Symmetry', 'Vet', 'Depict', 'Publish'];
const SIZES = [
  { width: 1024, height: 700 },
  { width: 1280, height: 800 },
  { width: 1920, height: 1080 },
];

const THEMES = ['light', 'dark'];

/** Sheets that are there only for structures that need them, or only with something selected. */
const CONDITIONAL: ReadonlySet<string> = new Set(['Coordination', 'Order what is shared']);

const nameOfControl = (e: Element): string =>
  e.getAttribute('aria-label') ?? (e as HTMLInputElement).labels?.[0]?.textContent ?? e.textContent ?? '';
const beginning = (text: string): RegExp => new RegExp(`^\\s*${text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}`);

/** Goes to a station of the project that is open, by its address where the line does not offer it, and waits until it rests. */
async function visit(page: Page, station: string): Promise<void> {
  const link = page.getByRole('navigation', { name: 'Stations' }).getByRole('link', { name: station });
  if (await link.count()) await link.click();
  else await page.goto(page.url().replace(/\/[a-z]+$/, `/${station.toLowerCase()}`));
  await expect(page).toHaveURL(new RegExp(`/${station.toLowerCase()}$`));
  await expect(page.locator('.desk .sheet').first()).toBeVisible();
  await expect(page.getByText('Opening…')).toHaveCount(0);
  await page.waitForLoadState('networkidle');
}

/** Waits until what changed has been laid out and painted, and no colour is on its way any more. */
const nextPicture = (page: Page): Promise<void> =>
  page.evaluate(async () => {
    await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
    const ending = document.getAnimations().filter((a) => a.effect?.getComputedTiming().endTime !== Infinity);
    // One that is held up, its element out of sight, would never end.
    const enough = new Promise((done) => setTimeout(done, 1000));
    await Promise.race([enough, Promise.allSettled(ending.map((a) => a.finished))]);
  });

/** Opens every sheet and detail of the desk. */
const unfoldAll = (page: Page): Promise<void> =>
  page.evaluate(() => {
    document.querySelectorAll<HTMLElement>('.desk .fold[aria-expanded="false"]').forEach((x) => x.click());
    document.querySelectorAll<HTMLDetailsElement>('.desk details').forEach((x) => (x.open = true));
  });

/** What is wrong at any height of the desk. */
async function disorder(page: Page): Promise<string[]> {
  const found = new Set<string>();
  const desk = page.locator('.desk');
  const { high, step } = await desk.evaluate((d) => ({ high: d.scrollHeight, step: d.clientHeight }));
  for (let top = 0; top < high; top += step) {
    await desk.evaluate((d, y) => d.scrollTo(0, y), top);
    for (const x of await page.evaluate(disorderOfPage)) found.add(x);
  }
  return [...found];
}

/** What a reader of screens, or eyes that need contrast, would stumble over. */
const axeFor = (page: Page, theme: string): AxeBuilder =>
  theme === 'dark' ? new AxeBuilder({ page }).withRules(['color-contrast']) : new AxeBuilder({ page });

/** What axe finds; of the dark theme only what a theme can change. */
const violations = async (page: Page, theme: string): Promise<string[]> =>
  (await axeFor(page, theme).analyze()).violations.flatMap((v) =>
    v.nodes.map((n) => `${v.id}: ${n.target.join(' ')} ${n.html.slice(0, 120)}`),
  );

async function readInBoth(page: Page, where: string): Promise<void> {
  for (const theme of THEMES) {
    await page.evaluate((t) => (document.documentElement.dataset['bsTheme'] = t), theme);
    await nextPicture(page);
    expect(await violations(page, theme), `${where}, ${theme}`).toEqual([]);
  }
}

test('what is in disorder is seen', async ({ page }) => {
  await page.setContent(`
    <div style="position:absolute; left:10px; top:10px">a line of text</div>
    <button style="position:absolute; left:30px; top:12px">a button over it</button>
    <div style="width:60px; overflow:hidden"><div style="width:400px; margin-top:60px"><button>kept in</button></div></div>
    <button style="position:absolute; left:2000px; top:200px">far away</button>
    <input placeholder="longer than the field can show" style="width:40px; margin-top:200px" />`);
  const found = (await page.evaluate(disorderOfPage)).join('\n');
  expect(found).toContain('over one another: div “a line of text” and button “a button over it”');
  expect(found).toContain('outside the window: button “far away”');
  expect(found).toContain('cut off: the placeholder “longer than the field can show”');
  expect(found).toContain('px wide in a window of 1280');
  expect(found).not.toContain('kept in');
});

/** What is wrong at any height of the desk in windows of these sizes. */
async function disorderAt(page: Page, sizes: typeof SIZES): Promise<string[]> {
  const found: string[] = [];
  for (const size of sizes) {
    await page.setViewportSize(size);
    await nextPicture(page);
    found.push(...(await disorder(page)).map((x) => `${size.width} × ${size.height}: ${x}`));
  }
  return found;
}

test(
  'with forty marks nothing is outside, over or cut off in a window of any size',
  { tag: '@long' },
  async ({ page }) => {
    await openSolved(page, 'Benigara-2');
    await page.evaluate(manyMarks, 40);
    await page.reload();
    await expect(marks(page)).toHaveCount(40);
    // The card of a site is part of what has to have room.
    await page.getByRole('grid', { name: 'Sites' }).getByRole('row').nth(2).click();
    for (const station of STATIONS) {
      await visit(page, station);
      // What is folded is looked at where it has the least room; all of it is there again when it is unfolded.
      expect(await disorderAt(page, SIZES.slice(0, 1)), station).toEqual([]);
      await unfoldAll(page);
      expect(await disorderAt(page, SIZES), `${station}, all sheets open`).toEqual([]);
    }
  },
);

test('every station can be read aloud and has contrast enough, light and dark', { tag: '@long' }, async ({ page }) => {
  await page.goto('/');
  await openSamples(page);
  await readInBoth(page, 'home');
  await openSolved(page, 'Aobae');
  for (const station of STATIONS) {
    await visit(page, station);
    await unfoldAll(page);
    await readInBoth(page, station);
  }
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('textbox', { name: 'Find' })).toBeVisible();
  await readInBoth(page, 'finder');
});

test('the finder opens every sheet it names, with the focus where it says', { tag: '@long' }, async ({ page }) => {
  await openSolved(page, 'Aobae');
  const places = FINDER_PLACES.filter((p) => ['structure', 'data'].includes(p.needs) && !CONDITIONAL.has(p.sheet));
  expect(places.length).toBeGreaterThan(80);
  for (const p of places) {
    await page.keyboard.press('Control+k');
    await page.getByRole('textbox', { name: 'Find' }).fill(p.text);
    await page.getByRole('option', { name: p.text }).first().click();
    const sheet = page.locator(`.desk section[aria-label="${p.sheet}"]`);
    await expect(sheet, p.text).toBeInViewport();
    const focused = sheet.locator(':focus');
    await expect.soft(focused, p.text).toBeVisible({ timeout: 3000 });
    if (p.control && (await focused.count()))
      expect.soft(await focused.evaluate(nameOfControl), p.text).toMatch(beginning(p.control));
  }
});

test('a powder project is in order and can be read aloud too', async ({ page }) => {
  await page.setViewportSize(SIZES[0]!);
  await page.goto('/');
  await page.getByRole('button', { name: /^Frit 12/ }).click();
  await page.getByRole('button', { name: /Take (it|them) in/ }).click();
  await page.getByRole('button', { name: 'Go on to Fit' }).click();
  await expect(page.getByTestId('pattern')).toBeVisible();
  for (const station of ['Intake', 'Fit']) {
    await visit(page, station);
    await unfoldAll(page);
    expect(await disorder(page), station).toEqual([]);
    await readInBoth(page, station);
  }
});
