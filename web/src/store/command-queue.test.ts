import { describe, expect, it } from 'vitest';
import { CommandQueue } from './command-queue.ts';

const after = <T>(ms: number, value: T): Promise<T> => new Promise((resolve) => setTimeout(resolve, ms, value));

describe('commands in a queue', () => {
  it('run one after another, whatever each takes', async () => {
    const queue = new CommandQueue();
    const log: string[] = [];
    const command = (name: string, ms: number) => async () => {
      log.push(`${name} begins`);
      await after(ms, undefined);
      log.push(`${name} ends`);
    };
    void queue.add(command('slow', 12));
    void queue.add(command('quick', 0));
    await queue.idle();
    expect(log).toEqual(['slow begins', 'slow ends', 'quick begins', 'quick ends']);
  });

  it('give each its own answer, and one that fails does not stop the others', async () => {
    const queue = new CommandQueue();
    const first = queue.add(() => 1);
    const bad = queue.add(() => {
      throw new Error('no');
    });
    const worse = queue.add(() => Promise.reject(new Error('later')));
    const last = queue.add(() => after(1, 4));
    await expect(bad).rejects.toThrow('no');
    await expect(worse).rejects.toThrow('later');
    expect([await first, await last]).toEqual([1, 4]);
  });

  it('are idle when what was added so far is done', async () => {
    const queue = new CommandQueue();
    let done = 0;
    for (let i = 0; i < 5; i++) void queue.add(async () => void (done += await after(1, 1)));
    await queue.idle();
    expect(done).toBe(5);
    await queue.idle();
  });
});
