/**
 * Work in parts that threads take one after another from memory they share. The parts, and the order in which what comes of them is
 * put together, are the same however many threads there are: so is every digit.
 */
import type { TaskContext } from '../task-context.ts';

/** Who can do the parts of some steps; made anew in every thread from a plan. */
export interface Workshop {
  part(step: number, index: number, context: TaskContext): Promise<void>;
}

/** A workshop, and what another thread needs to have the same: plain data and shared memory. */
export interface Shop<P> {
  readonly plan: P;
  readonly workshop: Workshop;
}

/** What a helper is given. */
export interface CrewOrder<P> {
  readonly control: Int32Array;
  readonly plans: readonly P[];
}

/** Name of the task that helps. */
export const HELPER = 'wave parts';

/** Places in the control: what is being done, the next part to take, parts done, their number, and whether it is over. */
const SHOP = 0,
  STEP = 1,
  NEXT = 2,
  DONE = 3,
  PARTS = 4,
  TURN = 5,
  OVER = 6,
  FAILED = 7,
  LENGTH = 8;
/** Beyond any number of parts: while the next step is written down nobody may take one. */
const CLOSED = 1 << 30;
/** How long a thread waits before it looks whether it was stopped, ms. */
const NAP = 20;

/** Functions of a basis below which a molecule is done before a thread has begun. */
export const FEW_FUNCTIONS = 30;

/** Results that are summed are kept apart for so many parts. */
export const SUMMED_PARTS = 12;

const isShared = typeof SharedArrayBuffer === 'function';

/**
 * Memory that other threads see, where this page or process may have any. Throws RangeError in a sentence where there is too little.
 */
export function sharedDoubles(length: number): Float64Array {
  try {
    return isShared ? new Float64Array(new SharedArrayBuffer(8 * length)) : new Float64Array(length);
  } catch {
    throw new RangeError(
      `This takes ${((8 * length) / 1e9).toFixed(1)} GB of memory at once, more than there is here: leave the neighbours out, take a smaller basis, or run it on the server.`,
    );
  }
}
export const sharedIntegers = (length: number): Int32Array =>
  isShared ? new Int32Array(new SharedArrayBuffer(4 * length)) : new Int32Array(length);

/** A copy that other threads see. */
export function shared(of: Float64Array): Float64Array {
  const out = sharedDoubles(of.length);
  out.set(of);
  return out;
}

/** The first and one past the last of `count` things that a part of `parts` has. */
export const rangeOf = (part: number, parts: number, count: number): [number, number] => [
  Math.floor((part * count) / parts),
  Math.floor(((part + 1) * count) / parts),
];

/** Adds up what the parts of a step left one after another, `length` numbers each. */
export function summed(of: Float64Array, length: number, parts = SUMMED_PARTS): Float64Array {
  const out = of.slice(0, length);
  for (let part = 1; part < parts; part++) {
    const from = part * length;
    for (let i = 0; i < length; i++) out[i]! += of[from + i]!;
  }
  return out;
}

/** Runs steps of some workshops, with what threads there are. */
export class Crew<P> {
  private control: Int32Array = new Int32Array(LENGTH);
  private helpers: { readonly ended: Promise<unknown>; cancel(): void }[] = [];

  /** `isWorthIt`: whether there is more to do than threads take to begin. */
  constructor(
    private readonly shops: readonly Shop<P>[],
    private readonly isWorthIt = true,
  ) {}

  /** Runs `work` with helpers at hand; without memory to share or threads to spare it is done alone. */
  async during<T>(context: TaskContext, work: () => Promise<T>): Promise<T> {
    if (this.helpers.length || !this.isWorthIt || !isShared || !context.fork || context.parallel < 2) return work();
    const control = sharedIntegers(LENGTH);
    this.control = control;
    Atomics.store(control, NEXT, CLOSED);
    const order: CrewOrder<P> = { control, plans: this.shops.map((s) => s.plan) };
    for (let n = 1; n < context.parallel; n++) {
      const { result, cancel } = context.fork(HELPER, order);
      // A helper that is let go before it began is no failure; one that breaks down is.
      const ended = result.catch((e: Error) => {
        if (e.name !== 'Cancelled') Atomics.store(control, FAILED, 1);
      });
      this.helpers.push({ ended, cancel });
    }
    try {
      return await work();
    } finally {
      Atomics.store(control, OVER, 1);
      Atomics.notify(control, TURN);
      const { helpers } = this;
      this.helpers = [];
      for (const h of helpers) h.cancel();
      // The next crew finds the same threads free, with their code compiled.
      await Promise.all(helpers.map((h) => h.ended));
      this.control = new Int32Array(LENGTH);
    }
  }

  /** Does all parts of a step, and is told how many of them are done. Throws Cancelled when stopped. */
  async run(
    workshop: Workshop,
    step: number,
    parts: number,
    context: TaskContext,
    told: (done: number) => void = () => undefined,
  ): Promise<void> {
    const { control } = this;
    Atomics.store(control, NEXT, CLOSED);
    Atomics.store(
      control,
      SHOP,
      this.shops.findIndex((s) => s.workshop === workshop),
    );
    Atomics.store(control, STEP, step);
    Atomics.store(control, PARTS, parts);
    Atomics.store(control, DONE, 0);
    Atomics.store(control, NEXT, 0);
    Atomics.add(control, TURN, 1);
    if (this.helpers.length) Atomics.notify(control, TURN);
    for (let part = Atomics.add(control, NEXT, 1); part < parts; part = Atomics.add(control, NEXT, 1)) {
      await workshop.part(step, part, context);
      told(Atomics.add(control, DONE, 1) + 1);
    }
    await this.othersDone(parts, context);
  }

  private async othersDone(parts: number, context: TaskContext): Promise<void> {
    const { control } = this;
    for (let done = Atomics.load(control, DONE); done < parts; done = Atomics.load(control, DONE)) {
      if (Atomics.load(control, FAILED))
        throw new Error('A thread that helped broke down; there may be too little memory.');
      Atomics.wait(control, DONE, done, NAP);
      await context.breath();
    }
  }
}

/** Takes parts of whatever step is being done until the crew is let go. Throws Cancelled when stopped. */
export async function helpCrew<P>(
  { control, plans }: CrewOrder<P>,
  workshopOf: (plan: P) => Workshop,
  context: TaskContext,
): Promise<void> {
  const shops = plans.map((): Workshop | undefined => undefined);
  while (!Atomics.load(control, OVER)) {
    const turn = Atomics.load(control, TURN);
    const part = Atomics.add(control, NEXT, 1);
    if (part >= Atomics.load(control, PARTS)) {
      Atomics.wait(control, TURN, turn, NAP);
      await context.breath();
      continue;
    }
    const shop = Atomics.load(control, SHOP);
    await (shops[shop] ??= workshopOf(plans[shop]!)).part(Atomics.load(control, STEP), part, context);
    Atomics.add(control, DONE, 1);
    Atomics.notify(control, DONE);
  }
}
