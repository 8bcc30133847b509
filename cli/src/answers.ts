/** What every command gives back, the error a person can mend, and the options it reads. */
import { breathingContext } from '@nagare/core/task-context';

/** Something the person can put right: one sentence, exit status 2. */
export class BadInput extends Error {}

export interface Answer {
  json: Record<string, unknown>;
  text: string;
}

/** What was written behind a command, by name. */
export type Options = Record<string, string | boolean | undefined>;

/** How a command tells what it is doing: a line at a time, beside its answer. */
export type Say = (line: string) => void;

export function numberOption(name: string, text: string | undefined, fallback: number): number {
  if (text === undefined) return fallback;
  const value = Number(text);
  if (!Number.isFinite(value) || value <= 0) throw new BadInput(`--${name} needs a positive number, not "${text}".`);
  return value;
}

export const rounded = (x: number, digits: number): number => Number(x.toFixed(digits));

/** A context for work that reports nothing. */
export const quiet = () => breathingContext<never>({ aborted: false }, () => undefined, {}, 1e9);
