import { describe, expect, it } from 'vitest';
import * as textbook from '../../../demo/src/textbook.ts';
import { spaceGroupFromSymbol, SETTINGS, groupOfSetting, referenceSetting } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { siteMultiplicity } from '../crystal/structure.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { specialPositions } from './positions.ts';
import { letteredPositions, wyckoffLetters } from './wyckoff.ts';
import { parseXyz } from '../crystal/operator.ts';
import { apply3 } from '../math/matrix3.ts';
import { changeStructure, parseChange } from './change-setting.ts';

const within = (symbol: string, ...positions: Vec3[]): Structure => ({
  cell: /^[PR] -?[36]/.test(symbol)
    ? { a: 7, b: 7, c: 9, alpha: 90, beta: 90, gamma: 120 }
    : { a: 7, b: 8, c: 9, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol(symbol),
  sites: positions.map((position, i) => ({
    id: `${i}`,
    label: `C${i}`,
    element: 'C',
    position,
    occupancy: 1,
    displacement: { kind: 'iso', u: 0.02 },
  })),
});

describe('the table of positions', () => {
  it.each(Array.from({ length: 230 }, (_, i) => i + 1))(
    'of type %i is complete, in order, and holds no kind twice',
    { tags: 'long' },
    (number) => {
      const positions = letteredPositions(number);
      const derived = specialPositions(groupOfSetting(referenceSetting(number)));
      expect(positions).toHaveLength(derived.length);
      const sorted = (list: readonly { multiplicity: number }[]): number[] =>
        list.map((p) => p.multiplicity).sort((a, b) => a - b);
      // From a upwards multiplicities never fall.
      expect(positions.map((p) => p.multiplicity)).toEqual(sorted(derived));
      // Each position has a letter of its own: its own coordinates are told apart from all others.
      const s = within(referenceSetting(number).symbol);
      const generic: Vec3 = [0.1713, 0.0931, 0.2317];
      const sites = positions.map((p, i) => {
        const { r, t } = parseXyz(p.coordinates);
        const at = apply3(r, generic);
        return {
          ...within('P 1', [0, 0, 0]).sites[0]!,
          id: `${i}`,
          position: [at[0] + t[0], at[1] + t[1], at[2] + t[2]] as Vec3,
        };
      });
      const cubic =
        number > 194 ? { ...s.cell, b: 7, c: 7 } : number > 74 && number < 143 ? { ...s.cell, b: 7 } : s.cell;
      const cell = number > 142 && number < 195 ? { ...s.cell, b: 7, gamma: 120 } : cubic;
      const group = groupOfSetting(referenceSetting(number));
      expect(wyckoffLetters({ cell, spaceGroup: group, sites })).toEqual(positions.map((p) => p.letter));
    },
  );
});

describe('letters of structures', () => {
  it.each<[string, Structure, string[]]>([
    ['rutile', textbook.rutile('Ti', 4.594, 2.959, 0.3053), ['2a', '4f']],
    ['fluorite', textbook.fluorite('Ca', 'F', 5.463), ['4a', '8c']],
    ['halite', textbook.halite('Mg', 4.21), ['4a', '4b']],
    ['corundum', textbook.corundum('Al', 4.7589, 12.991, 0.3523, 0.3064), ['12c', '18e']],
    ['calcite', textbook.calcite(), ['6b', '6a', '18e']],
    ['quartz', textbook.quartz(), ['3a', '6c']],
    ['pyrite', textbook.pyrite(), ['4a', '8c']],
    ['spinel', textbook.spinel(), ['8a', '16d', '32e']],
    ['brucite', textbook.brucite(), ['1a', '2d', '2d']],
    ['graphite', textbook.graphite(), ['2b', '2c']],
    ['perovskite', textbook.perovskite('Sr', 'Ti', 3.905), ['1a', '1b', '3c']],
  ])('%s', (_, s, expected) => {
    expect(wyckoffLetters(s).map((l, i) => `${siteMultiplicity(s, s.sites[i]!)}${l}`)).toEqual(expected);
  });

  it('are carried to settings with the axes renamed', () => {
    const pnma = within('P n m a', [0, 0, 0], [0, 0, 0.5], [0.1, 0.25, 0.3], [0.1, 0.2, 0.3]);
    expect(wyckoffLetters(pnma)).toEqual(['a', 'b', 'c', 'd']);
    // a, b, c of P b n m are c, a, b of P n m a.
    const pbnm = changeStructure(pnma, parseChange('b,c,a'));
    const other = wyckoffLetters(pbnm);
    expect(other).toEqual(['a', 'b', 'c', 'd']);
    expect(wyckoffLetters(within('P b n m', [0, 0, 0], [0.1, 0.2, 0.25]))).toEqual(['a', 'c']);
  });

  it(
    'find the special positions of every tabulated setting, as many kinds as in the standard one',
    { tags: 'long' },
    () => {
      for (const setting of SETTINGS.filter((_, i) => i % 4 === 0)) {
        const group = groupOfSetting(setting);
        const s = within('P 1');
        const hexagonal = setting.number > 142 && setting.number < 195 && setting.code !== 'R';
        if (setting.code.toLowerCase() === 'r') continue;
        const cell = {
          ...s.cell,
          ...(setting.number > 74 ? { b: 7 } : {}),
          ...(setting.number > 194 ? { c: 7 } : {}),
          ...(hexagonal ? { gamma: 120 } : {}),
        };
        // Monoclinic and tetragonal settings with other unique axes would need other metrics: angles of 90° serve them all.
        const sites = specialPositions(group).map((p, i) => {
          const at = apply3(p.projection, [0.1713, 0.0931, 0.2317]);
          const position: Vec3 = [at[0] + p.shift[0], at[1] + p.shift[1], at[2] + p.shift[2]];
          return { ...within('P 1', position).sites[0]!, id: `${i}` };
        });
        const letters = wyckoffLetters({ cell, spaceGroup: group, sites });
        expect([setting.symbol, [...new Set(letters)].length, letters.includes(undefined)]).toEqual([
          setting.symbol,
          sites.length,
          false,
        ]);
      }
    },
  );
});
