import { describe, expect, it } from 'vitest';
import { quietContext } from '../task-context.ts';
import { BOHR } from '../math/units.ts';
import type { Centre } from './gaussian.ts';
import { contracted } from './matrices.ts';
import { overlapMatrix } from './one-electron.ts';
import { fermiOccupations, USUAL_FIELD } from './self-consistent-field.ts';
import { shellPairs } from './shell-pairs.ts';
import { USUAL_WAVEFUNCTION, wavefunctionOf, type WavefunctionOptions } from './wavefunction.ts';

describe('how far orbitals are filled', () => {
  const energies = Float64Array.of(-1, -0.5, -0.302, -0.3, -0.3, 0.2);

  it.each([1, 2, 3, 4, 5.5])('adds up to %d electrons', (count) => {
    expect(fermiOccupations(energies, count, 0.01).reduce((sum, x) => sum + x)).toBeCloseTo(count, 10);
  });

  it('is alike for orbitals of one energy, and whole where others are far', () => {
    const [first, , a, b, c, last] = fermiOccupations(energies, 4, 0.01) as unknown as number[];
    expect(first).toBeCloseTo(1, 10);
    expect(b).toBe(c);
    expect(a!).toBeGreaterThan(b!);
    expect(last!).toBeLessThan(1e-20);
    // ln(f/(1 − f)) of two orbitals differs by their energies over kT.
    const logit = (f: number): number => Math.log(f / (1 - f));
    expect(logit(a!) - logit(b!)).toBeCloseTo(0.002 / 0.01, 6);
  });
});

describe('a field that swings between orbitals of one energy', () => {
  const fluorine = (z: number): Centre => ({ element: 'F', charge: 9, position: [0, 0, z / BOHR] });
  const molecule = { centres: [fluorine(0), fluorine(2.4)], charge: 0, multiplicity: 1 };
  const options: WavefunctionOptions = {
    ...USUAL_WAVEFUNCTION,
    basis: '6-31G',
    method: 'lda',
    grid: { radial: 35, sphere: 50 },
  };

  it('settles when they are filled by their energies, and says so', async () => {
    const w = await wavefunctionOf(molecule, options, quietContext());
    expect(w.converged).toBe(true);
    expect(w.smearing).toBe(USUAL_FIELD.smearing);
    const overlap = overlapMatrix(shellPairs(w.basis.shells), w.basis.size);
    expect(contracted(w.total, overlap)).toBeCloseTo(18, 8);
    // Both halves are alike.
    expect(Math.abs(w.dipole[2] - 0)).toBeLessThan(1e-3);
  });

  it('does not without, and a molecule that settles by itself is left alone', async () => {
    const whole = { ...options, field: { ...USUAL_FIELD, smearing: 0, cycles: 50 } };
    expect((await wavefunctionOf(molecule, whole, quietContext())).converged).toBe(false);
    const near = { ...molecule, centres: [fluorine(0), fluorine(1.41)] };
    const w = await wavefunctionOf(near, options, quietContext());
    expect([w.converged, w.smearing]).toEqual([true, undefined]);
  });
});
