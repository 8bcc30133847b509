import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { halite } from '../../../demo/src/textbook.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { Roles, type Role } from './roles.ts';

/** Roles of the atoms of a molecule by its elements, each once, sorted. */
function rolesOf(smiles: string): Record<string, (Role | undefined)[]> {
  const s = bonded(testCrystal(smiles, 'P 21/c', 4).structure);
  const roles = new Roles(s);
  const out: Record<string, Set<Role | undefined>> = {};
  s.sites.forEach(({ element }, i) => (out[element] ??= new Set()).add(roles.of(i)));
  return Object.fromEntries(Object.entries(out).map(([e, set]) => [e, [...set].sort()]));
}

describe('what an atom is to a contact', () => {
  it('goes by what it is bonded to', () => {
    expect(rolesOf('CC(=O)Nc1ccc(O)cc1')).toEqual({
      C: ['aliphatic C', 'aromatic C'],
      N: ['amide'],
      O: ['carbonyl', 'hydroxyl'],
      H: [undefined],
    });
  });

  it.each<[string, string, readonly Role[]]>([
    ['O=C(O)c1ccccc1', 'O', ['carbonyl', 'hydroxyl']],
    ['COc1ccccc1', 'O', ['ether']],
    ['c1ccncc1C', 'N', ['pyridine']],
    ['N#Cc1ccccc1', 'N', ['nitrile']],
    ['Nc1ccccc1', 'N', ['amine']],
    ['Clc1ccccc1', 'Cl', ['organic halogen']],
  ])('of %s, %s', (smiles, element, roles) => {
    expect(rolesOf(smiles)[element]).toEqual(roles);
  });

  it('of a salt: metals and halides, which no ring is told of', () => {
    const roles = new Roles(halite('Na', 5.64, 'Cl'));
    expect(roles.of(0)).toBe('metal');
    expect(roles.of(1)).toBe('halide');
    expect(roles.flat).toEqual([]);
  });

  it('is asked for by role, by element, or as any but hydrogen', () => {
    const s = bonded(testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', 4).structure);
    const roles = new Roles(s);
    const at = (element: string): number => s.sites.findIndex((x) => x.element === element);
    expect(roles.isOneOf(at('N'), ['amide'])).toBe(true);
    expect(roles.isOneOf(at('N'), ['N'])).toBe(true);
    expect(roles.isOneOf(at('N'), ['any'])).toBe(true);
    expect(roles.isOneOf(at('N'), ['amine', 'O'])).toBe(false);
    expect(roles.isOneOf(at('H'), ['any'])).toBe(false);
    expect(roles.isOneOf(at('H'), ['H'])).toBe(true);
  });

  it('knows flat rings, and none in what is not flat', () => {
    const flat = (smiles: string): number => new Roles(bonded(testCrystal(smiles, 'P 21/c', 4).structure)).flat.length;
    expect(flat('Oc1ccccc1')).toBe(1);
    expect(flat('OC1CCCCC1')).toBe(0);
  });
});
