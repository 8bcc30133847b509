/** A walk of random acts through the application, and what must hold of its store at any time. */
import { expect, type BrowserContext, type Page } from '@playwright/test';
import type { Random } from '@nagare/core/math/random';
import { marks, openSolved } from './support.ts';

/** What is wrong with the stored rows: nothing may be without what it belongs to. Read in one transaction. */
export const brokenRows = (page: Page): Promise<string[]> =>
  page.evaluate(
    () =>
      new Promise<string[]>((resolve, reject) => {
        interface Row {
          readonly id?: string;
          readonly projectId?: string;
          readonly parent?: string;
          readonly model?: string;
          readonly markId?: string;
          readonly head?: string;
        }
        const opening = indexedDB.open('nagare');
        opening.onerror = () => reject(new Error('The database did not open.'));
        opening.onsuccess = () => {
          const database = opening.result;
          const owned = ['data', 'intake', 'marks', 'models', 'results', 'solves', 'merges', 'looks', 'pictures'];
          const tx = database.transaction(['projects', ...owned]);
          const rows: Record<string, Row[]> = {};
          for (const name of ['projects', ...owned]) {
            const asking = tx.objectStore(name).getAll() as IDBRequest<Row[]>;
            asking.onsuccess = () => (rows[name] = asking.result);
          }
          tx.oncomplete = () => {
            database.close();
            const ids = (name: string): Set<string> => new Set(rows[name]!.map((r) => r.id!));
            const [projects, models, marksThere] = [ids('projects'), ids('models'), ids('marks')];
            const used = new Set(rows['marks']!.map((m) => m.model!));
            const out: string[] = [];
            for (const name of owned)
              for (const r of rows[name]!)
                if (!projects.has(r.projectId!)) out.push(`${name}: a row without its project`);
            for (const m of rows['marks']!) {
              if (!models.has(m.model!)) out.push('a mark without its model');
              if (m.parent !== undefined && !marksThere.has(m.parent)) out.push('a mark without its parent');
            }
            for (const m of rows['models']!) if (!used.has(m.id!)) out.push('a model without its mark');
            for (const r of rows['results']!) if (!marksThere.has(r.markId!)) out.push('a result without its mark');
            for (const p of rows['projects']!)
              if (p.head !== undefined && !marksThere.has(p.head)) out.push('a project that stands at no mark');
            resolve(out);
          };
        };
      }),
  );

/** A few tabs of one browser, of which one is acted on at a time. */
export class Walk {
  private tabs: Page[] = [];
  readonly done = new Map<string, number>();

  constructor(
    private readonly context: BrowserContext,
    private readonly random: Random,
  ) {}

  private pick<T>(list: readonly T[]): T {
    return list[this.random.below(list.length)]!;
  }

  async begin(page: Page): Promise<void> {
    this.tabs = [page];
    await openSolved(page, 'Aobae');
  }

  /** Whether a tab shows a project. */
  private inProject = async (page: Page): Promise<boolean> =>
    /\/projects\//.test(page.url()) && (await page.getByRole('listbox', { name: 'Marks' }).count()) > 0;

  private readonly acts: Readonly<Record<string, (page: Page) => Promise<void>>> = {
    edit: async (page) => {
      const rows = page.getByRole('grid', { name: 'Sites' }).getByRole('row');
      const count = await rows.count();
      if (count < 8) return;
      await rows.nth(1 + this.random.below(Math.min(6, count - 2))).click({ timeout: 3000 });
      await page.keyboard.press('Delete');
    },
    'edits at once': async (page) => {
      await page.getByRole('grid', { name: 'Sites' }).focus({ timeout: 3000 });
      for (let i = 0; i < 3; i++) {
        await page.keyboard.press('ArrowDown');
        await page.keyboard.press('Delete');
        await page.waitForTimeout(this.random.below(120));
      }
    },
    undo: (page) => page.keyboard.press('Control+z'),
    redo: (page) => page.keyboard.press('Control+Shift+z'),
    'another mark': async (page) => {
      const all = marks(page);
      const count = await all.count();
      if (count) await all.nth(this.random.below(count)).click({ timeout: 3000, force: true });
    },
    run: async (page) => {
      const button = page.getByRole('button', { name: /^(Refine|Settle)$/ }).first();
      if (await button.isEnabled({ timeout: 1000 })) await button.click({ timeout: 3000 });
    },
    stop: async (page) => {
      const button = page.getByRole('button', { name: 'Stop' }).first();
      if (await button.count()) await button.click({ timeout: 3000 });
    },
    reload: async (page) => void (await page.reload()),
    kill: async (page) => {
      const url = page.url();
      await page.close({ runBeforeUnload: false });
      this.tabs = this.tabs.filter((t) => t !== page);
      const fresh = await this.context.newPage();
      this.tabs.push(fresh);
      await fresh.goto(url);
    },
    'second tab': async (page) => {
      if (this.tabs.length >= 3) {
        const gone = this.tabs.shift()!;
        await gone.close();
      }
      const other = await this.context.newPage();
      await other.goto(page.url());
      this.tabs.push(other);
    },
    import: (page) => openSolved(page, 'Aobae'),
    delete: async (page) => {
      await page.goto('/');
      const buttons = page.getByRole('button', { name: 'Delete' });
      await page.getByText('Samples from the Kurobane').waitFor();
      if (await buttons.count()) {
        await buttons.nth(this.random.below(await buttons.count())).click({ timeout: 3000 });
        await page.getByRole('dialog').getByRole('button', { name: 'Delete' }).click({ timeout: 3000 });
        await page.getByRole('dialog').waitFor({ state: 'hidden' });
      }
      await openSolved(page, 'Aobae');
    },
  };

  /** How often each act comes, in shares. */
  private readonly often: readonly string[] = [
    ...Array<string>(8).fill('edit'),
    ...Array<string>(3).fill('edits at once'),
    ...Array<string>(6).fill('undo'),
    ...Array<string>(4).fill('redo'),
    ...Array<string>(4).fill('another mark'),
    ...Array<string>(3).fill('run'),
    ...Array<string>(3).fill('stop'),
    ...['reload', 'reload', 'kill', 'second tab', 'import', 'delete'],
  ];

  /** One act on one of the tabs. What cannot be done there just now is left. */
  async step(): Promise<void> {
    const page = this.pick(this.tabs);
    let name = this.pick(this.often);
    if (!(await this.inProject(page))) name = 'import';
    try {
      await this.acts[name]!(page);
      this.done.set(name, (this.done.get(name) ?? 0) + 1);
    } catch (e) {
      // A control that went away under the pointer, because another tab or run was faster.
      if (!/Timeout|closed|detached|intercepts|Target|not visible/i.test((e as Error).message)) throw e;
    }
    await page.waitForTimeout(this.random.below(80)).catch(() => undefined);
  }

  async check(): Promise<void> {
    const page = this.tabs.at(-1)!;
    expect(await brokenRows(page)).toEqual([]);
    for (const tab of this.tabs) await expect(tab.getByText('could not be drawn')).toHaveCount(0);
  }
}
