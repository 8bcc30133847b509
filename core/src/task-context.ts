/** What a long-running computation is given to report, pause and stop. */

export class Cancelled extends Error {
  constructor() {
    super('Stopped.');
    this.name = 'Cancelled';
  }
}

export interface TaskContext<P = unknown> {
  /** Tells how far the work is; called as often as convenient. */
  progress(report: P): void;
  /** Lets messages in; throws Cancelled when the work was stopped. Call it every few milliseconds of work; it is cheap. */
  breath(): Promise<void>;
  /** Runs another task beside this one where the host has room (a further worker), or in line where it has not. */
  fork?<T>(
    task: string,
    input: unknown,
    onProgress?: (report: unknown) => void,
  ): { result: Promise<T>; cancel(): void };
  /** How many forks may usefully run at once. */
  readonly parallel: number;
}

/** A context for direct calls: no reports, never stopped. */
export const quietContext = (): TaskContext => ({
  progress: () => undefined,
  breath: async () => undefined,
  parallel: 1,
});

/** A context whose breath yields to the event loop about every `interval` ms, so that a cancel message can be heard. */
export function breathingContext<P>(
  signal: { aborted: boolean },
  progress: (report: P) => void,
  extra: Partial<TaskContext<P>> = {},
  interval = 30,
): TaskContext<P> {
  let last = performance.now();
  return {
    progress,
    async breath() {
      if (performance.now() - last > interval) {
        await new Promise<void>((resolve) => setTimeout(resolve, 0));
        last = performance.now();
      }
      if (signal.aborted) throw new Cancelled();
    },
    parallel: 1,
    ...extra,
  };
}
