/**
 * Runs tasks in workers, whatever a worker is where it runs: a page's, a thread of Node. Work waits for a free worker; a
 * task that is told to stop and does not obey in time loses its worker; large data that stay the same are handed over once.
 */
import { Cancelled } from '../task-context.ts';
import { namedError, Residents, type FromWorker, type ToWorker } from './messages.ts';
import { abilitiesOf } from './abilities.ts';

export interface Running<T> {
  readonly result: Promise<T>;
  cancel(): void;
}

/** A worker as the pool sees it. */
export interface WorkerHost {
  post(message: ToWorker): void;
  /** Calls back for every message and for a breakdown. */
  listen(heard: (message: FromWorker) => void, broken: (e: Error) => void): void;
  /** Ends it at once. */
  terminate(): void;
  /** Says whether it works, so that an idle one does not keep a program alive. */
  busy?(working: boolean): void;
}

export interface PoolOptions {
  /** Workers at most. */
  readonly size: number;
  /** How many forks may usefully run at once. */
  readonly parallel: number;
  /** How long a task may take to stop before its worker is taken away, ms. */
  readonly patience?: number;
  /** How long a worker may be idle before it is given up, ms; for ever where absent. */
  readonly idle?: number;
}

interface Job {
  readonly id: number;
  readonly task: string;
  readonly input: unknown;
  /** The input is text that the worker reads; called when it was what the task takes. */
  readonly onAccepted?: (() => void) | undefined;
  readonly onProgress: ((report: unknown) => void) | undefined;
  resolve(value: unknown): void;
  reject(e: Error): void;
}

interface Member {
  readonly host: WorkerHost;
  readonly residents: Residents<true>;
  readonly forks: Map<number, Running<unknown>>;
  job: Job | undefined;
  rest?: ReturnType<typeof setTimeout>;
}

const PATIENCE = 500;

export class TaskPool {
  private readonly members: Member[] = [];
  private readonly queue: Job[] = [];
  private readonly keys = new WeakMap<object, number>();
  private nextJob = 1;
  private nextKey = 1;

  constructor(
    private readonly createHost: () => WorkerHost,
    private readonly options: PoolOptions,
  ) {}

  get parallel(): number {
    return this.options.parallel;
  }

  /** Starts a task; the answer comes when a worker is free and done. Rejects with Cancelled when it was stopped. */
  run<T>(task: string, input: unknown, onProgress?: (report: unknown) => void): Running<T> {
    let job!: Job;
    const result = new Promise<unknown>((resolve, reject) => {
      job = { id: this.nextJob++, task, input, onProgress, resolve, reject };
      this.queue.push(job);
    });
    this.pump();
    return { result: result as Promise<T>, cancel: () => this.cancel(job) };
  }

  /**
   * Starts a task whose input is still text (our JSON as UTF-8) and whose answer is to be text: the worker reads, checks and
   * writes, reports too. `onAccepted` is called when the input was what the task takes.
   */
  runText(
    task: string,
    bytes: Uint8Array,
    onAccepted: () => void,
    onProgress?: (report: unknown) => void,
  ): Running<string> {
    let job!: Job;
    const result = new Promise<unknown>((resolve, reject) => {
      job = { id: this.nextJob++, task, input: bytes, onAccepted, onProgress, resolve, reject };
      this.queue.push(job);
    });
    this.pump();
    return { result: result as Promise<string>, cancel: () => this.cancel(job) };
  }

  /** For contexts of tasks that run outside a worker. */
  readonly fork = <T>(task: string, input: unknown, onProgress?: (report: unknown) => void): Running<T> =>
    this.run<T>(task, input, onProgress);

  /** Ends all workers; what runs is cancelled. */
  close(): void {
    for (const job of this.queue.splice(0)) job.reject(new Cancelled());
    for (const m of [...this.members]) this.remove(m, new Cancelled());
  }

  private pump(): void {
    while (this.queue.length) {
      const free = this.freeMember(this.queue[0]!);
      if (!free) return;
      this.start(free, this.queue.shift()!);
    }
  }

  /** An idle worker, best one that holds the job's data already; a new one while there is room. */
  private freeMember(job: Job): Member | undefined {
    const idle = this.members.filter((m) => !m.job);
    const wanted = this.residentFields(job).flatMap(([, value]) => this.keys.get(value) ?? []);
    const held = (m: Member): number => wanted.filter((k) => m.residents.has(k)).length;
    const best = idle.reduce<Member | undefined>((p, m) => (p && held(p) >= held(m) ? p : m), undefined);
    if (best) return best;
    return this.members.length < this.options.size ? this.create() : undefined;
  }

  private create(): Member {
    const member: Member = {
      host: this.createHost(),
      residents: new Residents<true>(),
      forks: new Map(),
      job: undefined,
    };
    member.host.listen(
      (message) => this.hear(member, message),
      (e) => this.remove(member, e),
    );
    this.members.push(member);
    return member;
  }

  /** Fields of a job's input that a worker may hold. */
  private residentFields(job: Job): [field: string, value: object][] {
    const input = job.input as Record<string, unknown> | null;
    if (!input || typeof input !== 'object' || job.onAccepted) return [];
    return (abilitiesOf(job.task).resident ?? []).flatMap((field) => {
      const value = input[field];
      return value && typeof value === 'object' ? [[field, value] as [string, object]] : [];
    });
  }

  private start(member: Member, job: Job): void {
    member.job = job;
    clearTimeout(member.rest);
    member.host.busy?.(true);
    this.post(member, job.onAccepted ? this.textOrder(job) : this.order(member, job));
  }

  private textOrder({ id, task, input }: Job): ToWorker {
    return { kind: 'run text', id, task, bytes: input as Uint8Array, parallel: this.options.parallel };
  }

  /** The order to run a job, without what the worker holds already. */
  private order(member: Member, job: Job): ToWorker {
    const references: [string, number][] = [];
    const given: [number, unknown][] = [];
    const input = { ...(job.input as Record<string, unknown>) };
    for (const [field, value] of this.residentFields(job)) {
      let key = this.keys.get(value);
      if (key === undefined) this.keys.set(value, (key = this.nextKey++));
      if (!member.residents.has(key)) given.push([key, value]);
      member.residents.use(key, true);
      references.push([field, key]);
      delete input[field];
    }
    const { id, task } = job;
    return {
      kind: 'run',
      id,
      task,
      input: references.length ? input : job.input,
      parallel: this.options.parallel,
      references,
      given,
    };
  }

  private post(member: Member, message: ToWorker): void {
    try {
      member.host.post(message);
    } catch (e) {
      // Something in the input cannot be cloned.
      this.remove(member, e as Error);
    }
  }

  private cancel(job: Job): void {
    const waiting = this.queue.indexOf(job);
    if (waiting >= 0) {
      this.queue.splice(waiting, 1);
      job.reject(new Cancelled());
      return;
    }
    const member = this.members.find((m) => m.job === job);
    if (!member) return;
    member.host.post({ kind: 'cancel', id: job.id });
    setTimeout(() => {
      if (member.job === job) this.remove(member, new Cancelled());
    }, this.options.patience ?? PATIENCE);
  }

  private hear(member: Member, message: FromWorker): void {
    switch (message.kind) {
      case 'fork':
        this.forkFor(member, message.fork, message.task, message.input);
        return;
      case 'fork cancel':
        member.forks.get(message.fork)?.cancel();
        return;
    }
    const { job } = member;
    if (!job || job.id !== message.id) return;
    if (message.kind === 'accepted') {
      job.onAccepted?.();
      return;
    }
    if (message.kind === 'progress') {
      job.onProgress?.(message.report);
      return;
    }
    member.job = undefined;
    member.host.busy?.(false);
    this.letRest(member);
    if (message.kind === 'done') job.resolve(message.result);
    else job.reject(message.name === 'Cancelled' ? new Cancelled() : namedError(message.name, message.message));
    this.pump();
  }

  /** An idle worker is given up after a while, with the memory that it holds. */
  private letRest(member: Member): void {
    const { idle } = this.options;
    if (idle === undefined) return;
    member.rest = setTimeout(() => {
      if (!member.job) this.remove(member, new Cancelled());
    }, idle);
    // In Node a pause must not keep a finished program alive.
    (member.rest as { unref?: () => void }).unref?.();
  }

  private forkFor(member: Member, fork: number, task: string, input: unknown): void {
    const running = this.run(task, input, (report) => member.host.post({ kind: 'fork progress', fork, report }));
    member.forks.set(fork, running);
    running.result
      .then(
        (result) => {
          if (this.members.includes(member)) member.host.post({ kind: 'fork done', fork, result });
        },
        (e: Error) => {
          if (this.members.includes(member))
            member.host.post({ kind: 'fork failed', fork, name: e.name, message: e.message });
        },
      )
      .finally(() => member.forks.delete(fork));
  }

  /** Takes a worker away; its forks stop, its job ends with the error. */
  private remove(member: Member, why: Error): void {
    const at = this.members.indexOf(member);
    if (at < 0) return;
    this.members.splice(at, 1);
    member.host.terminate();
    for (const f of member.forks.values()) f.cancel();
    member.job?.reject(why);
    member.job = undefined;
    this.pump();
  }
}
