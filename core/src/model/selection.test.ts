import { describe, expect, it } from 'vitest';
import { orthogonalization } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { apply3, inverse3, type Vec3 } from '../math/matrix3.ts';
import { ringOf, selectByWords } from './selection.ts';

const CELL = { a: 20, b: 21, c: 22, alpha: 90, beta: 97, gamma: 90 };
const INVERSE = inverse3(orthogonalization(CELL));

/** A flat six-ring of carbon with a hydroxyl and a chlorine, its hydrogens, and a water far off. */
function phenol(): Structure {
  const sites: Site[] = [];
  const put = (label: string, element: string, [x, y, z]: Vec3, more: Partial<Site> = {}): void => {
    sites.push({
      id: label,
      label,
      element,
      position: apply3(INVERSE, [x + 6, y + 6, z + 6]),
      occupancy: 1,
      displacement: { kind: 'aniso', u: [0.03, 0.03, 0.03, 0, 0, 0] },
      ...more,
    });
  };
  const ring = (i: number, r: number): Vec3 => [r * Math.cos((i * Math.PI) / 3), r * Math.sin((i * Math.PI) / 3), 0];
  for (let i = 0; i < 6; i++) put(`C${i + 1}`, 'C', ring(i, 1.39));
  put('O1', 'O', ring(0, 2.75));
  put('Cl1', 'Cl', ring(3, 3.13));
  for (const i of [1, 2, 4, 5]) put(`H${i + 1}`, 'H', ring(i, 2.34), { displacement: { kind: 'iso', u: 0.05 } });
  put('O2', 'O', [5, 5, 5], { occupancy: 0.6, disorder: { assembly: 'A', group: '1' } });
  put('O3', 'O', [5.3, 5.2, 5], {
    occupancy: 0.4,
    disorder: { assembly: 'A', group: '2' },
    displacement: { kind: 'iso', u: 0.12 },
  });
  return { cell: CELL, spaceGroup: spaceGroupFromSymbol('P 1'), sites };
}
const S = phenol();
const chosen = (words: string): string[] | undefined => selectByWords(S, words)?.sites.map((i) => S.sites[i]!.label);
const RING = ['C1', 'C2', 'C3', 'C4', 'C5', 'C6'];

describe('sites chosen by words', () => {
  it.each([
    ['all carbon', RING],
    ['carbons', RING],
    ['C', RING],
    ['select all oxygen atoms', ['O1', 'O2', 'O3']],
    ['Cl1', ['Cl1']],
    ['cl1', ['Cl1']],
    ['ring of C4', RING],
    ['bonded to C1', ['C2', 'C6', 'O1']],
    ['hydrogens of C2', ['H2']],
    ['molecule of O1', [...RING, 'O1', 'Cl1', 'H2', 'H3', 'H5', 'H6']],
    ['group 2', ['O3']],
    ['group 1 of a', ['O2']],
    ['assembly A', ['O2', 'O3']],
    ['disordered', ['O2', 'O3']],
    ['displacement above 0.1', ['O3']],
    ['u < 0.04', [...RING, 'O1', 'Cl1', 'O2']],
    ['occupancy below 0.5', ['O3']],
    ['isotropic', ['H2', 'H3', 'H5', 'H6', 'O3']],
    ['not hydrogen and not carbon', ['O1', 'Cl1', 'O2', 'O3']],
    ['all but carbon and anisotropic', ['O1', 'Cl1', 'O2']],
    ['O1, Cl1', ['O1', 'Cl1']],
    ['oxygen and occupancy below 1', ['O2', 'O3']],
    ['metals', []],
  ])('%s', (words, labels) => expect(chosen(words)).toEqual(labels));

  it.each([
    '',
    'nonsense',
    'ring of Q9',
    'all iron',
    'bonded to',
    'carbon, nonsense',
    'carbon and nonsense',
    'not nonsense',
  ])('"%s" is not understood, rather than taken for something else', (words) =>
    expect(selectByWords(S, words)).toBeUndefined(),
  );

  it('everything is everything', () => expect(chosen('everything')).toHaveLength(S.sites.length));

  it('says what was understood', () => {
    expect(selectByWords(S, 'ring of c4')!.said).toBe('the ring of C4');
    expect(selectByWords(S, 'not h')!.said).toBe('not all H');
    expect(selectByWords(S, 'group 2 of a')!.said).toBe('group 2 of A');
  });

  it('knows no ring where there is none', () => {
    const site = (label: string): number => S.sites.findIndex((x) => x.label === label);
    expect(ringOf(S, site('O1'))).toEqual([]);
    expect(ringOf(S, site('C1'))).toHaveLength(6);
  });
});
