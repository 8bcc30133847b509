/** The inside of a Node worker thread: runs one task after another and reports back. */
import { parentPort } from 'node:worker_threads';
import { breathingContext, Cancelled } from '@nagare/core/task-context';
import { runTask } from '@nagare/core/tasks/registry';

type Request = { kind: 'run'; id: number; task: string; input: unknown } | { kind: 'cancel'; id: number };

const signals = new Map<number, { aborted: boolean }>();

parentPort!.on('message', (message: Request) => {
  if (message.kind === 'cancel') {
    const signal = signals.get(message.id);
    if (signal) signal.aborted = true;
    return;
  }
  const { id, task, input } = message;
  const signal = { aborted: false };
  signals.set(id, signal);
  const context = breathingContext(signal, (report) => parentPort!.postMessage({ kind: 'progress', id, report }));
  runTask(task, input, context)
    .then((result) => parentPort!.postMessage({ kind: 'done', id, result }))
    .catch((error: Error) =>
      parentPort!.postMessage({
        kind: 'failed',
        id,
        name: error instanceof Cancelled ? 'Cancelled' : error.name,
        message: error.message,
      }),
    )
    .finally(() => signals.delete(id));
});
