/** What a pool and its workers say to one another. Plain data, cloned on the way. */

/** Stands in an input for data the worker holds already. */
export interface ResidentReference {
  readonly resident: number;
}

export type ToWorker =
  | {
      readonly kind: 'run';
      readonly id: number;
      readonly task: string;
      readonly input: unknown;
      /** How many forks may usefully run at once. */
      readonly parallel: number;
      /** Fields of the input that are references, with their keys, in the order they are used. */
      readonly references: readonly (readonly [field: string, key: number])[];
      /** Data the worker does not hold yet. */
      readonly given: readonly (readonly [key: number, value: unknown])[];
    }
  | {
      /** A task whose input is still text, in our JSON, as UTF-8; its answer is text too. */
      readonly kind: 'run text';
      readonly id: number;
      readonly task: string;
      readonly bytes: Uint8Array;
      readonly parallel: number;
    }
  | { readonly kind: 'cancel'; readonly id: number }
  | { readonly kind: 'fork progress'; readonly fork: number; readonly report: unknown }
  | { readonly kind: 'fork done'; readonly fork: number; readonly result: unknown }
  | { readonly kind: 'fork failed'; readonly fork: number; readonly name: string; readonly message: string };

export type FromWorker =
  /** The text of an input was read and is what the task takes. */
  | { readonly kind: 'accepted'; readonly id: number }
  | { readonly kind: 'progress'; readonly id: number; readonly report: unknown }
  | { readonly kind: 'done'; readonly id: number; readonly result: unknown }
  | { readonly kind: 'failed'; readonly id: number; readonly name: string; readonly message: string }
  | { readonly kind: 'fork'; readonly fork: number; readonly task: string; readonly input: unknown }
  | { readonly kind: 'fork cancel'; readonly fork: number };

/** Data a worker keeps at once. */
const MOST_RESIDENT = 8;

/**
 * Keys of what a worker holds, the longest unused let go first. Pool and worker each keep one and use the same keys in the
 * same order, so they agree on what is held without asking.
 */
export class Residents<T> {
  private readonly held = new Map<number, T>();

  has(key: number): boolean {
    return this.held.has(key);
  }

  get(key: number): T | undefined {
    return this.held.get(key);
  }

  /** Uses a key, with its value where it is new. */
  use(key: number, value: T): void {
    const now = this.held.has(key) ? this.held.get(key)! : value;
    this.held.delete(key);
    this.held.set(key, now);
    if (this.held.size > MOST_RESIDENT) this.held.delete(this.held.keys().next().value!);
  }
}

/** An error that came as a message, with its name. */
export const namedError = (name: string, message: string): Error => Object.assign(new Error(message), { name });
