/** The inside of a worker: runs tasks one at a time, holds the data it was handed, and passes forks back to its pool. */
import { breathingContext, Cancelled, type TaskContext } from '../task-context.ts';
import { namedError, Residents, type FromWorker, type ToWorker } from './messages.ts';
import { runTask } from './registry.ts';

interface WaitingFork {
  resolve(value: unknown): void;
  reject(e: Error): void;
  readonly onProgress: ((report: unknown) => void) | undefined;
}

/** Serves a pool through `post`; give every message that comes to the function returned. */
export function serveTasks(post: (message: FromWorker) => void): (message: ToWorker) => void {
  const residents = new Residents<unknown>();
  const signals = new Map<number, { aborted: boolean }>();
  const forks = new Map<number, WaitingFork>();
  let nextFork = 1;

  const fork: NonNullable<TaskContext['fork']> = <T>(
    task: string,
    input: unknown,
    onProgress?: (report: unknown) => void,
  ) => {
    const id = nextFork++;
    const result = new Promise<T>((resolve, reject) =>
      forks.set(id, { resolve: resolve as (v: unknown) => void, reject, onProgress }),
    );
    post({ kind: 'fork', fork: id, task, input });
    return { result, cancel: () => post({ kind: 'fork cancel', fork: id }) };
  };

  /** The input with what the worker holds put back in its place. */
  const completed = ({ input, references, given }: Extract<ToWorker, { kind: 'run' }>): unknown => {
    const fresh = new Map(given);
    if (!references.length) return input;
    const out = { ...(input as Record<string, unknown>) };
    for (const [field, key] of references) {
      residents.use(key, fresh.get(key));
      out[field] = residents.get(key);
    }
    return out;
  };

  const start = (message: Extract<ToWorker, { kind: 'run' }>): void => {
    const { id, task, parallel } = message;
    const signal = { aborted: false };
    signals.set(id, signal);
    const context = breathingContext(signal, (report) => post({ kind: 'progress', id, report }), { fork, parallel });
    runTask(task, completed(message), context)
      .then((result) => post({ kind: 'done', id, result }))
      .catch((e: Error) =>
        post({ kind: 'failed', id, name: e instanceof Cancelled ? 'Cancelled' : e.name, message: e.message }),
      )
      .finally(() => signals.delete(id));
  };

  return (message) => {
    switch (message.kind) {
      case 'run':
        return start(message);
      case 'cancel': {
        const signal = signals.get(message.id);
        if (signal) signal.aborted = true;
        return;
      }
      case 'fork progress':
        return forks.get(message.fork)?.onProgress?.(message.report);
      case 'fork done':
        forks.get(message.fork)?.resolve(message.result);
        forks.delete(message.fork);
        return;
      case 'fork failed': {
        const { fork: id, name, message: text } = message;
        forks.get(id)?.reject(name === 'Cancelled' ? new Cancelled() : namedError(name, text));
        forks.delete(id);
        return;
      }
    }
  };
}
