import { describe, expect, it } from 'vitest';
import { valenceCharges } from './valence-charges.ts';

/** Atoms with their hydrogens, such as `C3 O O1` for a carbon with three of them; bonds of the others by index. */
function molecule(atoms: string, bonds: readonly (readonly [number, number])[]) {
  const heavy = atoms.split(' ').map((x) => /^([A-Z][a-z]?)(\d*)$/.exec(x)!);
  const elements = heavy.map((m) => m[1]!);
  const all = [...bonds];
  heavy.forEach((m, i) => {
    for (let n = 0; n < Number(m[2] || 0); n++) all.push([i, elements.push('H') - 1]);
  });
  return valenceCharges(elements, all);
}
const total = (atoms: string, bonds: readonly (readonly [number, number])[] = []): number | string => {
  const { charges, isSettled } = molecule(atoms, bonds);
  return isSettled ? charges.reduce((sum, q) => sum + q, 0) : 'open';
};
/** A ring of the first `n` atoms. */
const ring = (n: number): [number, number][] => Array.from({ length: n }, (_, i) => [i, (i + 1) % n]);
/** The first atom with all the others. */
const star = (n: number): [number, number][] => Array.from({ length: n }, (_, i) => [0, i + 1]);

describe('formal charges by valence', () => {
  it.each([
    ['water', 'O2', [], 0],
    ['hydronium', 'O3', [], 1],
    ['ammonium', 'N4', [], 1],
    ['chloride', 'Cl', [], -1],
    ['formate', 'C1 O O', star(2), -1],
    ['formic acid', 'C1 O O1', star(2), 0],
    [
      'glycine as an ion of both signs',
      'C2 N3 C O O',
      [
        [0, 1],
        [0, 2],
        [2, 3],
        [2, 4],
      ],
      0,
    ],
    ['nitrate', 'N O O O', star(3), -1],
    ['nitromethane', 'N C3 O O', star(3), 0],
    ['sulfate', 'S O O O O', star(4), -2],
    ['hydrogen sulfate', 'S O O O O1', star(4), -1],
    ['dimethyl sulfoxide', 'S C3 C3 O', star(3), 0],
    ['trimethylsulfonium', 'S C3 C3 C3', star(3), 1],
    ['dihydrogen phosphate', 'P O O O1 O1', star(4), -1],
    ['tetramethylphosphonium', 'P C3 C3 C3 C3', star(4), 1],
    ['hexafluorophosphate', 'P F F F F F F', star(6), -1],
    ['tetrafluoroborate', 'B F F F F', star(4), -1],
    ['boric acid', 'B O1 O1 O1', star(3), 0],
    ['perchlorate', 'Cl O O O O', star(4), -1],
    ['triiodide', 'I I I', star(2), -1],
    ['azide', 'N N N', star(2), -1],
    ['thiocyanate', 'C S N', star(2), -1],
    ['acetonitrile', 'C C3 N', star(2), 0],
    ['cyanide', 'C N', star(1), -1],
    ['benzene', 'C1 C1 C1 C1 C1 C1', ring(6), 0],
    ['phenolate', 'C C1 C1 C1 C1 C1 O', [...ring(6), [0, 6]], -1],
    ['pyridine', 'N C1 C1 C1 C1 C1', ring(6), 0],
    ['pyridinium', 'N1 C1 C1 C1 C1 C1', ring(6), 1],
    ['imidazole', 'N1 C1 N C1 C1', ring(5), 0],
    ['imidazolium', 'N1 C1 N1 C1 C1', ring(5), 1],
    ['imidazolate', 'N C1 N C1 C1', ring(5), -1],
    ['guanidinium', 'C N2 N2 N2', star(3), 1],
    ['acetamide', 'C C3 O N2', star(3), 0],
    ['pyridine N-oxide', 'N C1 C1 C1 C1 C1 O', [...ring(6), [0, 6]], 0],
    ['cyclopentadienide', 'C1 C1 C1 C1 C1', ring(5), -1],
    ['naphthalene', 'C1 C1 C1 C1 C C1 C1 C1 C1 C', [...ring(10), [4, 9]], 0],
    ['carbonate', 'C O O O', star(3), -2],
  ] as const)('of %s', (_name, atoms, bonds, charge) => {
    expect(total(atoms, bonds as readonly (readonly [number, number])[])).toBe(charge);
  });

  it('are left open where hydrogens are missing, and told without the metal that is there', () => {
    expect(
      total('C C C', [
        [0, 1],
        [1, 2],
      ]),
    ).toBe('open');
    expect(total('Zn Cl Cl', star(2))).toBe(-2);
    // What is bonded to the metal keeps the charge it has without.
    expect(molecule('Zn Cl Cl N3', star(3)).charges.slice(0, 4)).toEqual([0, -1, -1, 0]);
  });
});
