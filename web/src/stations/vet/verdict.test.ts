import { expect, it } from 'vitest';
import { verdictWords } from './verdict.ts';

it('counts what is left to do, in the right number', () => {
  expect(verdictWords(0, 0)).toBe('Nothing must be mended, nothing waits for an explanation.');
  expect(verdictWords(0, 1)).toBe('Nothing must be mended; 1 waits for an explanation.');
  expect(verdictWords(2, 3)).toBe('2 must be mended, 3 wait for an explanation.');
  expect(verdictWords(1, 0)).toBe('1 must be mended.');
});
