import { describe, expect, it } from 'vitest';
import { parseCif } from '../formats/cif-parser.ts';
import { readStructure } from '../formats/cif-sites.ts';
import { cifProblems } from '../formats/dictionary.ts';
import { structureCif } from '../publish/structure-cif.ts';
import { chargeOf, typeSymbol } from './charge.ts';
import { spaceGroupFromSymbol } from './settings.ts';
import type { Structure } from './structure.ts';

describe('the symbol of an atom type', () => {
  it.each([
    ['Fe3+', 3],
    ['O2-', -2],
    ['Na+', 1],
    ['Cl-', -1],
    ['Fe+2', 2],
    ['N-3', -3],
    ['Cl1-', -1],
    ['C', undefined],
    ['Fe0+', undefined],
    ['C12', undefined],
    ['H(1)', undefined],
    ['Fe3+x', undefined],
  ])('%s has the charge %s', (symbol, charge) => expect(chargeOf(symbol)).toBe(charge));

  it('is written as it is read', () => {
    for (const q of [-3, -2, -1, 1, 2, 3, 4]) expect(chargeOf(typeSymbol('Ti', q))).toBe(q);
    expect(typeSymbol('Ti')).toBe('Ti');
    expect(typeSymbol('Ti', 0)).toBe('Ti');
  });
});

describe('the charge of a site', () => {
  const site = (label: string, element: string, x: number, charge?: number): Structure['sites'][number] => ({
    id: label,
    label,
    element,
    position: [x, x, x],
    occupancy: 1,
    displacement: { kind: 'iso', u: 0.01 },
    ...(charge === undefined ? {} : { charge }),
  });
  const salt: Structure = {
    cell: { a: 8.4, b: 8.4, c: 8.4, alpha: 90, beta: 90, gamma: 90 },
    spaceGroup: spaceGroupFromSymbol('P 1'),
    sites: [site('Fe1', 'Fe', 0.1, 2), site('Fe2', 'Fe', 0.3, 3), site('O1', 'O', 0.5, -2), site('C1', 'C', 0.7)],
  };

  it('goes into a CIF and comes back, each charge a type of its own', () => {
    const text = structureCif({ name: 'salt', structure: salt, experiment: { kept: {} }, date: '2026-11-25' });
    const types = /_atom_type_scat_source\n((?:.+\n)+)/.exec(text)![1]!.trim().split('\n');
    expect(types.map((t) => t.split(/\s+/)[0])).toEqual(['Fe2+', 'Fe3+', 'O2-', 'C']);
    const back = readStructure(parseCif(text)[0]!)!;
    expect(back.sites.map((x) => [x.element, x.charge])).toEqual([
      ['Fe', 2],
      ['Fe', 3],
      ['O', -2],
      ['C', undefined],
    ]);
    expect(cifProblems(text).filter((p) => p.tag.includes('type_symbol'))).toEqual([]);
  });

  it('is absent, not zero, where the file says none', () => {
    const text = structureCif({ name: 'plain', structure: salt, experiment: { kept: {} }, date: '2026-11-25' });
    const plain = readStructure(parseCif(text.replaceAll(/(Fe|O)\d[+-]/g, '$1'))[0]!)!;
    for (const x of plain.sites) expect(x).not.toHaveProperty('charge');
  });
});
