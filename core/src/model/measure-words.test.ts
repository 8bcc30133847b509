import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { originalRef } from '../crystal/atom-ref.ts';
import { findRings } from '../geometry/rings.ts';
import { readThings } from '../geometry/things.ts';
import { asksForRings, measureByWords } from './measure-words.ts';

const { structure: S } = testCrystal('c1ccccc1-c1ccccc1', 'P 21/c', 5);
const rings = findRings(S).map((r) => r.atoms);
const L = S.sites.filter((x) => x.element === 'C').map((x) => x.label);

describe('measures in words', () => {
  it.each<[string, string[]]>([
    [`distance ${L[0]} ${L[1]}`, [L[0]!, L[1]!]],
    [`Angle of ${L[0]}-${L[1]}-${L[2]}`, [L[0]!, L[1]!, L[2]!]],
    [`torsion ${L[0]}, ${L[1]}, ${L[2]}, ${L[3]}`, L.slice(0, 4)],
    ['angle between the planes of ring 1 and ring 2', ['ring 1', 'ring 2']],
    ['measure distance between centroid of ring 1 and ring 2', ['middle of ring 1', 'ring 2']],
    [`distance from ${L[0]} to the plane of ring 2`, [L[0]!, 'ring 2']],
    [`angle between line ${L[0]} ${L[1]} and [0 0 1]`, [`line of ${L[0]} ${L[1]}`, 'row [0 0 1]']],
    ['plane of ring 2', ['ring 2']],
    [`plane of ${L.slice(0, 4).join(' ')}`, [`plane of ${L.slice(0, 4).join(' ')}`]],
  ])('%s', (words, names) => {
    const asked = measureByWords(S, words, rings);
    expect(asked?.names).toEqual(names);
    const { readings } = readThings(S, asked!.things);
    expect(readings.length).toBeGreaterThan(0);
    for (const r of readings) expect(Number.isFinite(r.value)).toBe(true);
  });

  it('measures what it says', () => {
    const asked = measureByWords(S, `distance ${L[0]} ${L[1]}`)!;
    const ids = L.slice(0, 2).map((l) => S.sites.find((x) => x.label === l)!.id);
    expect(asked.things).toEqual(ids.map((id) => ({ kind: 'point', atoms: [originalRef(id)] })));
  });

  it.each(['', 'carbon', 'distance C1', 'distance C1 Zz9', 'angle between ring 1 and ring 99', 'plane of C1 Zz'])(
    'asks for nothing: "%s"',
    (words) => expect(measureByWords(S, words, rings)).toBeUndefined(),
  );

  it('knows when rings have to be found', () => {
    expect(asksForRings('angle between ring 1 and ring 3')).toBe(true);
    expect(asksForRings('rings of carbon')).toBe(false);
  });
});
