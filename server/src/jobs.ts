/** Background jobs of the server: how many at once, what they report, and how long their answers are kept. */
import { randomUUID } from 'node:crypto';
import { Cancelled } from '@nagare/core/task-context';
import type { TaskPool } from '@nagare/core/tasks/pool';

/** What runs tasks whose input and answer are text. */
export type TaskRunner = Pick<TaskPool, 'runText'>;

export type JobState = 'running' | 'done' | 'failed' | 'cancelled';

interface Job {
  state: JobState;
  /** Texts of reports, in our JSON. */
  reports: string[];
  /** Reports dropped from the front. */
  dropped: number;
  /** Text of the answer, in our JSON. */
  result?: string;
  message?: string;
  cancel(): void;
  /** ms: when it may be forgotten, once it has ended. */
  forget?: number;
}

/** Jobs that run or wait at once. Ended ones do not count. */
const MOST_RUNNING = 40;
/** Answers kept that nobody has fetched yet. */
const MOST_ENDED = 12;
/** ms an answer is kept: until somebody comes for it, and a little longer when somebody did (the line may have broken). */
const KEEP = 600_000,
  KEEP_FETCHED = 20_000;
const MOST_REPORTS = 2000;
/** ms until a job whose input is still being read is said to have begun. */
const SOON = 4000;

/** A job was not begun: why, for the person, and as a status of HTTP. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

export class Jobs {
  private readonly jobs = new Map<string, Job>();

  constructor(private readonly pool: TaskRunner) {
    setInterval(() => this.sweep(), 5000).unref();
  }

  /** Begins a job; its identifier, when the input was read and is what the task takes. Throws Refused. */
  begin(task: string, bytes: Uint8Array): Promise<string> {
    this.sweep();
    const running = [...this.jobs.values()].filter((j) => j.state === 'running').length;
    if (running >= MOST_RUNNING)
      throw new Refused(503, 'The server is busy with other jobs. Try again later or run it here.');
    const id = randomUUID();
    const job: Job = { state: 'running', reports: [], dropped: 0, cancel: () => undefined };
    this.jobs.set(id, job);
    return new Promise((resolve, reject) => {
      let begun = false;
      const begins = (): void => {
        begun = true;
        resolve(id);
      };
      const started = this.pool.runText(task, bytes, begins, (report) => this.report(job, report as string));
      // Where all workers are busy the input is read later; what is wrong with it is told as the job's end then.
      setTimeout(begins, SOON).unref();
      job.cancel = started.cancel;
      started.result.then(
        (result) => this.end(job, { state: 'done', result }),
        (e: Error) => {
          if (!begun && e.name === 'SyntaxError') {
            this.jobs.delete(id);
            reject(new Refused(400, e.message));
          } else this.end(job, { state: e instanceof Cancelled ? 'cancelled' : 'failed', message: e.message });
          begins();
        },
      );
    });
  }

  private report(job: Job, text: string): void {
    job.reports.push(text);
    if (job.reports.length <= MOST_REPORTS) return;
    job.reports.splice(0, MOST_REPORTS / 2);
    job.dropped += MOST_REPORTS / 2;
  }

  private end(job: Job, how: Pick<Job, 'state' | 'result' | 'message'>): void {
    Object.assign(job, how);
    job.forget = Date.now() + KEEP;
    const ended = [...this.jobs].filter(([, j]) => j.state !== 'running');
    for (const [id] of ended.slice(0, Math.max(0, ended.length - MOST_ENDED))) this.jobs.delete(id);
  }

  /** The state of a job as text in our JSON, with the reports from number `since` on; undefined where it is not known. */
  stateText(id: string, since: number): string | undefined {
    const job = this.jobs.get(id);
    if (!job) return undefined;
    const from = Math.max(job.dropped, since);
    const parts = [
      `"state":${JSON.stringify(job.state)}`,
      `"next":${job.dropped + job.reports.length}`,
      `"reports":[${job.reports.slice(from - job.dropped).join()}]`,
    ];
    if (job.message !== undefined) parts.push(`"message":${JSON.stringify(job.message)}`);
    if (job.result !== undefined) parts.push(`"result":${job.result}`);
    if (job.state !== 'running') job.forget = Math.min(job.forget ?? Infinity, Date.now() + KEEP_FETCHED);
    return `{${parts.join()}}`;
  }

  /** Stops a job, or forgets one that has ended. */
  remove(id: string): void {
    const job = this.jobs.get(id);
    if (job?.state === 'running') job.cancel();
    else this.jobs.delete(id);
  }

  private sweep(): void {
    const now = Date.now();
    for (const [id, job] of this.jobs) if (job.forget !== undefined && job.forget < now) this.jobs.delete(id);
  }
}
