/** What every command gives back, and the error a person can mend. */

/** Something the person can put right: one sentence, exit status 2. */
export class BadInput extends Error {}

export interface Answer {
  json: Record<string, unknown>;
  text: string;
}
