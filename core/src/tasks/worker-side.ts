/** The inside of a worker: runs tasks one at a time, holds the data it was handed, and passes forks back to its pool. */
import { breathingContext, Cancelled, type TaskContext } from '../task-context.ts';
import { namedError, Residents, type FromWorker, type ToWorker } from './messages.ts';
import { checkedInput, runChecked, runTask } from './registry.ts';
import { decodeWire, encodeWire } from './wire.ts';

interface WaitingFork {
  resolve(value: unknown): void;
  reject(e: Error): void;
  readonly onProgress: ((report: unknown) => void) | undefined;
}

/** A value from its text. Throws SyntaxError in a sentence where it is not JSON. */
function decodedText(bytes: Uint8Array): unknown {
  try {
    return decodeWire(new TextDecoder().decode(bytes));
  } catch {
    throw new SyntaxError('The request is not JSON.');
  }
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

  /** The answer to a task whose input is text, as text: reading and writing of large data are done beside whoever asks. */
  const answerText = async (
    { id, task, bytes }: Extract<ToWorker, { kind: 'run text' }>,
    context: TaskContext,
  ): Promise<string> => {
    const input = await checkedInput(task, decodedText(bytes));
    post({ kind: 'accepted', id });
    return encodeWire(await runChecked(task, input, context));
  };

  const start = (message: Extract<ToWorker, { kind: 'run' | 'run text' }>): void => {
    const { id, task, parallel } = message;
    const signal = { aborted: false };
    signals.set(id, signal);
    const told = (report: unknown): unknown => (message.kind === 'run' ? report : encodeWire(report));
    const tell = (report: unknown): void => post({ kind: 'progress', id, report: told(report) });
    const context = breathingContext(signal, tell, { fork, parallel });
    const answer = async (): Promise<unknown> =>
      message.kind === 'run' ? runTask(task, completed(message), context) : answerText(message, context);
    answer()
      .then((result) => post({ kind: 'done', id, result }))
      .catch((e: Error) =>
        post({ kind: 'failed', id, name: e instanceof Cancelled ? 'Cancelled' : e.name, message: e.message }),
      )
      .finally(() => signals.delete(id));
  };

  return (message) => {
    switch (message.kind) {
      case 'run':
      case 'run text':
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
