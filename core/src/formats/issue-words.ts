/** What a schema found wrong, in words for people: where, and what should stand there. */
import type { z } from 'zod';

type Issue = z.core.$ZodIssue;

const NOUNS: Record<string, string> = {
  number: 'a number',
  int: 'a whole number',
  string: 'a text',
  boolean: 'yes or no (true or false)',
  array: 'a list',
  tuple: 'a list',
  object: 'a group of named values',
  record: 'a group of named values',
  undefined: 'left out',
};

const nounOf = (expected: string): string => NOUNS[expected] ?? 'a list of numbers';

function limitWords(origin: string, bound: string, limit: number | bigint, inclusive: boolean | undefined): string {
  if (origin === 'array' || origin === 'set') return `should hold ${bound} ${limit}`;
  if (origin === 'string') return `should have ${bound} ${limit} ${limit === 1 ? 'letter' : 'letters'}`;
  if (bound === 'at least') return inclusive ? `should be at least ${limit}` : `should be above ${limit}`;
  return inclusive ? `should be at most ${limit}` : `should be below ${limit}`;
}

/** The innermost issue: of a value that fits none of several forms, the one of the form it comes nearest to. */
function innermost(issue: Issue, path: readonly PropertyKey[] = []): { issue: Issue; path: readonly PropertyKey[] } {
  const whole = [...path, ...issue.path];
  if (issue.code !== 'invalid_union' || !issue.errors.length) return { issue, path: whole };
  const depth = (list: readonly Issue[]): number => Math.max(0, ...list.map((i) => i.path.length));
  const best = issue.errors.reduce((p, q) => (depth(q) > depth(p) ? q : p));
  return best[0] && depth(best) ? innermost(best[0], whole) : { issue, path: whole };
}

function saying(issue: Issue): string {
  switch (issue.code) {
    case 'invalid_type':
      return `should be ${nounOf(issue.expected)}`;
    case 'too_small':
      return limitWords(issue.origin, 'at least', issue.minimum, issue.inclusive);
    case 'too_big':
      return limitWords(issue.origin, 'at most', issue.maximum, issue.inclusive);
    case 'unrecognized_keys':
      return `holds what is not known here: ${issue.keys.map((k) => `"${k.slice(0, 40)}"`).join(', ')}`;
    case 'invalid_value':
      return `should be ${issue.values.map((v) => JSON.stringify(v)).join(' or ')}`;
    case 'invalid_union':
      return 'fits none of the forms it may have';
    case 'invalid_key':
      return 'has a name that it may not have';
    case 'not_multiple_of':
      return `should be a multiple of ${issue.divisor}`;
    case 'custom':
      return issue.message.startsWith('Input not instanceof') ? 'should be a list of numbers' : issue.message;
    default:
      return 'is not written as it should be';
  }
}

export interface IssueWords {
  /** Path to the value, "sites.3.occupancy"; "" for the whole. */
  readonly at: string;
  /** What is wrong, as the end of a sentence: "should be a number". */
  readonly says: string;
}

/** The first thing that a schema found wrong. */
export function issueWords(error: z.ZodError): IssueWords {
  const { issue, path } = innermost(error.issues[0] as Issue);
  return { at: path.map(String).join('.'), says: saying(issue) };
}

/** The same as one phrase: "profile.u should be a number"; `whole` stands for a value that is wrong itself. */
export function issuePhrase(error: z.ZodError, whole = 'it'): string {
  const { at, says } = issueWords(error);
  return `${at || whole} ${says}`;
}
