/** Several pieces of work told as one: what shows and stops one piece shows and stops all of them. */
import { Cancelled } from '@nagare/core/task-context';
import type { Running } from '@nagare/core/tasks/pool';

export type Step = <T>(running: Running<T>) => Promise<T>;

/**
 * Runs work of several steps. A stop reaches the step that runs; told between two steps it keeps the next from starting.
 * What the work does besides its steps (storing what one of them found) is not cut short.
 * @returns the work's result; rejects with Cancelled when it was stopped.
 */
export function inSteps<T>(work: (step: Step) => Promise<T>): Running<T> {
  let stopped = false;
  let current: Running<unknown> | undefined;
  const step: Step = async (running) => {
    current = running;
    if (stopped) running.cancel();
    try {
      return await running.result;
    } finally {
      current = undefined;
    }
  };
  return {
    result: work(step),
    cancel: () => {
      stopped = true;
      current?.cancel();
    },
  };
}

/** What a step found, or undefined where it was stopped: for work whose earlier steps stand on their own. */
export async function unlessStopped<T>(result: Promise<T>): Promise<T | undefined> {
  try {
    return await result;
  } catch (e) {
    if (e instanceof Cancelled) return undefined;
    throw e;
  }
}
