/** For tests: the engine without workers. Tasks run where they are called and are stopped between two breaths. */
import { breathingContext, Cancelled } from '@nagare/core/task-context';
import type { Running } from '@nagare/core/tasks/pool';
import { loadTask, type TaskInput, type TaskName, type TaskOutput } from '@nagare/core/tasks/registry';

export { Cancelled, type Running };

/** Names of the tasks that were run, in order. */
export const asked: TaskName[] = [];

export function run<N extends TaskName>(
  task: N,
  input: TaskInput<N>,
  onProgress?: (report: never) => void,
): Running<TaskOutput<N>> {
  asked.push(task);
  const signal = { aborted: false };
  const hear = (onProgress as ((report: unknown) => void) | undefined) ?? (() => undefined);
  const context = breathingContext<unknown>(signal, hear, {}, 5);
  return {
    // Not before the caller has its handle, as with a worker.
    result: loadTask(task).then((t) => t.run(input, context)) as Promise<TaskOutput<N>>,
    cancel: () => (signal.aborted = true),
  };
}
