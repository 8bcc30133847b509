/** Nothing lost: a server that is gone, a storage that is full, a project deleted elsewhere, a file that is damaged. */
import { readFileSync, writeFileSync } from 'node:fs';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { expect, test, type Page } from '@playwright/test';
import { marks, openSolved, watchForErrors } from './support.ts';

const watch = watchForErrors();

const go = (page: Page, station: string): Promise<void> =>
  page
    .getByRole('navigation')
    .getByRole('link', { name: new RegExp(station) })
    .click();

test.describe('without the server', () => {
  test.use({ serviceWorkers: 'allow' });

  test('the application opens and every station is there; samples say what is missing', async ({ page, context }) => {
    await openSolved(page, 'Aobae');
    await page.evaluate(async () => {
      await navigator.serviceWorker.ready;
    });
    await context.setOffline(true);
    await page.reload();
    await expect(page.getByRole('heading', { name: 'Refine of Aobae' })).toBeAttached();
    for (const station of ['Intake', 'Solve', 'Relate', 'Symmetry', 'Vet', 'Depict', 'Publish', 'Refine']) {
      await go(page, station);
      await expect(page.getByRole('heading', { name: `${station} of Aobae` })).toBeAttached();
      await expect(page.getByText('could not be drawn')).toHaveCount(0);
      await expect(page.getByText('is not here')).toHaveCount(0);
    }
    await go(page, 'Publish');
    await page.getByRole('button', { name: 'CIF as text' }).click();
    await expect(page.getByRole('textbox', { name: 'CIF' })).toContainText('data_');
    await page.goto('/');
    await page.getByText('Samples from the Kurobane Kiln').click();
    await page.getByRole('button', { name: 'Benigara-2' }).click();
    await expect(page.getByRole('dialog')).toContainText('cannot be fetched: the server that Nagare came from');
    watch.expected(page, /Failed to (fetch|load)|ERR_INTERNET_DISCONNECTED|net::ERR/);
  });
});

/** From now on the browser has no room for another model, whoever wants to store one. */
const fill = (page: Page): Promise<void> =>
  page.evaluate(() => {
    const full = window as unknown as { roomFor?: boolean };
    full.roomFor = false;
    for (const kind of ['put', 'add'] as const) {
      const real = IDBObjectStore.prototype[kind];
      IDBObjectStore.prototype[kind] = function (this: IDBObjectStore, value: unknown, key?: IDBValidKey) {
        if (this.name === 'models' && !full.roomFor) throw new DOMException('no room', 'QuotaExceededError');
        return key === undefined ? real.call(this, value) : real.call(this, value, key);
      };
    }
  });

/** Takes an atom off the model. */
async function deleteSite(page: Page): Promise<void> {
  await page.getByRole('grid', { name: 'Sites' }).getByRole('row').nth(2).click();
  await page.keyboard.press('Delete');
}

test('a full storage keeps the newest marks on the page, offers them as a file, and stores them later', async ({
  page,
}) => {
  await openSolved(page, 'Aobae');
  const before = await marks(page).count();
  await fill(page);
  await deleteSite(page);
  await expect(page.getByTestId('unsaved')).toContainText('the newest mark stands on this page only');
  await expect(marks(page)).toHaveCount(before + 1);
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Export now' }).click(),
  ]);
  const parts = unzipSync(new Uint8Array(readFileSync(await download.path())));
  expect(JSON.parse(strFromU8(parts['marks.json']!))).toHaveLength(before + 1);
  await page.evaluate(() => ((window as unknown as { roomFor: boolean }).roomFor = true));
  await page.getByRole('button', { name: 'Store again' }).click();
  await expect(page.getByTestId('unsaved')).toHaveCount(0);
  await page.reload();
  await expect(marks(page)).toHaveCount(before + 1);
  await page.goto('/');
  await expect(page.getByLabel('Storage')).toContainText(/MB of .* storage are used/);
  await page.getByRole('button', { name: 'Free space' }).click();
  await expect(page.getByLabel('Storage')).toContainText('given up');
});

test('a project deleted in another tab says so, stops its work, and leaves nothing', async ({ page, context }) => {
  await openSolved(page, 'Kasumi');
  await page
    .getByRole('button', { name: /^Settle/ })
    .first()
    .click();
  await expect(page.getByRole('button', { name: 'Stop' }).first()).toBeVisible();
  const other = await context.newPage();
  await other.goto('/');
  await other.getByRole('button', { name: 'Delete' }).click();
  await other.getByRole('dialog').getByRole('button', { name: 'Delete' }).click();
  await expect(page.getByRole('alert')).toContainText('This project was deleted in another tab');
  await other.waitForTimeout(1500);
  const left = await other.evaluate(
    () =>
      new Promise<Record<string, number>>((resolve) => {
        const opening = indexedDB.open('nagare');
        opening.onsuccess = () => {
          const names = [...opening.result.objectStoreNames];
          const tx = opening.result.transaction(names);
          const out: Record<string, number> = {};
          for (const name of names) {
            const counting = tx.objectStore(name).count();
            counting.onsuccess = () => (out[name] = counting.result);
          }
          tx.oncomplete = () => resolve(out);
        };
      }),
  );
  expect(Object.entries(left).filter(([, n]) => n > 0)).toEqual([]);
});

test(
  'a damaged project file says what is lost, and what is whole is taken in',
  { tag: '@long' },
  async ({ page }, info) => {
    const file = unzipSync(new Uint8Array(readFileSync(new URL('projects/Aobae.nagare', import.meta.url))));
    const damaged = info.outputPath('torn.nagare');
    writeFileSync(damaged, zipSync({ ...file, 'intake.json': strToU8('{}'), 'powder.json': strToU8('{"a":1}') }));
    await page.goto('/');
    await page.getByTestId('file-picker').setInputFiles(damaged);
    const dialog = page.getByRole('dialog');
    await expect(dialog).toContainText('torn.nagare is damaged');
    await expect(dialog).toContainText(
      'What Intake made of the data is damaged (intake.json: projectId should be a text).',
    );
    await expect(dialog).toContainText('The rest of “Aobae” is whole');
    await dialog.getByRole('button', { name: 'Leave it' }).click();
    await expect(page.getByText('None yet.')).toBeVisible();
    await page.getByTestId('file-picker').setInputFiles(damaged);
    await dialog.getByRole('button', { name: 'Take in what is whole' }).click();
    await expect(marks(page)).not.toHaveCount(0);
    for (const station of ['Intake', 'Refine', 'Relate', 'Vet', 'Publish']) {
      await go(page, station);
      await expect(page.getByRole('heading', { name: `${station} of Aobae` })).toBeAttached();
    }
    await expect(page.getByText('could not be drawn')).toHaveCount(0);
  },
);

test('what was not taken as it was written is told before it is taken in', async ({ page }) => {
  const demo = readFileSync(new URL('../demo/data/hachisu.cif', import.meta.url), 'utf8');
  const odd = demo.replace(/(_diffrn_ambient_temperature +)293/, '$1-5');
  await page.goto('/');
  await page
    .getByTestId('file-picker')
    .setInputFiles({ name: 'odd.cif', mimeType: 'chemical/x-cif', buffer: Buffer.from(odd) });
  await expect(page.getByLabel('What was not taken as it was written')).toContainText(
    'the temperature is "-5", which is not between 0 and 5000 K; it was left out.',
  );
});
