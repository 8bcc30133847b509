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

/** ms without an answer after which a server is taken for frozen; sending large data takes longer. */
const PATIENCE = 15_000,
  PATIENCE_SENDING = 120_000;
const GONE = 'The server cannot be reached. Choose "run here" or start it with npm start.';

async function ask(url: string, init: RequestInit = {}, patience = PATIENCE): Promise<unknown> {
  let response: Response, text: string;
  try {
    response = await fetch(url, { ...init, signal: AbortSignal.timeout(patience) });
    text = await response.text();
  } catch (e) {
    throw new Error((e as Error).name === 'TimeoutError' ? 'The server does not answer. Choose "run here".' : GONE);
  }
  let body: { message?: string };
  try {
    body = decodeWire(text) as { message?: string };
  } catch {
    // Something else answers at this address.
    throw new Error(GONE);
  }
  if (!response.ok) throw new Error(body.message ?? `The server answered ${response.status}.`);
  return body;
}

/** Tells the server that a job is no longer wanted; whether it hears is its own affair. */
const release = (id: string): void => void ask(`/api/jobs/${id}`, { method: 'DELETE' }).catch(() => undefined);

/** Follows a job until it ends. Throws Error where the server is lost, or with what failed. */
function followed(id: string, onProgress: ((report: unknown) => void) | undefined): Running<unknown> {
  let since = 0;
  let stop = (): void => undefined;
  const result = new Promise<unknown>((resolve, reject) => {
    const observer = new QueryObserver<JobState>(queryClient, {
      queryKey: ['job', id],
      queryFn: async () => (await ask(`/api/jobs/${id}?since=${since}`)) as JobState,
      refetchInterval: 400,
      gcTime: 0,
      staleTime: 0,
    });
    const unsubscribe = observer.subscribe(({ data, error }) => {
      if (error) {
        unsubscribe();
        reject(error);
      }
      if (!data || data.next < since) return;
      for (const report of data.reports.slice(Math.max(0, since - (data.next - data.reports.length))))
        onProgress?.(report);
      since = data.next;
      if (data.state === 'running') return;
      unsubscribe();
      release(id);
      if (data.state === 'done') resolve(data.result);
      else reject(data.state === 'cancelled' ? new Cancelled() : new Error(data.message));
    });
    stop = () => {
      unsubscribe();
      release(id);
      reject(new Cancelled());
    };
  });
  return { result, cancel: () => stop() };
}

/** Runs a task on the server, its input written by `encode`. A stop is obeyed at once, whether the server answers or not. */
export function runOnServer(
  task: string,
  input: unknown,
  onProgress?: (report: unknown) => void,
  encode: (input: unknown) => Promise<string> = async (x) => encodeWire(x),
): Running<unknown> {
  let following: Running<unknown> | undefined;
  let stopped = false;
  let stop!: (e: Error) => void;
  const stopping = new Promise<never>((_, reject) => (stop = reject));
  stopping.catch(() => undefined);
  const work = async (): Promise<unknown> => {
    const init = { method: 'POST', headers: { 'content-type': 'application/json' }, body: await encode(input) };
    if (stopped) throw new Cancelled();
    const { id } = (await ask(`/api/tasks/${task}`, init, PATIENCE_SENDING)) as { id: string };
    following = followed(id, onProgress);
    if (stopped) following.cancel();
    return following.result;
  };
  return {
    result: Promise.race([work(), stopping]),
    cancel() {
      stopped = true;
      following?.cancel();
      stop(new Cancelled());
    },
  };
}
