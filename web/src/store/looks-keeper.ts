/** Keeps the looks of one open project: stores them after a pause, and remembers those before, so that undo takes back looks and changes in their order. */
import type { Mat3 } from '@nagare/core/math/matrix3';
import type { NagareDatabase } from './db.ts';
import { keepRow } from './keeping.ts';
import { looksRowSchema, type Looks, type LooksRow } from './looks.ts';
import { rememberView, type ViewState } from './view-state.ts';

/** All that undo brings back at once. */
export interface LooksState<Rest> {
  readonly view: ViewState;
  readonly looks: Looks;
  /** Of this tab alone: not stored. */
  readonly rest: Rest;
}

export type Act = 'looks' | 'mark';

/** ms: changes of one kind that follow one another this fast are one, as a dragged handle makes them. */
const ONE_ACT = 900;
/** ms between two writes. */
const STORE_EVERY = 300;
const MOST_KEPT = 200;

export class LooksKeeper<Rest> {
  private past: LooksState<Rest>[] = [];
  private future: LooksState<Rest>[] = [];
  private done: Act[] = [];
  private undone: Act[] = [];
  private stored = 0;
  private last: { title: string; at: number } | undefined;
  /** Where the viewer stands now. */
  viewer: (() => Mat3 | undefined) | undefined;
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private readonly projectId: string,
    private readonly db: NagareDatabase,
    private readonly now: () => LooksState<Rest>,
    private readonly show: (state: LooksState<Rest>) => void,
    /** Told when the browser could not store. */
    private readonly failed: (e: Error) => void,
    /** Of this tab: what it holds is there at once, also where the page goes before the database is done. */
    private readonly memory: Pick<Storage, 'getItem' | 'setItem'>,
  ) {}

  /** What was kept, where anything was: what this tab was still writing when its page went comes first. */
  async kept(): Promise<LooksRow | undefined> {
    const stored = await this.db.looks.get(this.projectId);
    const cut = this.cutShort();
    if (!cut) return stored;
    const row = { ...(stored?.rotation ? { rotation: stored.rotation } : {}), ...cut };
    // Of a project that is gone, or without room, nothing is written; what was cut short is shown all the same.
    await keepRow(this.db, this.db.looks, row).catch(() => undefined);
    this.note('');
    return row;
  }

  private get key(): string {
    return `looks:${this.projectId}`;
  }

  private note(text: string): void {
    try {
      this.memory.setItem(this.key, text);
    } catch {
      // Too large for this memory: the database has it in a moment.
    }
  }

  /** The row whose writing was cut short; undefined where none was. */
  private cutShort(): LooksRow | undefined {
    const text = this.memory.getItem(this.key);
    if (!text) return undefined;
    try {
      return looksRowSchema.safeParse(JSON.parse(text)).data;
    } catch {
      return undefined;
    }
  }

  /** Shows a changed state; `title` tells which changes run together. */
  change(title: string, next: Partial<LooksState<Rest>>): void {
    const before = this.now();
    const at = Date.now();
    const goesOn = this.last?.title === title && at - this.last.at < ONE_ACT && this.done.at(-1) === 'looks';
    if (!goesOn) {
      this.past = [...this.past.slice(-MOST_KEPT), before];
      this.did('looks');
    }
    this.last = { title, at };
    this.future = [];
    this.put({ ...before, ...next }, goesOn);
  }

  /** Notes an act, so that undo knows what was done last. */
  did(act: Act): void {
    this.done.push(act);
    this.undone = [];
    if (act === 'mark') this.last = undefined;
  }

  /** What undo should take back; looks are taken back here, marks by whoever asks. */
  undo(): Act {
    const act = this.done.pop() ?? 'mark';
    this.undone.push(act);
    this.last = undefined;
    const before = act === 'looks' ? this.past.pop() : undefined;
    if (!before) return 'mark';
    this.future.push(this.now());
    this.put(before, false);
    return 'looks';
  }

  redo(): Act {
    const act = this.undone.pop() ?? 'mark';
    this.done.push(act);
    this.last = undefined;
    const after = act === 'looks' ? this.future.pop() : undefined;
    if (!after) return 'mark';
    this.past.push(this.now());
    this.put(after, false);
    return 'looks';
  }

  private put(state: LooksState<Rest>, goesOn: boolean): void {
    if (state.view !== this.now().view) rememberView(state.view);
    this.show(state);
    // An act of its own is stored at once, however soon after another: the page may go. Of a drag, now and then.
    const since = Date.now() - this.stored;
    if (!goesOn || since > STORE_EVERY) {
      clearTimeout(this.timer);
      void this.store();
    } else {
      // Until then the tab's own memory holds it: the page may go within the pause.
      this.note(JSON.stringify(this.row()));
      this.timer ??= setTimeout(() => void this.store(), STORE_EVERY - since);
    }
  }

  private row(): LooksRow {
    const { view, looks } = this.now();
    const seen = this.viewer?.();
    return { projectId: this.projectId, view, looks, ...(seen ? { rotation: seen } : {}) };
  }

  private async store(): Promise<void> {
    this.timer = undefined;
    this.stored = Date.now();
    try {
      await this.write();
    } catch (e) {
      this.failed(e as Error);
    }
  }

  private async write(): Promise<void> {
    const row = this.row();
    const text = JSON.stringify(row);
    this.note(text);
    const rotation = row.rotation ?? (await this.db.looks.get(this.projectId))?.rotation;
    await keepRow(this.db, this.db.looks, { ...row, ...(rotation ? { rotation } : {}) });
    // A later change may have been noted meanwhile.
    if (this.memory.getItem(this.key) === text) this.note('');
  }

  /** Stores what still waits. */
  async flush(): Promise<void> {
    if (this.timer === undefined) return;
    clearTimeout(this.timer);
    await this.store();
  }
}
