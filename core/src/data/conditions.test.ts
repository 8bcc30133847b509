import { describe, expect, it } from 'vitest';
import { groupOfSetting, SETTINGS, spaceGroupFromSymbol } from '../crystal/settings.ts';
import { reflectionSymmetry, type SpaceGroup } from '../crystal/space-group.ts';
import { conditionText, elementName } from './space-group-ranking.ts';

/** Reads "h0l: h + l = 2n" as a class of reflections and the condition they obey. */
function read(text: string): { inClass(hkl: readonly number[]): boolean; holds(hkl: readonly number[]): boolean } {
  const m = /^(0|−?2?[hkl]) ?(0|−?2?[hkl]) ?(0|−?2?[hkl]): (.+) = (\d+)n$/.exec(text);
  if (!m) throw new SyntaxError(`"${text}" is not a condition.`);
  const letters = ['h', 'k', 'l'];
  const of = (term: string, hkl: readonly number[]): number => {
    const t = /^(-?\d*)([hkl])$/.exec(term.trim().replace('−', '-'))!;
    const factor = t[1] === '' ? 1 : t[1] === '-' ? -1 : Number(t[1]);
    return factor * hkl[letters.indexOf(t[2]!)]!;
  };
  return {
    inClass: (hkl) => [1, 2, 3].every((i) => (m[i] === '0' ? hkl[i - 1] === 0 : hkl[i - 1] === of(m[i]!, hkl))),
    holds: (hkl) => m[4]!.split(' + ').reduce((sum, t) => sum + of(t, hkl), 0) % Number(m[5]) === 0,
  };
}

const GROUPS = [...new Map(SETTINGS.map((s) => [s.number, s])).values()].map(groupOfSetting);
const INDICES = Array.from({ length: 13 * 13 * 13 }, (_, n) => [
  (n % 13) - 6,
  (Math.floor(n / 13) % 13) - 6,
  Math.floor(n / 169) - 6,
]);

/** Screw axes and glide planes of a group by their names. */
const elements = (g: SpaceGroup) => g.representatives.filter((o) => elementName(o) !== undefined);

describe('conditions of reflection', () => {
  it('are obeyed: what breaks one is forbidden, in every one of the 230 types', () => {
    let told = 0;
    for (const g of GROUPS)
      for (const o of elements(g)) {
        const text = conditionText(o);
        // A part that a lattice translation takes away leaves nothing to say.
        if (!/: .+ =/.test(text)) continue;
        const { inClass, holds } = read(text);
        for (const hkl of INDICES) {
          if (!inClass(hkl) || holds(hkl)) continue;
          expect([g.symbol, text, hkl, reflectionSymmetry(g, hkl[0]!, hkl[1]!, hkl[2]!).absent]).toEqual([
            g.symbol,
            text,
            hkl,
            true,
          ]);
          told++;
        }
      }
    expect(told).toBeGreaterThan(10_000);
  });

  it.each([
    ['P 1 21/c 1', ['2₁ along b', 'c glide ⊥ b'], ['0k0: k = 2n', 'h0l: l = 2n']],
    ['P n m a', ['n glide ⊥ a', 'a glide ⊥ c'], ['0kl: k + l = 2n', 'hk0: h = 2n']],
    ['P 41', ['4₁ along c', '2₁ along c'], ['00l: l = 4n', '00l: l = 2n']],
    ['P 63', ['6₃ along c', '2₁ along c'], ['00l: l = 2n']],
    ['P 3 1 c', ['c glide ⊥ [1 2 0]'], ['hhl: l = 2n', 'h −2h l: l = 2n', '−2k k l: l = 2n']],
    ['F d d 2', ['d glide ⊥ a', 'd glide ⊥ b'], ['0kl: k + l = 4n', 'h0l: h + l = 4n']],
  ])('%s: elements and conditions as the tables have them', (symbol, names, conditions) => {
    const list = elements(spaceGroupFromSymbol(symbol));
    expect(list.map((o) => elementName(o))).toEqual(expect.arrayContaining(names));
    expect(list.map(conditionText)).toEqual(expect.arrayContaining(conditions));
  });

  it('are none of a group without screws and glides', () => {
    for (const symbol of ['P -1', 'P m m m', 'P 6/m', 'P m -3 m'])
      expect(elements(spaceGroupFromSymbol(symbol))).toEqual([]);
  });
});
