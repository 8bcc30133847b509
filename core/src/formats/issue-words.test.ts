import { describe, expect, it } from 'vitest';
import { z } from 'zod';
import { issuePhrase, issueWords } from './issue-words.ts';

const schema = z.strictObject({
  sites: z.array(z.strictObject({ occupancy: z.number().min(0).max(1.5), label: z.string().min(1) })).min(1),
  step: z.number().positive().optional(),
  kind: z.enum(['crystal', 'powder']).optional(),
  either: z.union([z.strictObject({ iso: z.number() }), z.strictObject({ aniso: z.array(z.number()) })]).optional(),
  values: z.instanceof(Float64Array).optional(),
});
const site = { occupancy: 1, label: 'C1' };
const wordsOf = (value: unknown): string => issuePhrase(schema.safeParse(value).error!, 'the file');

describe('what a schema found wrong, in words', () => {
  it.each([
    [{ sites: [{ ...site, occupancy: 'x' }] }, 'sites.0.occupancy should be a number'],
    [{ sites: [site, { ...site, occupancy: 7 }] }, 'sites.1.occupancy should be at most 1.5'],
    [{ sites: [{ ...site, occupancy: -1 }] }, 'sites.0.occupancy should be at least 0'],
    [{ sites: [] }, 'sites should hold at least 1'],
    [{ sites: [{ ...site, label: '' }] }, 'sites.0.label should have at least 1 letter'],
    [{ sites: [site], step: 0 }, 'step should be above 0'],
    [{ sites: [site], kind: 'film' }, 'kind should be "crystal" or "powder"'],
    [{ sites: [site], more: 1 }, 'the file holds what is not known here: "more"'],
    [{ sites: [site], values: [1] }, 'values should be a list of numbers'],
    [{}, 'sites should be a list'],
    [5, 'the file should be a group of named values'],
  ])('%j', (value, words) => {
    expect(wordsOf(value)).toBe(words);
  });

  it('of a value with several forms, about the form that it comes nearest to', () => {
    expect(wordsOf({ sites: [site], either: { aniso: [1, 'x'] } })).toBe('either.aniso.1 should be a number');
  });

  it('names that are very long are cut short', () => {
    const { says } = issueWords(schema.safeParse({ sites: [site], ['x'.repeat(500)]: 1 }).error!);
    expect(says.length).toBeLessThan(100);
  });
});
