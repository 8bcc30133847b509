/** Runs core tasks in page workers, or on the server when the person chose so. Nothing heavy runs on the main thread. */
import { Cancelled } from '@nagare/core/task-context';
import type { TaskInput, TaskName, TaskOutput } from '@nagare/core/tasks/registry';
import { runOnServer } from './server.ts';

export interface Running<T> {
  readonly result: Promise<T>;
  cancel(): void;
}

interface Job {
  id: number;
  task: string;
  input: unknown;
  onProgress: ((report: unknown) => void) | undefined;
  resolve(v: unknown): void;
  reject(e: Error): void;
}

interface Outgoing {
  kind: string;
  id: number;
  fork: number;
  task: string;
  input: unknown;
  report: unknown;
  result: unknown;
  name: string;
  message: string;
}

const cores = Math.max(2, Math.min(8, navigator.hardwareConcurrency || 2));
const idle: Worker[] = [];
const busy = new Map<Worker, Job>();
const queue: Job[] = [];
let nextId = 1;
let alive = 0;

/** One worker more than cores, so that a task that waits for its forks does not starve them. */
const LIMIT = cores + 2;

function createWorker(): Worker {
  alive++;
  const worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' });
  const forks = new Map<number, Running<unknown>>();
  worker.addEventListener('message', ({ data }: MessageEvent<Outgoing>) => {
    if (data.kind === 'fork') {
      const running = start(data.task, data.input, (report) =>
        worker.postMessage({ kind: 'fork-progress', fork: data.fork, report }),
      );
      forks.set(data.fork, running);
      running.result
        .then(
          (result) => worker.postMessage({ kind: 'fork-done', fork: data.fork, result }),
          (e: Error) => worker.postMessage({ kind: 'fork-failed', fork: data.fork, name: e.name, message: e.message }),
        )
        .finally(() => forks.delete(data.fork));
      return;
    }
    if (data.kind === 'fork-cancel') {
      forks.get(data.fork)?.cancel();
      return;
    }
    const job = busy.get(worker);
    if (!job || job.id !== data.id) return;
    if (data.kind === 'progress') {
      job.onProgress?.(data.report);
      return;
    }
    busy.delete(worker);
    idle.push(worker);
    if (data.kind === 'done') job.resolve(data.result);
    else
      job.reject(
        data.name === 'Cancelled' ? new Cancelled() : Object.assign(new Error(data.message), { name: data.name }),
      );
    pump();
  });
  worker.addEventListener('error', (e) => {
    const job = busy.get(worker);
    busy.delete(worker);
    alive--;
    worker.terminate();
    job?.reject(new Error(e.message || 'A worker stopped unexpectedly. Try again.'));
    pump();
  });
  return worker;
}

function pump(): void {
  while (queue.length && (idle.length || alive < LIMIT)) {
    const worker = idle.pop() ?? createWorker();
    const job = queue.shift()!;
    busy.set(worker, job);
    worker.postMessage({ kind: 'run', id: job.id, task: job.task, input: job.input, parallel: cores });
  }
}

function start(task: string, input: unknown, onProgress?: (report: unknown) => void): Running<unknown> {
  let job!: Job;
  const result = new Promise<unknown>((resolve, reject) => {
    job = { id: nextId++, task, input, onProgress, resolve, reject };
    queue.push(job);
  });
  pump();
  return {
    result,
    cancel() {
      const waiting = queue.indexOf(job);
      if (waiting >= 0) {
        queue.splice(waiting, 1);
        job.reject(new Cancelled());
        return;
      }
      for (const [worker, running] of busy) if (running === job) worker.postMessage({ kind: 'cancel', id: job.id });
    },
  };
}

export type Place = 'page' | 'server';

/** Runs a task by name with typed input and output. */
export function run<N extends TaskName>(
  task: N,
  input: TaskInput<N>,
  onProgress?: (report: never) => void,
  place: Place = 'page',
): Running<TaskOutput<N>> {
  const hear = onProgress as ((report: unknown) => void) | undefined;
  return (place === 'server' ? runOnServer(task, input, hear) : start(task, input, hear)) as Running<TaskOutput<N>>;
}

export { Cancelled };
