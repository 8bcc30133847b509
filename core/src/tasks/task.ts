/** What a task is. */
import { z } from 'zod';
import type { TaskContext } from '../task-context.ts';

export interface Task<I, O, P> {
  /** Strict: a field that is not known is refused, not dropped. */
  readonly input: z.ZodType<I>;
  /** What an answer that crossed the network is checked by: `checkedAnswer`. */
  readonly output: z.ZodType<O>;
  run(input: I, context: TaskContext<P>): Promise<O>;
}

export const task = <I, O, P>(t: Task<I, O, P>): Task<I, O, P> => t;
/** An object known by the keys it must have; its parts were made by our own code. */
export const shaped = <T>(keys: readonly (keyof T & string)[]): z.ZodType<T> =>
  z.custom<T>(
    (value) => typeof value === 'object' && value !== null && keys.every((k) => k in value),
    `is not an object with ${keys.join(', ')}`,
  );
