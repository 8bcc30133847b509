import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import * as textbook from '../../../demo/src/textbook.ts';
import type { Structure } from '../crystal/structure.ts';
import { Surroundings, lengthClasses } from './coordination.ts';
import { ionBalance } from './ion-balance.ts';

const balance = (s: Structure, cuts = {}) => ionBalance(new Surroundings(s, undefined, cuts));

describe('charges and coordination numbers', () => {
  it.each<[string, Structure, [number, number][]]>([
    ['rutile', textbook.rutile('Ti', 4.594, 2.959, 0.3053), [[6, 3]]],
    ['fluorite', textbook.fluorite('Ca', 'F', 5.463), [[8, 4]]],
    ['sphalerite', textbook.sphalerite('Zn', 'S', 5.409), [[4, 4]]],
    ['caesium chloride', textbook.caesiumChloride(), [[8, 8]]],
    ['corundum', textbook.corundum('Al', 4.7589, 12.991, 0.3523, 0.3064), [[6, 4]]],
  ])('of %s balance', (_, s, numbers) => {
    const found = balance(s)!;
    expect(found.charge).toBe(0);
    expect(found.pairs.every((p) => p.balanced)).toBe(true);
    expect(found.pairs.map((p) => [p.cationCoordination, p.anionCoordination])).toEqual(numbers);
  });

  it('do not where a cut leaves the two sides apart', () => {
    const s = textbook.rutile('Ti', 4.594, 2.959, 0.3053);
    const [pair] = balance(s, { [s.sites[0]!.id]: 1.96 })!.pairs;
    expect(pair).toMatchObject({ cationCoordination: 4, anionCoordination: 3, balanced: false });
  });

  it('leave a charge where one is wrong, and nothing is said of molecules', () => {
    const s = textbook.halite('Mg', 4.21);
    const charged = { ...s, sites: s.sites.map((x) => (x.element === 'Mg' ? { ...x, charge: 1 } : x)) };
    expect(balance(charged)!.charge).toBe(-4);
    expect(balance(testCrystal('CCO', 'P 1', 2).structure)).toBeUndefined();
  });
});

describe('lengths that are told apart', () => {
  it('differ by more than what is known of them', () => {
    const of = (list: [number, number][]) => lengthClasses(list.map(([distance, su]) => ({ distance, su })));
    expect(
      of([
        [1.95, 0],
        [1.95, 0],
        [1.98, 0],
        [2.3, 0],
      ]),
    ).toEqual([0, 0, 1, 2]);
    expect(
      of([
        [1.95, 0.02],
        [1.98, 0.02],
      ]),
    ).toEqual([0, 0]);
    expect(
      of([
        [1.95, 0],
        [1.953, 0],
      ]),
    ).toEqual([0, 0]);
    expect(of([])).toEqual([]);
  });
});
