/** Serves the application and runs the same tasks as background jobs. */
import express, { type Express, type NextFunction, type Request, type Response } from 'express';
import helmet from 'helmet';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { abilitiesOf } from '@nagare/core/tasks/abilities';
import { isTask } from '@nagare/core/tasks/registry';
import { encodeWire } from '@nagare/core/tasks/wire';
import { Jobs, Refused, type TaskRunner } from './jobs.ts';
import { addShelf } from './shelf.ts';
import { threadPool } from './worker-pool.ts';

/** ms after which an idle thread is given up, with the memory it holds. */
const IDLE = 10_000;

/** Names of this machine: a request by another name comes from a page that was led here. */
const OWN_NAMES = new Set(['127.0.0.1', 'localhost', '[::1]']);

const isOwnName = (host: string | undefined): boolean => OWN_NAMES.has((host ?? '').replace(/:\d+$/, '').toLowerCase());

/** Serves what is built in `dist`; tasks are run by `pool`. */
export function createApp(dist: string, pool: TaskRunner = threadPool(undefined, { idle: IDLE })): Express {
  const app = express();
  const jobs = new Jobs(pool);
  app.disable('x-powered-by');
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          defaultSrc: ["'self'"],
          // The kernel of wavefunctions is WebAssembly.
          scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
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
      // Isolated from other origins, a page may share memory between its threads.
      crossOriginEmbedderPolicy: true,
    }),
  );
  const say = (res: Response, status: number, body: unknown): void =>
    void res.status(status).type('application/json').send(encodeWire(body));

  app.use((req, res, next) => {
    if (isOwnName(req.headers.host)) next();
    else say(res, 421, { message: 'This server answers on this machine only, as 127.0.0.1 or localhost.' });
  });

  app.post('/api/tasks/:name', express.raw({ type: 'application/json', limit: '256mb' }), (req, res, next) => {
    const name = req.params['name'] as string;
    if (!isTask(name)) return say(res, 404, { message: `There is no task called "${name.slice(0, 60)}".` });
    if (!abilitiesOf(name).server)
      return say(res, 403, { message: `"${name}" is quick and runs in the page; the server does not take it.` });
    if (!Buffer.isBuffer(req.body)) return say(res, 400, { message: 'The request is not JSON.' });
    // A copy of its own, so that nothing else of the server's memory goes along.
    const begin = async (): Promise<string> => jobs.begin(name, new Uint8Array(req.body as Buffer));
    begin().then(
      (id) => say(res, 202, { id }),
      (e: Error) => (e instanceof Refused ? say(res, e.status, { message: e.message }) : next(e)),
    );
  });

  app.get('/api/jobs/:id', (req, res) => {
    const text = jobs.stateText(req.params['id'], Number(req.query['since']) || 0);
    if (text === undefined) return say(res, 404, { message: 'The server no longer knows this job. Start it again.' });
    res.type('application/json').send(text);
  });

  app.delete('/api/jobs/:id', (req, res) => {
    jobs.remove(req.params['id']);
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
