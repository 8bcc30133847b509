/** Asks the live worker: one order at a time, and of those that wait only the newest. */
import type { Pattern } from '@nagare/core/crystal/pattern';
import type { LiveAnswer, LiveOrder } from './live-pattern.ts';

export type LiveWish = Omit<LiveOrder, 'turn' | 'pattern'> & { readonly pattern: Pattern };
type Found = NonNullable<LiveAnswer['found']>;

interface Waiting {
  readonly wish: LiveWish;
  readonly take: (found: Found | undefined) => void;
}

/** A worker as it is used here. */
export interface LiveHost {
  post(order: LiveOrder): void;
  listen(heard: (answer: LiveAnswer) => void): void;
  terminate(): void;
}

const pageHost = (): LiveHost => {
  const worker = new Worker(new URL('./live-worker.ts', import.meta.url), { type: 'module' });
  return {
    post: (order) => worker.postMessage(order),
    listen: (heard) => worker.addEventListener('message', ({ data }: MessageEvent<LiveAnswer>) => heard(data)),
    terminate: () => worker.terminate(),
  };
};

export class LiveCalculation {
  private host: LiveHost | undefined;
  private given = '';
  private turn = 0;
  private running: Waiting | undefined;
  private waiting: Waiting | undefined;

  constructor(private readonly createHost: () => LiveHost = pageHost) {}

  /** `take` is called with what was found, unless a newer wish overtook this one while it waited. */
  ask(wish: LiveWish, take: (found: Found | undefined) => void): void {
    this.waiting = { wish, take };
    this.next();
  }

  /** One answer for a wish, whatever else is asked. */
  once(wish: LiveWish): Promise<Found | undefined> {
    const alone = new LiveCalculation(this.createHost);
    return new Promise<Found | undefined>((resolve) => alone.ask(wish, resolve)).finally(() => alone.close());
  }

  close(): void {
    this.host?.terminate();
    this.host = undefined;
    this.running = this.waiting = undefined;
  }

  private next(): void {
    if (this.running || !this.waiting) return;
    this.running = this.waiting;
    this.waiting = undefined;
    const host = (this.host ??= this.start());
    const { pattern, ...rest } = this.running.wish;
    const fresh = this.given !== rest.patternId;
    this.given = rest.patternId;
    host.post({ ...rest, turn: ++this.turn, ...(fresh ? { pattern } : {}) });
  }

  private start(): LiveHost {
    const host = this.createHost();
    this.given = '';
    host.listen(({ turn, found }) => {
      if (turn !== this.turn || !this.running) return;
      const { take } = this.running;
      this.running = undefined;
      take(found);
      this.next();
    });
    return host;
  }
}
