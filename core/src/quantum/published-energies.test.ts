import { describe, expect, it } from 'vitest';
import { quietContext } from '../task-context.ts';
import type { BasisName } from './basis-sets.ts';
import { ammonia, atom, diatomic, formaldehyde, methane, molecule, water } from './test-molecules.ts';
import {
  ImpossibleMolecule,
  USUAL_WAVEFUNCTION,
  wavefunctionOf,
  type Molecule,
  type Wavefunction,
} from './wavefunction.ts';

const exactly = (m: Molecule, basis: BasisName): Promise<Wavefunction> =>
  wavefunctionOf(m, { ...USUAL_WAVEFUNCTION, method: 'hf', repulsion: 'exact', basis }, quietContext());

/** Hehre, Radom, Schleyer & Pople, Ab Initio Molecular Orbital Theory (1986), tables 6.1–6.3: energies at the optimum. */
describe('Hartree–Fock energies as published', () => {
  it.each<readonly [string, BasisName, Molecule, number]>([
    ['water', 'STO-3G', water(0.99, 100), -74.9659],
    ['ammonia', 'STO-3G', ammonia(1.033, 104.2), -55.45542],
    ['methane', 'STO-3G', methane(1.083), -39.72686],
    ['hydrogen fluoride', 'STO-3G', diatomic('H', 'F', 0.956), -98.57285],
    ['carbon monoxide', 'STO-3G', diatomic('C', 'O', 1.146), -111.22545],
    ['formaldehyde', 'STO-3G', formaldehyde(1.217, 1.101, 114.5), -112.35435],
    ['water', '3-21G', water(0.967, 107.6), -75.58596],
    ['ammonia', '3-21G', ammonia(1.003, 112.4), -55.8722],
    ['methane', '3-21G', methane(1.083), -39.97688],
    ['hydrogen fluoride', '3-21G', diatomic('H', 'F', 0.937), -99.46022],
    ['carbon monoxide', '3-21G', diatomic('C', 'O', 1.129), -112.0933],
    ['nitrogen', '3-21G', diatomic('N', 'N', 1.083), -108.30095],
    ['formaldehyde', '3-21G', formaldehyde(1.207, 1.083, 115), -113.22182],
    ['water', '6-31G(d)', water(0.947, 105.5), -76.01075],
    ['ammonia', '6-31G(d)', ammonia(1.002, 107.2), -56.18436],
    ['methane', '6-31G(d)', methane(1.084), -40.19517],
    ['hydrogen fluoride', '6-31G(d)', diatomic('H', 'F', 0.911), -100.00291],
    ['carbon monoxide', '6-31G(d)', diatomic('C', 'O', 1.114), -112.73788],
    ['nitrogen', '6-31G(d)', diatomic('N', 'N', 1.078), -108.94395],
    ['water', '6-31G(d,p)', water(0.943, 106), -76.02361],
  ])('%s in %s', { tags: 'long' }, async (_name, basis, m, energy) => {
    const w = await exactly(m, basis);
    expect(w.converged).toBe(true);
    expect(Math.abs(w.energy - energy)).toBeLessThan(1e-5);
  });

  it('of atoms, unrestricted', async () => {
    for (const [element, multiplicity, energy] of [
      ['H', 2, -0.498233],
      ['C', 3, -37.68086],
      ['N', 4, -54.385442],
      ['O', 3, -74.783934],
      ['F', 2, -99.364957],
    ] as const) {
      const w = await exactly(atom(element, multiplicity), '6-31G(d)');
      expect(Math.abs(w.energy - energy), element).toBeLessThan(2e-6);
    }
  });

  it('to 1e-8 where an energy is known to so many digits', async () => {
    const m = molecule(
      [
        ['O', 0, -0.143225816552, 0],
        ['H', 1.638036840407, 1.136548822547, 0],
        ['H', -1.638036840407, 1.136548822547, 0],
      ],
      1,
      0,
      1,
    );
    const w = await exactly(m, 'STO-3G');
    expect(w.energy).toBeCloseTo(-74.942079928192, 6);
  });
});

describe('a wavefunction', () => {
  const m = water(0.947, 105.5);

  it('by fitted products is the exact one to a few 1e-5 hartree an atom', async () => {
    const [exact, fitted] = await Promise.all(
      (['exact', 'fitted'] as const).map((repulsion) =>
        wavefunctionOf(m, { ...USUAL_WAVEFUNCTION, method: 'hf', repulsion }, quietContext()),
      ),
    );
    expect(Math.abs(exact!.energy - fitted!.energy)).toBeLessThan(1e-4);
    for (let k = 0; k < 3; k++) expect(fitted!.dipole[k]).toBeCloseTo(exact!.dipole[k]!, 2);
  });

  it('of methane has no dipole, that of water points from oxygen to its hydrogens', async () => {
    const none = await exactly(methane(1.084), 'STO-3G');
    expect(Math.hypot(...none.dipole)).toBeLessThan(1e-6);
    const some = await exactly(m, '6-31G(d)');
    // Hehre et al., table 6.10: 2.20 D.
    expect(some.dipole[1] * 2.541746).toBeCloseTo(2.2, 1);
  });

  it('goes on from one before in fewer iterations, to the same energy', async () => {
    const options = { ...USUAL_WAVEFUNCTION, method: 'hf' as const };
    const first = await wavefunctionOf(m, options, quietContext());
    const again = await wavefunctionOf(water(0.948, 105.6), options, quietContext(), undefined, first.spins);
    const anew = await wavefunctionOf(water(0.948, 105.6), options, quietContext());
    expect(again.energy).toBeCloseTo(anew.energy, 8);
    expect(again.iterations).toBeLessThan(anew.iterations);
  });

  it('that stops early says so, and what it has can be gone on from', async () => {
    const options = { ...USUAL_WAVEFUNCTION, method: 'hf' as const };
    const short = await wavefunctionOf(m, { ...options, field: { ...options.field, cycles: 3 } }, quietContext());
    expect(short.converged).toBe(false);
    const rest = await wavefunctionOf(m, options, quietContext(), undefined, short.spins);
    expect(rest.converged).toBe(true);
  });

  it('is refused in words where charge, spin or basis do not fit', async () => {
    await expect(exactly({ ...m, charge: 1 }, 'STO-3G')).rejects.toThrow(/9 electrons .* needs 2, 4/);
    await expect(exactly({ ...m, multiplicity: 0 }, 'STO-3G')).rejects.toThrow(/whole number/);
    await expect(exactly(diatomic('Cu', 'O', 1.9), '6-31G(d)')).rejects.toThrow(ImpossibleMolecule);
  });
});
