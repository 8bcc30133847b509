/** The task pool of Node: worker threads. */
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { FromWorker } from '@nagare/core/tasks/messages';
import { TaskPool, type PoolOptions, type WorkerHost } from '@nagare/core/tasks/pool';

function thread(): WorkerHost {
  // A thread does not inherit the TypeScript loader of the main thread, so it registers its own.
  const entry = new URL('./worker-entry.ts', import.meta.url).href;
  const worker = new Worker(
    `import('tsx/esm/api').then(({ register }) => { register(); return import(${JSON.stringify(entry)}); })`,
    { eval: true },
  );
  worker.unref();
  return {
    post: (message) => worker.postMessage(message),
    listen(heard, broken) {
      worker.on('message', (message: FromWorker) => heard(message));
      worker.on('error', (error: unknown) => broken(error instanceof Error ? error : new Error(String(error))));
    },
    terminate: () => void worker.terminate(),
    // An idle thread must not keep a finished program alive.
    busy: (working) => (working ? worker.ref() : worker.unref()),
  };
}

/** Threads for tasks and for the forks they wait for. */
export const threadPool = (
  parallel = availableParallelism(),
  options: Pick<PoolOptions, 'patience' | 'idle'> = {},
): TaskPool => new TaskPool(thread, { size: parallel + 1, parallel, ...options });
