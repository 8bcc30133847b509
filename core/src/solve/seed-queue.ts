/** Seeds phased side by side and handed out in their order, so that an answer does not depend on which worker was quicker. */
import type { TaskContext } from '../task-context.ts';
import type { FlippingReport } from './charge-flipping.ts';
import { phaseSeed, type PhaseInput, type PhaseResult } from './phase.ts';

interface Job {
  readonly result: Promise<PhaseResult | Error>;
  cancel(): void;
}

export class SeedQueue {
  private readonly running = new Map<number, Job>();
  /** The seed that is handed out next. */
  current: number;
  private next: number;

  /** `share` is what all seeds have in common; seeds run from `first` to `last`, as many at a time as the context has room for. */
  constructor(
    private readonly share: Omit<PhaseInput, 'seed'>,
    first: number,
    private readonly last: number,
    private readonly context: TaskContext<FlippingReport>,
  ) {
    this.current = first;
    this.next = first;
  }

  get isEmpty(): boolean {
    return this.current > this.last;
  }

  /** Phases of the next seed, or that its time is over. Throws what the phasing of it threw. */
  async take(seconds: number): Promise<PhaseResult | 'time'> {
    this.launch();
    const job = this.running.get(this.current)!;
    const result = await whenDone(job.result, this.context, seconds);
    if (result === 'time') return result;
    if (result instanceof Error) throw result;
    this.running.delete(this.current++);
    // The others go on while this one is judged.
    this.launch();
    return result;
  }

  cancel(): void {
    for (const job of this.running.values()) job.cancel();
  }

  private launch(): void {
    const room = this.context.fork ? Math.max(1, this.context.parallel) : 1;
    while (this.running.size < room && this.next <= this.last) this.running.set(this.next, this.begin(this.next++));
  }

  private begin(seed: number): Job {
    const { context } = this;
    const payload: PhaseInput = { ...this.share, seed };
    const fork = context.fork?.<PhaseResult>('phase', payload, (report) => context.progress(report as FlippingReport));
    const asError = (e: Error): Error => e;
    return fork
      ? { cancel: fork.cancel, result: fork.result.catch(asError) }
      : { cancel: () => undefined, result: phaseSeed(payload, context).catch(asError) };
  }
}

/** Waits for a job while staying open to cancellation and the clock. */
async function whenDone<T>(
  job: Promise<T>,
  context: TaskContext<FlippingReport>,
  seconds: number,
): Promise<T | 'time'> {
  let done = false;
  const finished = job.then((value) => {
    done = true;
    return value;
  });
  const until = performance.now() + 1000 * seconds;
  for (;;) {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const tick = new Promise<'tick'>((resolve) => (timer = setTimeout(() => resolve('tick'), 100)));
    const answer = await Promise.race([finished, tick]);
    clearTimeout(timer);
    if (done) return answer as T;
    await context.breath();
    if (performance.now() > until) return 'time';
  }
}
