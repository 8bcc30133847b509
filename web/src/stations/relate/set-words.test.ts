import { leavesOf } from '@nagare/core/math/cluster';
import { describe, expect, it } from 'vitest';
import { hasPackings, heightWords, pairWords, setTable, treeOf, type SetFound } from './set-words.ts';

const of = 15;
const found: SetFound = {
  names: ['α', 'β', 'γ', 'salt'],
  pairs: new Map([
    ['0 1', { similarity: 0.7, packing: { matched: 4, of } }],
    ['0 2', { similarity: 0.9, packing: { matched: 1, of } }],
    ['1 2', { similarity: 0.6, packing: { matched: 15, of } }],
    ['0 3', { similarity: 0.2 }],
    ['1 3', { similarity: 0.3 }],
    ['2 3', { similarity: 0.1 }],
  ]),
};

describe('a set of crystals', () => {
  it('is joined by patterns or by packings, the most alike first', () => {
    const first = (by: 'patterns' | 'packings'): number[] => {
      const walk = (c: ReturnType<typeof treeOf>): { at: number; leaves: readonly number[] }[] =>
        'leaf' in c ? [] : [{ at: c.at, leaves: leavesOf(c) }, ...c.of.flatMap(walk)];
      const [lowest] = walk(treeOf(found, by)).sort((p, q) => p.at - q.at);
      return [...lowest!.leaves].sort();
    };
    expect(first('patterns')).toEqual([0, 2]);
    expect(first('packings')).toEqual([1, 2]);
  });

  it('says what it found, and a dash where nothing was compared', () => {
    expect(pairWords(found.pairs.get('0 1'))).toBe('0.70, 4');
    expect(pairWords(found.pairs.get('0 3'))).toBe('0.20');
    expect(pairWords(undefined)).toBe('–');
    const { columns, rows } = setTable(found);
    expect(columns).toEqual(['', ...found.names]);
    expect(rows[1]).toEqual(['β', '0.70, 4', '', '0.60, 15', '0.30']);
  });

  it('offers packings only where molecules were laid over each other', () => {
    expect(hasPackings(found)).toBe(true);
    expect(hasPackings({ ...found, pairs: new Map([['0 1', { similarity: 1 }]]) })).toBe(false);
  });

  it('reads heights as likeness', () => {
    expect(heightWords(0.1, 'patterns')).toBe('0.90');
    expect(heightWords(0.2, 'packings')).toBe('80 %');
  });
});
