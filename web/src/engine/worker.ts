/** The inside of a page worker: runs core tasks, one at a time, and passes forks back to the page. */
import { breathingContext, Cancelled, type TaskContext } from '@nagare/core/task-context';
import { runTask } from '@nagare/core/tasks/registry';

type Incoming =
  | { kind: 'run'; id: number; task: string; input: unknown; parallel: number }
  | { kind: 'cancel'; id: number }
  | { kind: 'fork-progress'; fork: number; report: unknown }
  | { kind: 'fork-done'; fork: number; result: unknown }
  | { kind: 'fork-failed'; fork: number; name: string; message: string };

const signals = new Map<number, { aborted: boolean }>();
const forks = new Map<
  number,
  { resolve(v: unknown): void; reject(e: Error): void; onProgress: ((r: unknown) => void) | undefined }
>();
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
  postMessage({ kind: 'fork', fork: id, task, input });
  return { result, cancel: () => postMessage({ kind: 'fork-cancel', fork: id }) };
};

addEventListener('message', ({ data }: MessageEvent<Incoming>) => {
  switch (data.kind) {
    case 'cancel': {
      const signal = signals.get(data.id);
      if (signal) signal.aborted = true;
      return;
    }
    case 'fork-progress':
      return forks.get(data.fork)?.onProgress?.(data.report);
    case 'fork-done':
      forks.get(data.fork)?.resolve(data.result);
      forks.delete(data.fork);
      return;
    case 'fork-failed':
      forks.get(data.fork)?.reject(data.name === 'Cancelled' ? new Cancelled() : new Error(data.message));
      forks.delete(data.fork);
      return;
    case 'run': {
      const { id } = data;
      const signal = { aborted: false };
      signals.set(id, signal);
      const context = breathingContext(signal, (report) => postMessage({ kind: 'progress', id, report }), {
        fork,
        parallel: data.parallel,
      });
      runTask(data.task, data.input, context)
        .then((result) => postMessage({ kind: 'done', id, result }))
        .catch((e: Error) =>
          postMessage({ kind: 'failed', id, name: e instanceof Cancelled ? 'Cancelled' : e.name, message: e.message }),
        )
        .finally(() => signals.delete(id));
    }
  }
});
