import { expect, it } from 'vitest';
import { decimal } from './decimal.ts';

it('numbers have a true minus sign, and none before zero', () => {
  expect(decimal(-2.256, 2)).toBe('−2.26');
  expect(decimal(2.256, 1)).toBe('2.3');
  expect(decimal(-0.004, 2)).toBe('0.00');
  expect(decimal(-0, 0)).toBe('0');
});
