/** Many tries at a door, each of a seed of its own; a finding is made as small as it can be. */
import { seededRandom } from '@nagare/core/math/random';
import { DOORS, type Case, type DoorName } from './doors.ts';

/** ms that one try may take. */
const PATIENCE = 2000;

export interface Finding {
  readonly door: DoorName;
  readonly seed: number;
  readonly about: string;
  readonly what: string;
  /** The smallest text that still does it. */
  readonly text: string;
}

/** What should not have happened, if anything: a complaint, a crash, or longer than anybody waits. */
async function verdict(tried: Case, text: string, patience: number): Promise<string | undefined> {
  const started = performance.now();
  let found: string | undefined;
  try {
    found = await tried.run(text);
  } catch (e) {
    found = `crash: ${(e as Error).stack?.slice(0, 500)}`;
  }
  const took = performance.now() - started;
  return found ?? (took > patience ? `${(took / 1000).toFixed(1)} s` : undefined);
}

const kindOf = (what: string): string => what.replace(/[\d.]+/g, '0').slice(0, 40);

/** Leaves out lines, then letters, as long as the same thing happens. */
async function smallest(tried: Case, what: string, patience: number): Promise<string> {
  let { text } = tried;
  const tries = 400;
  let done = 0;
  for (const by of ['\n', '']) {
    let parts = text.split(by);
    for (let size = Math.ceil(parts.length / 2); size >= 1 && done < tries; size = Math.floor(size / 2)) {
      for (let at = 0; at < parts.length && done < tries;) {
        const rest = [...parts.slice(0, at), ...parts.slice(at + size)];
        done++;
        const still = await verdict(tried, rest.join(by), patience);
        if (still && kindOf(still) === kindOf(what)) parts = rest;
        else at += size;
      }
    }
    text = parts.join(by);
  }
  return text;
}

/** The try of a seed at a door. */
export const caseOf = (door: DoorName, seed: number): Case => DOORS[door](seededRandom(seed));

/** Tries one seed; a finding where something happened that should not, or took longer than `patience` (ms). */
export async function attempt(door: DoorName, seed: number, patience = PATIENCE): Promise<Finding | undefined> {
  const tried = caseOf(door, seed);
  const what = await verdict(tried, tried.text, patience);
  if (!what) return undefined;
  return { door, seed, about: tried.about, what, text: await smallest(tried, what, patience) };
}
