import { describe, expect, it } from 'vitest';
import { caged, porousFramework } from '../../../demo/src/structures.ts';
import { cage as ofCarbon } from '../../../bench/src/cage.ts';
import { textbook } from '../../../demo/src/textbook.ts';
import { siteOf } from '../crystal/atom-ref.ts';
import { vanDerWaalsRadius } from '../crystal/elements.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { cagePlaces, findCages, type Cage } from './cages.ts';

/** Truncated octahedra of 24 silicon atoms share their faces; an oxygen stands between each two neighbours. */
const truncated = (guests: Parameters<typeof textbook>[3] = []): Structure =>
  textbook('I m -3 m', 9.1, 9.1, [['Si', 0.25, 0.5, 0], ['O', 0, 0.375, 0.375], ...guests]); // prettier-ignore

const madeOf = (s: Structure, c: Cage): string => {
  const elements = c.atoms.map((a) => siteOf(s, a)!.element).sort();
  return [...new Set(elements)].map((e) => `${elements.filter((x) => x === e).length} ${e}`).join(' ');
};

describe('cages', () => {
  it('a truncated octahedron of a framework, two in a body-centred cell', () => {
    const s = truncated();
    const [cage, ...more] = findCages(s);
    expect(more).toEqual([]);
    expect(madeOf(s, cage!)).toBe('36 O 24 Si');
    expect(cage!.count).toBe(2);
    // The spheres of silicon reach furthest in.
    expect(cage!.diameter).toBeCloseTo(2 * ((9.1 * Math.sqrt(5)) / 4 - vanDerWaalsRadius('Si')), 3);
    expect(cage!.window!).toBeLessThan(cage!.diameter - 0.6);
  });
  it('what stands in it is no part of it', () => {
    const s = truncated([['Na', 0, 0, 0]]);
    expect(findCages(s).map((c) => madeOf(s, c))).toEqual(['36 O 24 Si']);
  });
  it('a molecule that is one', () => {
    const s = ofCarbon(spaceGroupFromSymbol('P 1'));
    expect(findCages(s).map((c) => madeOf(s, c))).toEqual(['60 C']);
  });
  it('copies among what is drawn, through picked atoms, and one completed where none is whole', () => {
    const s = truncated();
    const cage = findCages(s)[0]!;
    expect(cagePlaces(s, cage, cage.atoms, [])).toHaveLength(1);
    const few = cage.atoms.slice(0, 5);
    const [one, ...others] = cagePlaces(s, cage, few, []);
    expect(others).toEqual([]);
    expect(one).toHaveLength(60);
    // Every silicon belongs to four cages.
    const silicon = cage.atoms.find((a) => siteOf(s, a)!.element === 'Si')!;
    const through = cagePlaces(s, cage, cage.atoms, [silicon]);
    expect(through).toHaveLength(1);
  });
  it('none in a packing without walls', () => {
    expect(findCages(textbook('F m -3 m', 5, 5, [['Ar', 0, 0, 0]]))).toEqual([]);
  });
  it('frameworks of the demo', { tags: 'long' }, () => {
    for (const s of [caged(), porousFramework()])
      for (const c of findCages(s)) expect(c.atoms.length).toBeGreaterThan(7);
  });
});
