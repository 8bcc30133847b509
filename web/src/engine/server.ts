/** The same tasks as background jobs on the server: start, listen by polling through TanStack Query, cancel. */
import { QueryClient, QueryObserver } from '@tanstack/react-query';
import { Cancelled } from '@nagare/core/task-context';
import { decodeWire, encodeWire } from '@nagare/core/tasks/wire';
import type { Running } from './engine.ts';

export const queryClient = new QueryClient({ defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false } } });

interface JobState {
  state: 'running' | 'done' | 'failed' | 'cancelled';
  /** Reports since the number asked for. */
  reports: unknown[];
  next: number;
  result?: unknown;
  message?: string;
}

async function ask(url: string, init?: RequestInit): Promise<unknown> {
  const response = await fetch(url, init).catch(() => {
    throw new Error('The server cannot be reached. Choose "run here" or start it with npm start.');
  });
  const body = decodeWire(await response.text()) as { message?: string };
  if (!response.ok) throw new Error(body.message ?? `The server answered ${response.status}.`);
  return body;
}

export function runOnServer(task: string, input: unknown, onProgress?: (report: unknown) => void): Running<unknown> {
  let id = '';
  let cancelled = false;
  const result = (async (): Promise<unknown> => {
    ({ id } = (await ask(`/api/tasks/${task}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: encodeWire(input),
    })) as { id: string });
    let since = 0;
    return new Promise<unknown>((resolve, reject) => {
      const observer = new QueryObserver<JobState>(queryClient, {
        queryKey: ['job', id],
        queryFn: async () => (await ask(`/api/jobs/${id}?since=${since}`)) as JobState,
        refetchInterval: 400,
        gcTime: 0,
        staleTime: 0,
      });
      const stop = observer.subscribe(({ data, error }) => {
        if (error) {
          stop();
          reject(error);
        }
        if (!data || data.next < since) return;
        for (const report of data.reports.slice(Math.max(0, since - (data.next - data.reports.length))))
          onProgress?.(report);
        since = data.next;
        if (data.state === 'running') return;
        stop();
        if (data.state === 'done') resolve(data.result);
        else reject(data.state === 'cancelled' || cancelled ? new Cancelled() : new Error(data.message));
      });
    });
  })();
  return {
    result,
    cancel() {
      cancelled = true;
      if (id) void ask(`/api/jobs/${id}`, { method: 'DELETE' }).catch(() => undefined);
    },
  };
}
