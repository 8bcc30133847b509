import { Worker } from 'node:worker_threads';
import { afterEach, describe, expect, it } from 'vitest';
import { testCrystal } from '../../demo/src/test-crystals.ts';
import type { FromWorker, ToWorker } from '@nagare/core/tasks/messages';
import { TaskPool, type WorkerHost } from '@nagare/core/tasks/pool';
import { TASKS } from '@nagare/core/tasks/registry';
import { threadPool } from './worker-pool.ts';

const pools: TaskPool[] = [];
const keep = <T extends TaskPool>(pool: T): T => {
  pools.push(pool);
  return pool;
};
afterEach(() => {
  for (const p of pools.splice(0)) p.close();
});

/** A thread that takes an order and never breathes again. */
function blockedThread(): WorkerHost {
  const worker = new Worker(
    `const { parentPort } = require('node:worker_threads');
     parentPort.on('message', (m) => { parentPort.postMessage({ kind: 'progress', id: m.id, report: 'in the middle' }); for (;;); });`,
    { eval: true },
  );
  return {
    post: (message) => worker.postMessage(message),
    listen: (heard) => void worker.on('message', (m: FromWorker) => heard(m)),
    terminate: () => void worker.terminate(),
  };
}

/** A host in this thread that tells what it was sent and answers when asked. */
function toldHost(): WorkerHost & { sent: ToWorker[]; say(m: FromWorker): void; ended: boolean } {
  let heard: (m: FromWorker) => void = () => undefined;
  const host = {
    sent: [] as ToWorker[],
    ended: false,
    say: (m: FromWorker) => heard(m),
    post: (m: ToWorker) => void host.sent.push(m),
    listen: (h: (m: FromWorker) => void) => void (heard = h),
    terminate: () => void (host.ended = true),
  };
  return host;
}

describe('a task that is told to stop', () => {
  it.each(Object.keys(TASKS))('%s stops in its middle though it never breathes', async (name) => {
    const pool = keep(new TaskPool(blockedThread, { size: 1, parallel: 1, patience: 20 }));
    let running: ReturnType<typeof pool.run>;
    const inTheMiddle = new Promise<void>((resolve) => {
      running = pool.run(name, {}, () => resolve());
    });
    await inTheMiddle;
    running!.cancel();
    await expect(running!.result).rejects.toMatchObject({ name: 'Cancelled' });
  });

  it('stops in a real thread, and the pool goes on', async () => {
    const pool = keep(threadPool(1, { patience: 50 }));
    const { structure, raw, wavelength } = testCrystal('CC(O)c1ccccc1Cl', 'P 1 21/c 1', 4);
    const solving = pool.run('solve', { raw, cell: structure.cell, wavelength, seed: 1, seeds: 50, seconds: 100 }, () =>
      solving.cancel(),
    );
    await expect(solving.result).rejects.toMatchObject({ name: 'Cancelled' });
    const found = await pool.run<{ sentence: string }[]>('recognise', { text: '1 0 0 5 1\n2 0 0 6 1', fileName: 'a' })
      .result;
    expect(found[0]!.sentence).toContain('2 reflections');
  });

  it('is taken out of the queue when it has not begun', async () => {
    const host = toldHost();
    const pool = keep(new TaskPool(() => host, { size: 1, parallel: 1 }));
    const first = pool.run('recognise', {});
    const second = pool.run('recognise', {});
    second.cancel();
    await expect(second.result).rejects.toMatchObject({ name: 'Cancelled' });
    expect(host.sent).toHaveLength(1);
    host.say({ kind: 'done', id: 1, result: 'answer' });
    await expect(first.result).resolves.toBe('answer');
  });
});

describe('large data', () => {
  const raw = { count: 1 };
  const order = (m: ToWorker): Extract<ToWorker, { kind: 'run' }> => m as never;

  it('are handed over once and named afterwards', async () => {
    const host = toldHost();
    const pool = keep(new TaskPool(() => host, { size: 1, parallel: 1 }));
    for (let i = 1; i <= 3; i++) {
      const running = pool.run('merge', { raw, cell: i });
      host.say({ kind: 'done', id: i, result: i });
      await running.result;
    }
    expect(host.sent.map((m) => order(m).given.length)).toEqual([1, 0, 0]);
    expect(host.sent.map((m) => order(m).references)).toEqual([1, 2, 3].map(() => [['raw', 1]]));
    expect(host.sent.map((m) => order(m).input)).toEqual([{ cell: 1 }, { cell: 2 }, { cell: 3 }]);
  });

  it('go to the worker that holds them, and come back when they were let go', async () => {
    const hosts: ReturnType<typeof toldHost>[] = [];
    const pool = keep(
      new TaskPool(
        () => {
          hosts.push(toldHost());
          return hosts.at(-1)!;
        },
        { size: 2, parallel: 2 },
      ),
    );
    const other = { count: 2 };
    const one = pool.run('merge', { raw });
    const two = pool.run('merge', { raw: other });
    hosts[0]!.say({ kind: 'done', id: 1, result: 0 });
    hosts[1]!.say({ kind: 'done', id: 2, result: 0 });
    await Promise.all([one.result, two.result]);
    void pool.run('merge', { raw: other }).result.catch(() => undefined);
    expect(order(hosts[1]!.sent[1]!).given).toEqual([]);
    hosts[1]!.say({ kind: 'done', id: 3, result: 0 });
  });

  it('come again when a worker has let them go', async () => {
    const host = toldHost();
    const pool = keep(new TaskPool(() => host, { size: 1, parallel: 1 }));
    const sets = [raw, ...Array.from({ length: 9 }, (_, i) => ({ count: 10 + i })), raw];
    for (const [i, data] of sets.entries()) {
      const running = pool.run('merge', { raw: data });
      host.say({ kind: 'done', id: i + 1, result: 0 });
      await running.result;
    }
    expect(host.sent.map((m) => order(m).given.length)).toEqual(sets.map(() => 1));
  });

  it('give the same answer from a real thread that holds them', async () => {
    const pool = keep(threadPool(1));
    const { structure, raw: data } = testCrystal('CO', 'P -1', 3);
    const input = { raw: data, cell: structure.cell, group: structure.spaceGroup };
    const first = await pool.run('merge', input).result;
    expect(await pool.run('merge', input).result).toEqual(first);
  });
});

describe('a worker that breaks', () => {
  it('fails its task, stops its forks, and is replaced', async () => {
    const hosts: (ReturnType<typeof toldHost> & { broken?: (e: Error) => void })[] = [];
    const pool = keep(
      new TaskPool(
        () => {
          const host: (typeof hosts)[number] = toldHost();
          const { listen } = host;
          host.listen = (heard, broken) => {
            host.broken = broken;
            listen(heard, broken);
          };
          hosts.push(host);
          return host;
        },
        { size: 3, parallel: 2 },
      ),
    );
    const running = pool.run('solve', {});
    hosts[0]!.say({ kind: 'fork', fork: 1, task: 'phase', input: {} });
    expect(order0(hosts[1]!.sent[0]!).task).toBe('phase');
    hosts[0]!.broken!(new Error('out of memory'));
    await expect(running.result).rejects.toThrow('out of memory');
    expect(hosts[1]!.sent.at(-1)).toMatchObject({ kind: 'cancel' });
    void pool.run('recognise', {}).result.catch(() => undefined);
    expect(hosts).toHaveLength(3);
  });
  const order0 = (m: ToWorker): Extract<ToWorker, { kind: 'run' }> => m as never;
});
