/** Serves the application and runs the same tasks as background jobs. */
import express, { type Express, type NextFunction, type Request, type Response } from 'express';
import helmet from 'helmet';
import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { abilitiesOf } from '@nagare/core/tasks/pool';
import { TASKS, type TaskName } from '@nagare/core/tasks/registry';
import { Cancelled } from '@nagare/core/task-context';
import { decodeWire, encodeWire } from '@nagare/core/tasks/wire';
import { addShelf } from './shelf.ts';
import { threadPool } from './worker-pool.ts';
import { issuePhrase } from '@nagare/core/formats/issue-words';

interface Job {
  state: 'running' | 'done' | 'failed' | 'cancelled';
  reports: unknown[];
  /** Reports dropped from the front. */
  dropped: number;
  result?: unknown;
  message?: string;
  cancel(): void;
  touched: number;
}

/** Jobs kept at once; a finished one is forgotten an hour after it was last asked for. */
const MOST_JOBS = 40;
const KEEP_MS = 3_600_000;

export function createApp(dist: string, pool = threadPool()): Express {
  const app = express();
  const jobs = new Map<string, Job>();
  app.disable('x-powered-by');
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          defaultSrc: ["'self'"],
          scriptSrc: ["'self'"],
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:', 'blob:'],
          fontSrc: ["'self'", 'data:'],
          workerSrc: ["'self'", 'blob:'],
          connectSrc: ["'self'"],
          objectSrc: ["'none'"],
          frameAncestors: ["'none'"],
          upgradeInsecureRequests: null,
        },
      },
      // The server speaks plain HTTP on the local machine only.
      strictTransportSecurity: false,
      crossOriginEmbedderPolicy: false,
    }),
  );
  const say = (res: Response, status: number, body: unknown): void =>
    void res.status(status).type('application/json').send(encodeWire(body));

  app.post('/api/tasks/:name', express.text({ type: 'application/json', limit: '256mb' }), (req, res) => {
    const name = req.params['name'] as string;
    if (!(name in TASKS)) return say(res, 404, { message: `There is no task called "${name}".` });
    if (!abilitiesOf(name).server)
      return say(res, 403, { message: `"${name}" is quick and runs in the page; the server does not take it.` });
    let input: unknown;
    try {
      input = decodeWire(String(req.body));
    } catch {
      return say(res, 400, { message: 'The request is not JSON.' });
    }
    const checked = TASKS[name as TaskName].input.safeParse(input);
    if (!checked.success)
      return say(res, 400, {
        message: `The input of "${name}" is not right: ${issuePhrase(checked.error)}.`,
      });
    for (const [id, job] of jobs) if (job.state !== 'running' && Date.now() - job.touched > KEEP_MS) jobs.delete(id);
    if (jobs.size >= MOST_JOBS)
      return say(res, 503, { message: 'The server is busy with other jobs. Try again later or run it here.' });
    const id = randomUUID();
    const job: Job = { state: 'running', reports: [], dropped: 0, cancel: () => undefined, touched: Date.now() };
    jobs.set(id, job);
    const onProgress = (report: unknown): void => {
      job.reports.push(report);
      if (job.reports.length > 2000) {
        job.reports.splice(0, 1000);
        job.dropped += 1000;
      }
    };
    const running = pool.run(name, input, onProgress);
    job.cancel = running.cancel;
    running.result.then(
      (value) => Object.assign(job, { state: 'done', result: value }),
      (e: Error) => Object.assign(job, { state: e instanceof Cancelled ? 'cancelled' : 'failed', message: e.message }),
    );
    say(res, 202, { id });
  });

  app.get('/api/jobs/:id', (req, res) => {
    const job = jobs.get(req.params['id'] as string);
    if (!job) return say(res, 404, { message: 'The server no longer knows this job. Start it again.' });
    job.touched = Date.now();
    const since = Math.max(job.dropped, Number(req.query['since']) || 0);
    const { cancel: _cancel, touched: _touched, dropped, reports, ...rest } = job;
    say(res, 200, { ...rest, reports: reports.slice(since - dropped), next: dropped + reports.length });
  });

  app.delete('/api/jobs/:id', (req, res) => {
    jobs.get(req.params['id'] as string)?.cancel();
    say(res, 200, {});
  });

  addShelf(app);
  app.use('/api', (_req, res) => say(res, 404, { message: 'There is nothing at this address.' }));
  app.use('/assets', express.static(join(dist, 'assets'), { immutable: true, maxAge: '1y', fallthrough: false }));
  app.use(express.static(dist, { maxAge: 0 }));
  app.get(/^\/(?!api|assets).*/, (_req, res, next) => {
    const index = join(dist, 'index.html');
    if (existsSync(index)) res.sendFile(index);
    else next();
  });
  app.use((error: Error & { status?: number }, _req: Request, res: Response, _next: NextFunction) =>
    say(res, error.status ?? 500, {
      message:
        error.status === 413
          ? 'The data are larger than the server takes (256 MB). Run it here.'
          : 'The server could not do this.',
    }),
  );
  return app;
}
