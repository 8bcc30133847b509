import { describe, expect, it } from 'vitest';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { crystalCharges } from './molecule-charges.ts';
import { MolecularCrystal } from './molecules.ts';

type Row = readonly [label: string, x: number, y: number, z: number, charge?: number];

/** Atoms in a large cubic cell, places in Å. */
function crystal(rows: readonly Row[], a = 20, group = 'P 1'): Structure {
  const sites = rows.map(([label, x, y, z, charge]): Site => {
    const element = /^[A-Z][a-z]?/.exec(label)![0];
    return {
      id: label,
      label,
      element,
      position: [x / a, y / a, z / a],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.04 },
      ...(charge === undefined ? {} : { charge }),
    };
  });
  return {
    cell: { a, b: a, c: a, alpha: 90, beta: 90, gamma: 90 },
    spaceGroup: spaceGroupFromSymbol(group)!,
    sites,
  };
}

const told = (s: Structure) => {
  const found = new MolecularCrystal(bonded(s));
  const { molecules, remarks, bySite } = crystalCharges(found);
  return { charges: Object.fromEntries(found.molecules.map((m, k) => [m.formula, molecules[k]!])), remarks, bySite };
};

const AMMONIUM: readonly Row[] = [
  ['N1', 0, 0, 0],
  ['H1', 0.59, 0.59, 0.59],
  ['H2', -0.59, -0.59, 0.59],
  ['H3', -0.59, 0.59, -0.59],
  ['H4', 0.59, -0.59, -0.59],
];
/** Tetrahedral, about a metal at (10, 10, 10). */
const CHLORIDES = [
  [1, 1, 1],
  [-1, -1, 1],
  [-1, 1, -1],
  [1, -1, -1],
].map(([x, y, z], i): Row => [`Cl${i + 1}`, 10 + 1.31 * x!, 10 + 1.31 * y!, 10 + 1.31 * z!]);
const another = (rows: readonly Row[], by: number): Row[] =>
  rows.map(([l, x, y, z]) => [`${l}${by}`, x + by, y, z] as const);

describe('charges of the molecules of a crystal', () => {
  it('are those of ions by valence, and balance', () => {
    expect(told(crystal([...AMMONIUM, ['Cl1', 5, 5, 5]]))).toMatchObject({
      charges: { 'H4 N': 1, Cl: -1 },
      remarks: [],
    });
    expect(told(crystal([['K1', 0, 0, 0], ['Cl1', 5, 5, 5]])).charges).toEqual({ K: 1, Cl: -1 }); // prettier-ignore
  });

  it('of a complex follow from its metal where that has one charge', () => {
    const found = told(crystal([['Zn1', 10, 10, 10], ...CHLORIDES, ...AMMONIUM, ...another(AMMONIUM, 5)]));
    expect(found.charges).toEqual({ 'Cl4 Zn': -2, 'H4 N': 1 });
    expect(found.bySite.get('Zn1')).toBe(2);
  });

  it('of another complex follow from what is around it, on the metal', () => {
    const found = told(crystal([['Fe1', 10, 10, 10], ...CHLORIDES, ...AMMONIUM]));
    expect(found.charges).toEqual({ 'Cl4 Fe': -1, 'H4 N': 1 });
    expect(found.bySite.get('Fe1')).toBe(3);
    expect(found.remarks).toEqual([]);
  });

  it('are what was said of the sites before anything else', () => {
    expect(told(crystal([...AMMONIUM, ['Br1', 5, 5, 5, -1]])).charges).toEqual({ 'H4 N': 1, Br: -1 });
    const said = told(crystal([['Fe1', 10, 10, 10, 2], ...CHLORIDES.map((r) => [...r, -1] as unknown as Row)]));
    expect(said.charges).toEqual({ 'Cl4 Fe': -2 });
  });

  it('are none, and that is said, where they cannot balance', () => {
    const found = told(crystal([['Cl1', 5, 5, 5]]));
    expect(found.charges).toEqual({ Cl: 0 });
    expect(found.remarks.join(' ')).toContain('do not balance');
  });
});
