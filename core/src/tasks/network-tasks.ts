/** What goes over the network and comes from it, written and looked at beside the page. */
import { z } from 'zod';
import { encodeWire } from './wire.ts';
import { checkedAnswer } from './registry.ts';
import { task } from './task.ts';

/** An answer that came over the network, looked at beside the page: given back as it is, or refused with its place. */
export const answerTask = task<{ task: string; answer: unknown }, unknown, never>({
  input: z.strictObject({ task: z.string(), answer: z.unknown() }),
  output: z.unknown(),
  run: async (i) => checkedAnswer(i.task, i.answer),
});

/** The text of what goes over the network, written beside the page. */
export const wireTask = task<{ value: unknown }, string, never>({
  input: z.strictObject({ value: z.unknown() }),
  output: z.string(),
  run: async ({ value }) => encodeWire(value),
});
