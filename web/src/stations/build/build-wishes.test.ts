import { describe, expect, it } from 'vitest';
import type { BuildWish } from '@nagare/core/tasks/build-task';
import { constantsWords } from '@nagare/core/crystal/cell-words';
import { numbersOf, waysOf } from './build-wishes.ts';

const VACUUM = { vacuum: 12, along: 'normal', bothSides: true } as const;
const swap = (rescale: boolean): BuildWish => ({ kind: 'substitute', site: 'Ti', element: 'Sn', rescale });

describe('where a built structure goes', () => {
  it.each<[string, BuildWish, boolean, boolean]>([
    [
      'a supercell of a structure alone',
      { kind: 'supercell', matrix: [2, 0, 0, 0, 1, 0, 0, 0, 1], symmetry: false },
      false,
      true,
    ],
    [
      'a supercell beside intensities',
      { kind: 'supercell', matrix: [2, 0, 0, 0, 1, 0, 0, 0, 1], symmetry: false },
      true,
      false,
    ],
    ['a slab beside intensities', { kind: 'slab', plane: [1, 0, 0], layers: 3, vacuum: VACUUM }, true, false],
    ['an element for another in the same cell', swap(false), true, true],
    ['the same with another cell', swap(true), true, false],
  ])('%s', (_, wish, hasData, mark) => {
    const ways = waysOf(wish, hasData);
    expect(ways.mark).toBe(mark);
    expect(!!ways.why).toBe(!mark);
  });
});

it('constants are written with their units, and read as they are typed', () => {
  expect(constantsWords({ a: 3, b: 4.5, c: 10.1239, alpha: 90, beta: 95.25, gamma: 120 })).toBe(
    '3.000, 4.500, 10.124 Å; 90°, 95.25°, 120°',
  );
  expect(numbersOf(' 14.8,  3 ')).toEqual([14.8, 3]);
  expect(numbersOf('14.8 x')).toBeUndefined();
  expect(numbersOf('')).toBeUndefined();
});
