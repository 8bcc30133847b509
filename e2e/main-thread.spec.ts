/**
 * What blocks the page while work is done. A task counts against a loop that takes 50 ms in the same page when it is at
 * rest, timed again while the work runs, so that a slow or busy machine is measured by itself. While a run is watched the
 * picture is taken away: without a graphics card its worker would take the run's share of the machine.
 */
import { readFileSync, statSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { openSolved, referenceFile, watchForErrors } from './support.ts';

const { expected } = watchForErrors();

/** So many times the loop the usual task over 50 ms may take; the longest tells more of what else the machine did. */
const USUAL = 5;
/** Share of the time that all of them may take together: work of the run that leaked to the page would be most of it. */
const SHARE = 0.15;

const middle = (list: readonly number[]): number => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)] ?? 0;
/** Upper quartile: the loop as it runs while the workers do, which is when the page has to share the machine. */
const busy = (list: readonly number[]): number => [...list].sort((a, b) => a - b)[Math.floor(0.75 * list.length)] ?? 0;

/** Every task over 50 ms written down but those of `spin`. */
async function watchTasks(page: Page): Promise<void> {
  await page.addInitScript(() => {
    const watch = { tasks: [] as { start: number; duration: number }[], own: [] as [number, number][], rounds: 0 };
    Object.assign(window, { watch });
    new PerformanceObserver((list) => {
      for (const e of list.getEntries()) watch.tasks.push({ start: e.startTime, duration: e.duration });
    }).observe({ entryTypes: ['longtask'] });
  });
}

const withoutPicture = (page: Page): Promise<unknown> =>
  page.addInitScript(() => {
    HTMLCanvasElement.prototype.transferControlToOffscreen = () => {
      throw new Error('There is no painting here.');
    };
  });

interface Watch {
  tasks: { start: number; duration: number }[];
  own: [number, number][];
  rounds: number;
}

/** ms that the loop takes; sized to 50 ms the first time. */
const spin = (page: Page): Promise<number> =>
  page.evaluate(() => {
    const { watch } = window as unknown as { watch: Watch };
    const loop = (rounds: number): number => {
      const from = performance.now();
      let x = 0.5;
      for (let i = 0; i < rounds; i++) x = 3.7 * x * (1 - x);
      watch.own.push([from, performance.now()]);
      return x > 2 ? 0 : performance.now() - from;
    };
    if (!watch.rounds) {
      loop(1e6);
      watch.rounds = Math.round((1e6 * 50) / loop(1e6));
    }
    return loop(watch.rounds);
  });

/** Tasks over 50 ms since it was last asked, ms each. */
const longTasks = (page: Page): Promise<number[]> =>
  page.evaluate(() => {
    const { watch } = window as unknown as { watch: Watch };
    const { own, tasks } = watch;
    watch.tasks = [];
    return tasks
      .filter((t) => !own.some(([from, to]) => from < t.start + t.duration && to > t.start))
      .map((t) => t.duration);
  });

/** Does something again and again until it is over, the loop between; holds what blocked the page against both. */
async function holdsNothingUp(page: Page, goesOn: () => Promise<boolean>): Promise<void> {
  const loops: number[] = [];
  const from = Date.now();
  await longTasks(page);
  do {
    loops.push(await spin(page));
    await page.waitForTimeout(250);
  } while (await goesOn());
  const tasks = await longTasks(page);
  // One or two say more of the machine than of the page; the share below holds them all the same.
  if (tasks.length > 2) expect(middle(tasks) / busy(loops)).toBeLessThan(USUAL);
  expect(tasks.reduce((sum, t) => sum + t, 0) / (Date.now() - from)).toBeLessThan(SHARE);
}

test('a hydrate settles without holding the page up', { tag: '@long' }, async ({ page }) => {
  await watchTasks(page);
  await withoutPicture(page);
  await openSolved(page, 'Mizuasagi');
  await expect(page.getByText('This browser offers no WebGL')).toBeVisible();
  await spin(page);
  await page.getByRole('button', { name: 'Settle', exact: true }).click();
  await expect(page.locator('.work')).toHaveCount(1);
  expected(page, /WebGL/);
  await holdsNothingUp(page, async () => (await page.locator('.work').count()) > 0);
});

test('the pattern of a frit of four phases follows a constant without holding the page up', async ({ page }) => {
  await watchTasks(page);
  await withoutPicture(page);
  await page.goto('/');
  const pattern = readFileSync(new URL('../demo/data/frit-31.xye', import.meta.url));
  await page
    .getByTestId('file-picker')
    .setInputFiles([
      { name: 'frit-31.xye', mimeType: 'text/plain', buffer: pattern },
      ...['corundum', 'zircon', 'brucite', 'rutile'].map(referenceFile),
    ]);
  await page.getByRole('button', { name: /Take (it|them) in/ }).click({ timeout: 30_000 });
  await page.getByRole('link', { name: /Fit/ }).click();
  await expect(page.getByTestId('pattern')).toBeVisible();
  const constant = page.getByLabel(/^a of /).first();
  await constant.scrollIntoViewIfNeeded();
  await constant.focus();
  await page.keyboard.press('ArrowUp');
  await page.waitForTimeout(3000);
  await spin(page);
  let steps = 0;
  await holdsNothingUp(page, async () => {
    for (let i = 0; i < 5; i++) await page.keyboard.press(steps % 2 ? 'ArrowDown' : 'ArrowUp');
    return ++steps < 8;
  });
});

/** Ten thousand atoms, 2.3 Å from one another. */
function block(): string {
  const edge = 22 * 2.3;
  const rows = Array.from({ length: 10_000 }, (_, i) => {
    const at = [i % 22, Math.floor(i / 22) % 22, Math.floor(i / 484)].map((n) => (2.3 * n).toFixed(3));
    return `${i % 4 ? 'Si' : 'O'} ${at.join(' ')}`;
  });
  return ['10000', `Lattice="${edge} 0 0 0 ${edge} 0 0 0 ${edge}" Properties=species:S:1:pos:R:3`, ...rows, ''].join(
    '\n',
  );
}

/** ms that a picture of them may take without a graphics card, on a busy machine. */
const PATIENCE = 150_000;

test('ten thousand atoms turn without holding the page up', { tag: '@long' }, async ({ page }) => {
  test.setTimeout(3 * PATIENCE);
  await watchTasks(page);
  await page.goto('/');
  await page
    .getByTestId('file-picker')
    .setInputFiles([{ name: 'block.xyz', mimeType: 'text/plain', buffer: Buffer.from(block()) }]);
  await page.getByRole('button', { name: /Take (it|them) in/ }).click();
  await expect(page.getByTestId('scene-counts')).toContainText('10000', { timeout: 60_000 });
  await page.waitForTimeout(2000);
  await spin(page);
  const scene = page.getByTestId('scene-canvas');
  const before = await scene.screenshot({ timeout: PATIENCE });
  const canvas = (await scene.boundingBox())!;
  const [x, y] = [canvas.x + canvas.width / 2, canvas.y + canvas.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  let steps = 0;
  await holdsNothingUp(page, async () => {
    for (let i = 0; i < 20; i++) {
      await page.mouse.move(x + 150 * Math.sin((20 * steps + i) / 15), y + 4 * steps);
      await page.waitForTimeout(16);
    }
    return ++steps < 5;
  });
  await page.mouse.up();
  expect(before.equals(await scene.screenshot({ timeout: PATIENCE }))).toBe(false);
});

/** Makes the project that is open large: so many observations, and so many marks with models and results of their own. Runs in the page. */
async function enlarge({ observations, course }: { observations: number; course: number }): Promise<void> {
  const ask = <T>(request: IDBRequest<T>): Promise<T> =>
    new Promise((done, failed) => {
      request.onsuccess = () => done(request.result);
      request.onerror = () => failed(request.error);
    });
  type Row = Record<string, unknown> & { id: string; projectId: string; model: string; created: number };
  const db = await ask(indexedDB.open('nagare'));
  const project = location.pathname.split('/')[2]!;
  const rows = async (name: string): Promise<Row[]> =>
    ((await ask(db.transaction(name).objectStore(name).getAll())) as Row[]).filter((r) => r.projectId === project);
  const put = (name: string, row: unknown): Promise<unknown> =>
    ask(db.transaction(name, 'readwrite').objectStore(name).put(row));
  const [data] = (await rows('data')) as unknown as { raw: Record<string, unknown> & { count: number } }[];
  const raw = Object.fromEntries(
    Object.entries(data!.raw).map(([name, list]) => {
      if (!ArrayBuffer.isView(list)) return [name, list];
      const column = list as Float64Array;
      const Kind = column.constructor as Float64ArrayConstructor;
      const width = column.length / data!.raw.count;
      return [name, Kind.from({ length: observations * width }, (_, i) => column[i % column.length]!)];
    }),
  );
  await put('data', { ...data, raw: { ...raw, count: observations } });
  const models = await rows('models');
  let last = (await rows('marks')).sort((p, q) => p.created - q.created).at(-1)!;
  const model = models.find((m) => m.id === last.model)!;
  // As many numbers as the covariance of 300 parameters has.
  const covariance = { upper: Float64Array.from({ length: 45_150 }, (_, i) => 1e-6 * Math.sin(i)) };
  for (let n = 0; n < course; n++) {
    const id = `copy-${n}-${last.id.slice(-8)}`;
    await put('models', { ...model, id: `model-${id}` });
    await put('results', { markId: id, projectId: project, covariance });
    last = { ...last, id, parent: last.id, model: `model-${id}`, created: last.created + 1 };
    await put('marks', last);
  }
  db.close();
}

test('a large project leaves as a file without holding the page up', { tag: '@long' }, async ({ page }) => {
  await watchTasks(page);
  await withoutPicture(page);
  await openSolved(page, 'Aobae');
  expected(page, /WebGL/);
  await page.evaluate(enlarge, { observations: 400_000, course: 60 });
  await page.reload();
  await expect(page.getByText('This browser offers no WebGL')).toBeVisible();
  await page.waitForTimeout(2000);
  await spin(page);
  const leaving = page.waitForEvent('download', { timeout: 120_000 });
  await page.getByRole('button', { name: 'Aobae', exact: true }).click();
  await page.getByRole('button', { name: 'Export this project' }).click();
  let isThere = false;
  void leaving.then(() => (isThere = true));
  await holdsNothingUp(page, async () => !isThere);
  const { size } = statSync(await (await leaving).path());
  expect(size).toBeGreaterThan(10e6);
});
