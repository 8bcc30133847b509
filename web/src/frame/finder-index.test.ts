import { describe, expect, it } from 'vitest';
import { FINDER_PLACES, nameMatch } from './finder-index.ts';
import { STATIONS } from './stations.ts';

/** The sheet that the words lead to first. */
function first(words: string): string {
  const best = FINDER_PLACES.map((p) => ({ p, score: nameMatch(words, p.text, `${p.also} ${p.sheet}`) }))
    .filter((x) => x.score)
    .sort((a, b) => b.score - a.score)[0];
  return best ? `${best.p.station}: ${best.p.sheet}` : 'nothing';
}

describe('words that people use', () => {
  it.each([
    ['torsion', 'relate: Measures'],
    ['hydrogen bonds', 'relate: Contacts'],
    ['network', 'relate: Contacts'],
    ['weights', 'refine: Least squares'],
    ['resolution limit', 'refine: Data'],
    ['second place', 'refine: Disorder'],
    ['turn about a bond', 'relate: Views'],
    ['twinning', 'refine: Data'],
    ['voids', 'relate: Empty space'],
    ['habit', 'relate: Shape of the crystal'],
    ['supercell', 'build: Cells'],
    ['absorption', 'intake: Scale and absorption'],
    ['anisotropic', 'refine: Least squares'],
    ['Wyckoff', 'symmetry: Space group'],
    ['mask', 'refine: Data'],
    ['bond valence', 'relate: Coordination'],
    ['overlay', 'relate: One over another'],
    ['π⋯π', 'relate: Contacts'],
    ['Formula', 'intake: Contents'],
  ])('“%s” lead to their sheet', (words, sheet) => {
    expect(first(words)).toBe(sheet);
  });

  it('may be half a word or in any order, but have to be there', () => {
    expect(first('bonds hydrogen')).toBe('relate: Contacts');
    expect(first('superc')).toBe('build: Cells');
    expect(first('sandwich')).toBe('nothing');
  });
});

describe('the index', () => {
  it('names stations that there are, and nothing twice', () => {
    const stations = new Set<string>(STATIONS.map((s) => s.id));
    for (const p of FINDER_PLACES) expect(stations).toContain(p.station);
    const names = FINDER_PLACES.map((p) => p.text);
    expect(names.filter((n, i) => names.indexOf(n) !== i)).toEqual([]);
  });
});
