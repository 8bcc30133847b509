import { describe, expect, it } from 'vitest';
import type { Mark } from '../store/marks.ts';
import { ancestors } from './use-before-marks.ts';

const mark = (id: string, parent?: string): Mark => ({ id, ...(parent ? { parent } : {}) }) as Mark;

describe('the marks that led to one', () => {
  it('the nearest first, side branches left out', () => {
    const marks = [mark('a'), mark('b', 'a'), mark('x', 'a'), mark('c', 'b')];
    expect(ancestors(marks, 'c').map((m) => m.id)).toEqual(['b', 'a']);
    expect(ancestors(marks, 'a')).toEqual([]);
  });
  it('ends where a parent is not there, or leads in a circle', () => {
    expect(ancestors([mark('c', 'gone')], 'c')).toEqual([]);
    expect(ancestors([mark('a', 'b'), mark('b', 'a')], 'a').map((m) => m.id)).toEqual(['b', 'a']);
  });
});
