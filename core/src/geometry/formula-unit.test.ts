import { describe, expect, it } from 'vitest';
import { readFileSync } from 'node:fs';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { formulaText } from '../crystal/formula.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { recognise } from '../formats/recognise.ts';
import { shippedShelf } from '../shelf/entry.ts';
import { formulaUnit } from './formula-unit.ts';

const said = (s: Structure): string => {
  const { formula, z } = formulaUnit(s);
  return `${formulaText(formula)}, Z = ${z}`;
};
const molecule = (line: string, group: string): Structure =>
  testCrystal(line, group, 5, { dMin: 2, repeats: 1 }).structure;

describe('the formula unit', () => {
  it.each([
    ['quartz', 'O2 Si, Z = 3'],
    ['rutile', 'O2 Ti, Z = 2'],
    ['halite', 'Cl Na, Z = 4'],
    ['corundum', 'Al2 O3, Z = 6'],
    ['spinel', 'Al2 Mg O4, Z = 8'],
  ])('of %s is the smallest whole formula', (id, expected) => {
    expect(said(shippedShelf().find((e) => e.id === id)!.structure)).toBe(expected);
  });

  it('of molecules follows them: alone, with water, in two kinds, lying two ways', () => {
    expect(said(molecule('CCO', 'P 1 21/c 1'))).toBe('C2 H6 O, Z = 4');
    expect(said(molecule('OCc1ccncc1.O', 'P -1'))).toBe('C6 H9 N O2, Z = 2');
    const kasumi = readFileSync(new URL('../../../demo/truth/kasumi.cif', import.meta.url), 'utf8');
    expect(said(recognise(kasumi, 'kasumi')[0]!.structure!)).toBe('C10 H10 Cl N O, Z = 4');
  });

  it('counts a molecule on a centre of symmetry whole', () => {
    const site = (i: number, angle: number): Structure['sites'][number] => ({
      id: `s${i}`,
      label: `C${i}`,
      element: 'C',
      position: [0.139 * Math.cos(angle), 0.139 * Math.sin(angle), 0],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.03 },
    });
    const s: Structure = {
      cell: { a: 10, b: 10, c: 10, alpha: 90, beta: 90, gamma: 90 },
      spaceGroup: spaceGroupFromSymbol('P -1'),
      sites: [0, 1, 2].map((i) => site(i, (i * Math.PI) / 3)),
    };
    expect(said(s)).toBe('C6, Z = 1');
  });

  it('of a solid solution keeps its fractions', () => {
    const { structure } = shippedShelf().find((e) => e.id === 'periclase')!;
    const [mg, o] = structure.sites;
    const mixed: Structure = {
      ...structure,
      sites: [{ ...mg!, occupancy: 0.9 }, { ...mg!, id: 'fe', element: 'Fe', occupancy: 0.1 }, o!],
    };
    expect(said(mixed)).toBe('Fe0.1 Mg0.9 O, Z = 4');
  });
});
