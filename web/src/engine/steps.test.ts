import { describe, expect, it } from 'vitest';
import { Cancelled } from '@nagare/core/task-context';
import type { Running } from '@nagare/core/tasks/pool';
import { inSteps, unlessStopped } from './steps.ts';

/** Work that ends when told, or is stopped. */
function piece<T>(): Running<T> & { end(value: T): void; stopped: boolean } {
  let end!: (value: T) => void, fail!: (e: Error) => void;
  const result = new Promise<T>((resolve, reject) => ((end = resolve), (fail = reject)));
  const it = { result, end, stopped: false, cancel: () => ((it.stopped = true), fail(new Cancelled())) };
  return it;
}

describe('work of several steps', () => {
  it('hands on what each step found', async () => {
    const a = piece<number>(),
      b = piece<number>();
    const running = inSteps(async (step) => (await step(a)) + (await step(b)));
    a.end(2);
    b.end(40);
    expect(await running.result).toBe(42);
  });

  it('is stopped in the step that runs, and the next is not waited for', async () => {
    const a = piece<number>(),
      b = piece<number>();
    const kept: number[] = [];
    const running = inSteps(async (step) => {
      kept.push(await step(a));
      kept.push(await step(b));
    });
    a.end(1);
    await a.result;
    await Promise.resolve();
    running.cancel();
    await expect(running.result).rejects.toThrow(Cancelled);
    expect([a.stopped, b.stopped]).toEqual([false, true]);
    expect(kept).toEqual([1]);
  });

  it('told to stop while something is stored, stores it and stops at the next step', async () => {
    const next = piece<number>();
    let stored!: () => void;
    const storing = new Promise<void>((resolve) => (stored = resolve));
    const running = inSteps(async (step) => {
      await storing;
      return { kept: true, then: await unlessStopped(step(next)) };
    });
    running.cancel();
    stored();
    expect(await running.result).toEqual({ kept: true, then: undefined });
    expect(next.stopped).toBe(true);
  });

  it('does not take a failure for a stop', async () => {
    const failing = { result: Promise.reject(new Error('no memory')), cancel: () => undefined };
    await expect(unlessStopped(inSteps((step) => step(failing)).result)).rejects.toThrow('no memory');
  });
});
