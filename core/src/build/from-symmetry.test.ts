import { describe, expect, it } from 'vitest';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import {
  buildAndJudge,
  cellFromFree,
  freeConstants,
  holdings,
  nearSpecial,
  shortestContacts,
  siteRows,
} from './from-symmetry.ts';
import { readNumber, readSiteTable } from './site-table.ts';

const sitesOf = (text: string) => readSiteTable(text).sites.map((r) => r.site);

describe('constants that a group leaves free', () => {
  it.each([
    ['P -1', ['a', 'b', 'c', 'alpha', 'beta', 'gamma']],
    ['P 1 21/c 1', ['a', 'b', 'c', 'beta']],
    ['P 1 1 21/b', ['a', 'b', 'c', 'gamma']],
    ['P 21/c 1 1', ['a', 'b', 'c', 'alpha']],
    ['P n m a', ['a', 'b', 'c']],
    ['I 41/a m d', ['a', 'c']],
    ['R -3 m:H', ['a', 'c']],
    ['R -3 m:R', ['a', 'alpha']],
    ['P 63/m m c', ['a', 'c']],
    ['F d -3 m', ['a']],
  ])('are those of its system: %s', (symbol, free) => {
    expect(freeConstants(spaceGroupFromSymbol(symbol))).toEqual(free);
  });

  it('make the cell, all six are taken where they obey, and others are asked for in words', () => {
    expect(cellFromFree(spaceGroupFromSymbol('P 63/m m c'), [3, 5])).toMatchObject({ a: 3, b: 3, c: 5, gamma: 120 });
    expect(cellFromFree(spaceGroupFromSymbol('R -3 m:R'), [5, 70])).toMatchObject({
      c: 5,
      alpha: 70,
      beta: 70,
      gamma: 70,
    });
    expect(cellFromFree(spaceGroupFromSymbol('F d -3 m'), [8, 8, 8, 90, 90, 90])).toMatchObject({ a: 8 });
    expect(() => cellFromFree(spaceGroupFromSymbol('F d -3 m'), [8, 9, 8, 90, 90, 90])).toThrow(
      /do not obey.*one constant: a/,
    );
    expect(() => cellFromFree(spaceGroupFromSymbol('P n m a'), [8])).toThrow(/3 constants: a, b, c; 1 were given/);
    expect(() => cellFromFree(spaceGroupFromSymbol('F d -3 m'), [-2])).toThrow(/make no cell/);
  });
});

describe('tables of sites', () => {
  const ways: [string, string][] = [
    ['as a paper prints it', 'Si1 8a 0.125 0.125 0.125 1 0.005\nO1 32e 0.2612(3) 0.2612(3) 0.2612(3) 0.8 0.012'],
    [
      'with headings in another order',
      'x y z element label occ\n1/8 1/8 1/8 Si Si1 1\n0.2612(3) 0.2612(3) 0.2612(3) O O1 0.8',
    ],
    ['with commas', 'Si1, 1/8, 1/8, 1/8\nO1, 0.2612(3), 0.2612(3), 0.2612(3), 0.8, 0.012'],
    [
      'with tabs, minus signs of print and a remark',
      '# sites\nSi1\tSi\t−0.875\t.125\t1/8\nO1\tO\t0.2612(3)\t0.2612(3)\t0.2612(3)\t0.8',
    ],
    ['with elements and charges', 'Si4+ 0.125 0.125 0.125\nO2- 0.2612(3) 0.2612(3) 0.2612(3) 0.8 0.012'],
  ];
  it.each(ways)('are read %s', (_, text) => {
    const { sites, problems } = readSiteTable(text);
    expect(problems).toEqual([]);
    const [si, o] = sites.map((r) => r.site);
    expect(si).toMatchObject({ element: 'Si', occupancy: 1 });
    expect(si!.position.map((x) => x - Math.floor(x))).toEqual([0.125, 0.125, 0.125]);
    expect(o).toMatchObject({ element: 'O', occupancy: 0.8, position: [0.2612, 0.2612, 0.2612] });
    expect(o!.positionSu?.[0]).toBeCloseTo(0.0003, 9);
    expect(new Set([si!.label, o!.label]).size).toBe(2);
  });

  it('keep charges, take B for what it is, and tell what a line lacks', () => {
    expect(sitesOf('Ti4+ 0 0 0')[0]).toMatchObject({ element: 'Ti', charge: 4 });
    expect(sitesOf('label x y z B\nO1 0 0 0.5 0.79')[0]!.displacement).toMatchObject({
      u: expect.closeTo(0.79 / 78.957, 5),
    });
    expect(sitesOf('C1 0.3333 0.6667 0.25')[0]!.position).toEqual([1 / 3, 2 / 3, 0.25]);
    const { sites, problems } = readSiteTable('Si1 0 0 0\nXx1 0.1 0.2 0.3\nO1 0.1 0.2\nO2 0 0 0.5 1.4 0.01');
    expect(sites).toHaveLength(2);
    expect(problems.map((p) => [p.line, p.reason.split(' ').slice(0, 3).join(' ')])).toEqual([
      [2, '"Xx1" names no'],
      [3, 'there are no'],
    ]);
    expect(readNumber('a')).toBeUndefined();
    expect(readNumber('2/0')).toBeUndefined();
  });
});

describe('every origin is built and judged', () => {
  // Structure types that are textbook knowledge, their sites told from either origin of their group.
  const cases: [string, string, number[], string, string][] = [
    [
      'spinel, origin on the centre',
      'F d -3 m',
      [8.083],
      'Mg 1/8 1/8 1/8\nAl 1/2 1/2 1/2\nO 0.2625 0.2625 0.2625',
      '2',
    ],
    ['spinel, origin on −43m', 'F d -3 m', [8.083], 'Mg 0 0 0\nAl 5/8 5/8 5/8\nO 0.3875 0.3875 0.3875', '1'],
    ['anatase, origin on −4m2', 'I 41/a m d', [3.785, 9.514], 'Ti 0 0 0\nO 0 0 0.2081', '1'],
    ['anatase, origin on the centre', 'I 41/a m d', [3.785, 9.514], 'Ti 0 3/4 1/8\nO 0 3/4 0.3331', '2'],
    [
      'zircon, origin on the centre',
      'I 41/a m d',
      [6.607, 5.982],
      'Zr 0 3/4 1/8\nSi 0 1/4 3/8\nO 0 0.0661 0.1953',
      '2',
    ],
    ['zircon, origin on −4m2', 'I 41/a m d', [6.607, 5.982], 'Zr 0 0 0\nSi 0 0 1/2\nO 0 0.1839 0.3203', '1'],
    [
      'pyrochlore, origin on the centre',
      'F d -3 m',
      [10.233],
      'Ti 0 0 0\nY 1/2 1/2 1/2\nO1 0.3281 1/8 1/8\nO2 3/8 3/8 3/8',
      '2',
    ],
    ['cuprite, origin on −43m', 'P n -3 m', [4.27], 'O 0 0 0\nCu 1/4 1/4 1/4', '1'],
    ['cuprite, origin on the centre', 'P n -3 m', [4.27], 'O 1/4 1/4 1/4\nCu 0 0 0', '2'],
    [
      'scheelite, origin on the centre',
      'I 41/a',
      [5.243, 11.376],
      'Ca 0 1/4 5/8\nW 0 1/4 1/8\nO 0.1504 0.0085 0.2111',
      '2',
    ],
  ];
  it.each(cases)('%s', (_, symbol, constants, sites, origin) => {
    const judged = buildAndJudge(symbol, constants, sitesOf(sites));
    expect(judged).toHaveLength(2);
    expect(judged[0]!.origin).toBe(origin);
    expect(judged[0]!.score).toBeGreaterThan(judged[1]!.score);
    expect(holdings(judged[0]!.structure).charge).toBe(0);
  });

  it('takes one that is named, and one where there is one', () => {
    const sites = sitesOf('Mg 0 0 0\nAl 5/8 5/8 5/8\nO 0.3875 0.3875 0.3875');
    expect(buildAndJudge('F d -3 m:2', [8.083], sites).map((j) => j.origin)).toEqual(['2']);
    expect(buildAndJudge('F m -3 m', [5.64], sitesOf('Na 0 0 0\nCl 1/2 1/2 1/2'))).toHaveLength(1);
    expect(() => buildAndJudge('Q 12', [5], sites)).toThrow(/not a known space-group symbol/);
  });
});

describe('what stands in the table is looked at', () => {
  it('a site near to a special position is offered it, with the count', () => {
    const [{ structure }] = buildAndJudge('F m -3 m', [5.64], sitesOf('Na 0.01 0 0\nCl 1/2 1/2 1/2')) as [
      ReturnType<typeof buildAndJudge>[number],
    ];
    expect(nearSpecial(structure)).toEqual([
      {
        label: 'Na1',
        position: [expect.closeTo(0, 9), expect.closeTo(0, 9), expect.closeTo(0, 9)],
        away: expect.closeTo(0.0564, 6),
        now: 24,
        then: 4,
      },
    ]);
  });

  it('every row tells how often its site is there, by which letter, on what symmetry and who is nearest', () => {
    const [{ structure }] = buildAndJudge(
      'F d -3 m:1',
      [8.083],
      sitesOf('Mg 0 0 0\nAl 5/8 5/8 5/8\nO 0.3875 0.3875 0.3875'),
    ) as [ReturnType<typeof buildAndJudge>[number]];
    expect(siteRows(structure)).toMatchObject([
      {
        label: 'Mg1',
        multiplicity: 8,
        letter: 'a',
        siteSymmetry: '-43m',
        nearest: { label: 'O1', distance: expect.closeTo(1.925, 3) },
      },
      { label: 'Al1', multiplicity: 16, letter: 'd', siteSymmetry: '-3m', nearest: { label: 'O1' } },
      { label: 'O1', multiplicity: 32, letter: 'e', siteSymmetry: '3m' },
    ]);
  });

  it('contacts that cannot be are called out', () => {
    const [{ structure }] = buildAndJudge('P 1', [5, 5, 5, 90, 90, 90], sitesOf('Si 0 0 0\nO 0 0 0.2\nO 0 0.55 0')) as [
      ReturnType<typeof buildAndJudge>[number],
    ];
    expect(shortestContacts(structure)[0]).toMatchObject({ pair: ['O', 'Si'], distance: 1, absurd: true });
    expect(shortestContacts(structure).find((c) => c.pair.join() === 'O,O')).toMatchObject({ absurd: false });
  });
});
