/** What a task is. */
import { z } from 'zod';
import type { TaskContext } from '../task-context.ts';

export interface Task<I, O, P> {
  readonly name: string;
  readonly input: z.ZodType<I>;
  /** Checked where an answer crosses the network. */
  readonly output: z.ZodType<O>;
  run(input: I, context: TaskContext<P>): Promise<O>;
}

export const task = <I, O, P>(t: Task<I, O, P>): Task<I, O, P> => t;
/** An object known by the keys it must have; its parts were made by our own code. */
export const shaped = <T>(keys: readonly (keyof T & string)[]): z.ZodType<T> =>
  z.looseObject(Object.fromEntries(keys.map((k) => [k, z.unknown()]))) as unknown as z.ZodType<T>;
