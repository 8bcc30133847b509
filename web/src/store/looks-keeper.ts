/** Keeps the looks of one open project: stores them after a pause, and remembers those before, so that undo takes back looks and changes in their order. */
import type { Mat3 } from '@nagare/core/math/matrix3';
import type { NagareDatabase } from './db.ts';
import type { Looks, LooksRow } from './looks.ts';
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
  ) {}

  /** What was kept, where anything was. */
  async kept(): Promise<LooksRow | undefined> {
    return this.db.looks.get(this.projectId);
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
    this.put({ ...before, ...next });
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
    this.put(before);
    return 'looks';
  }

  redo(): Act {
    const act = this.undone.pop() ?? 'mark';
    this.done.push(act);
    this.last = undefined;
    const after = act === 'looks' ? this.future.pop() : undefined;
    if (!after) return 'mark';
    this.past.push(this.now());
    this.put(after);
    return 'looks';
  }

  private put(state: LooksState<Rest>): void {
    if (state.view !== this.now().view) rememberView(state.view);
    this.show(state);
    if (this.timer !== undefined) return;
    // A single change is stored at once; of a drag what is there now and then.
    const since = Date.now() - this.stored;
    if (since > STORE_EVERY) void this.store();
    else this.timer = setTimeout(() => void this.store(), STORE_EVERY - since);
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
    const { view, looks } = this.now();
    const rotation = this.viewer?.() ?? (await this.kept())?.rotation;
    await this.db.looks.put({ projectId: this.projectId, view, looks, ...(rotation ? { rotation } : {}) });
  }

  /** Stores what still waits. */
  async flush(): Promise<void> {
    if (this.timer === undefined) return;
    clearTimeout(this.timer);
    await this.store();
  }
}
