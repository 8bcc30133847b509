/** Runs core tasks in page workers, or on the server when the person chose so. Nothing heavy runs on the main thread. */
import { Cancelled } from '@nagare/core/task-context';
import type { FromWorker } from '@nagare/core/tasks/messages';
import { TaskPool, type Running, type WorkerHost } from '@nagare/core/tasks/pool';
import type { TaskInput, TaskName, TaskOutput } from '@nagare/core/tasks/registry';
import { runOnServer } from './server.ts';

export { Cancelled, type Running };

export type Place = 'page' | 'server';

/** Reports of a task as it tells them. */
function pageWorker(): WorkerHost {
  const worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' });
  return {
    post: (message) => worker.postMessage(message),
    listen(heard, broken) {
      worker.addEventListener('message', ({ data }: MessageEvent<FromWorker>) => heard(data));
      worker.addEventListener('error', (e) =>
        broken(new Error(e.message || 'A worker stopped unexpectedly. Try again.')),
      );
    },
    terminate: () => worker.terminate(),
  };
}

let pool: TaskPool | undefined;

/** The workers of this page, made when the first task is run. */
function pagePool(): TaskPool {
  const cores = Math.max(2, Math.min(8, navigator.hardwareConcurrency || 2));
  // More workers than cores, so that tasks that wait for their forks do not starve them.
  pool ??= new TaskPool(pageWorker, { size: cores + 2, parallel: cores });
  return pool;
}

/** Runs a task by name with typed input and output. */
export function run<N extends TaskName>(
  task: N,
  input: TaskInput<N>,
  onProgress?: (report: never) => void,
  place: Place = 'page',
): Running<TaskOutput<N>> {
  const hear = onProgress as ((report: unknown) => void) | undefined;
  if (place === 'page') return pagePool().run<TaskOutput<N>>(task, input, hear);
  const job = runOnServer(task, input, hear, (value) => pagePool().run<string>('wire', { value }).result);
  const checked = async (): Promise<TaskOutput<N>> =>
    pagePool().run<TaskOutput<N>>('answer', { task, answer: await job.result }).result;
  return { result: checked(), cancel: job.cancel };
}
