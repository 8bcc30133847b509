import { beforeEach, describe, expect, it, vi } from 'vitest';
import { z } from 'zod';
import { stubLocalStorage } from '../testing/surroundings.ts';
import { remember, remembered } from './remembered.ts';

describe('what this browser remembers', () => {
  beforeEach(() => stubLocalStorage());

  it('comes back as it was kept', () => {
    const schema = z.strictObject({ order: z.enum(['by label', 'by value']), scaled: z.boolean() });
    const usual = { order: 'by label' as const, scaled: true };
    expect(remembered('tables', schema, usual)).toBe(usual);
    remember('tables', { order: 'by value', scaled: false });
    expect(remembered('tables', schema, usual)).toEqual({ order: 'by value', scaled: false });
    remember('instrument', '1234');
    expect(remembered('instrument', z.string(), '')).toBe('1234');
  });

  it('is the usual where something else stands there, and words of earlier versions are read', () => {
    localStorage.setItem('theme', 'dark');
    expect(remembered('theme', z.enum(['light', 'dark']), 'light')).toBe('dark');
    localStorage.setItem('theme', 'purple');
    expect(remembered('theme', z.enum(['light', 'dark']), 'light')).toBe('light');
    localStorage.setItem('course', '{"broken');
    expect(remembered('course', z.number(), 76)).toBe(76);
    localStorage.setItem('course', '90');
    expect(remembered('course', z.number(), 76)).toBe(90);
  });

  it('costs nothing but the habit where the browser refuses to store', () => {
    vi.stubGlobal('localStorage', {
      getItem: () => null,
      setItem: () => {
        throw new DOMException('full', 'QuotaExceededError');
      },
    });
    expect(() => remember('theme', 'dark')).not.toThrow();
    vi.unstubAllGlobals();
    vi.stubGlobal('localStorage', undefined);
    expect(() => remember('theme', 'dark')).not.toThrow();
    expect(remembered('theme', z.string(), 'light')).toBe('light');
  });
});
