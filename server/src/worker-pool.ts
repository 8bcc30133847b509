/** Worker threads for tasks in Node: a few threads kept alive, one task each at a time. */
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { Cancelled, type TaskContext } from '@nagare/core/task-context';

interface Job {
  id: number;
  task: string;
  input: unknown;
  onProgress: ((report: unknown) => void) | undefined;
  resolve(value: unknown): void;
  reject(error: Error): void;
  cancelled: boolean;
}

export class WorkerPool {
  private readonly idle: Worker[] = [];
  private readonly busy = new Map<Worker, Job>();
  private readonly queue: Job[] = [];
  private next = 1;

  constructor(readonly size = availableParallelism()) {}

  /** Starts a task; the answer comes when a thread is free and done. */
  run<T>(task: string, input: unknown, onProgress?: (report: unknown) => void): { result: Promise<T>; cancel(): void } {
    let job: Job;
    const result = new Promise<T>((resolve, reject) => {
      job = {
        id: this.next++,
        task,
        input,
        onProgress,
        resolve: resolve as (v: unknown) => void,
        reject,
        cancelled: false,
      };
      this.queue.push(job);
    });
    this.pump();
    return {
      result,
      cancel: () => {
        job.cancelled = true;
        const waiting = this.queue.indexOf(job);
        if (waiting >= 0) {
          this.queue.splice(waiting, 1);
          job.reject(new Cancelled());
          return;
        }
        for (const [worker, running] of this.busy)
          if (running === job) worker.postMessage({ kind: 'cancel', id: job.id });
      },
    };
  }

  private pump(): void {
    while (this.queue.length && this.busy.size < this.size) {
      const worker = this.idle.pop() ?? this.create();
      const job = this.queue.shift()!;
      this.busy.set(worker, job);
      worker.ref();
      worker.postMessage({ kind: 'run', id: job.id, task: job.task, input: job.input });
    }
  }

  private create(): Worker {
    // A thread does not inherit the TypeScript loader of the main thread, so it registers its own.
    const entry = new URL('./worker-entry.ts', import.meta.url).href;
    const worker = new Worker(
      `import('tsx/esm/api').then(({ register }) => { register(); return import(${JSON.stringify(entry)}); })`,
      { eval: true },
    );
    worker.on(
      'message',
      (message: { kind: string; id: number; report?: unknown; result?: unknown; name?: string; message?: string }) => {
        const job = this.busy.get(worker);
        if (!job || job.id !== message.id) return;
        if (message.kind === 'progress') {
          job.onProgress?.(message.report);
          return;
        }
        this.release(worker);
        if (message.kind === 'done') job.resolve(message.result);
        else if (message.name === 'Cancelled') job.reject(new Cancelled());
        else job.reject(Object.assign(new Error(message.message), { name: message.name ?? 'Error' }));
        this.pump();
      },
    );
    worker.on('error', (error: unknown) => {
      const job = this.busy.get(worker);
      this.busy.delete(worker);
      job?.reject(error instanceof Error ? error : new Error(String(error)));
      this.pump();
    });
    return worker;
  }

  private release(worker: Worker): void {
    this.busy.delete(worker);
    // An idle thread must not keep a finished program alive.
    worker.unref();
    this.idle.push(worker);
  }

  /** A fork function for task contexts. */
  readonly fork: NonNullable<TaskContext['fork']> = (task, input, onProgress) => this.run(task, input, onProgress);

  async close(): Promise<void> {
    for (const worker of [...this.idle, ...this.busy.keys()]) await worker.terminate();
  }
}
