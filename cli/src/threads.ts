/** Threads beside the terminal's own, for work that can be shared out. */
import { threadPool } from '@nagare/server/worker-pool';
import type { TaskContext } from '@nagare/core/task-context';

/** Runs `work` with what a context needs to share it out; the threads are let go when it ends, however it ends. */
export async function withThreads<T>(
  work: (threads: Pick<TaskContext<never>, 'fork' | 'parallel'>) => Promise<T>,
): Promise<T> {
  const pool = threadPool();
  try {
    return await work({ fork: pool.fork, parallel: pool.parallel });
  } finally {
    pool.close();
  }
}
