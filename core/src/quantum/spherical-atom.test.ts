import { describe, expect, it } from 'vitest';
import { tabledShells } from './basis-sets.ts';
import type { ShellRecipe } from './gaussian.ts';
import { radialGrid } from './radial-grid.ts';
import { atomDensity, configuration, sphericalAtom } from './spherical-atom.ts';

const tempered = (l: number, least: number, ratio: number, count: number): ShellRecipe[] =>
  Array.from({ length: count }, (_, i) => ({ l, exponents: [least * ratio ** i], coefficients: [1] }));

describe('averaged atoms', () => {
  it('have the Hartree–Fock energies of closed shells', () => {
    // Froese Fischer 1977, The Hartree–Fock Method for Atoms.
    for (const [z, energy, within, shells] of [
      [2, -2.86168, 2e-6, tempered(0, 0.1, 2.2, 16)],
      [4, -14.573023, 5e-6, tempered(0, 0.025, 2.2, 22)],
      [10, -128.547098, 2e-4, [...tempered(0, 0.1, 2.4, 18), ...tempered(1, 0.1, 2.4, 11)]],
    ] as const) {
      const atom = sphericalAtom(z, z, shells);
      expect(Math.abs(atom.energy - energy), `Z ${z}`).toBeLessThan(within);
      // The variation principle: no basis is better than the limit.
      expect(atom.energy).toBeGreaterThan(energy - 1e-6);
    }
  });

  it('of one electron is that of the molecule code, and no electron repels itself', () => {
    const atom = sphericalAtom(1, 1, tabledShells('6-31G', 'H')!);
    expect(atom.energy).toBeCloseTo(-0.498233, 6);
  });

  it('are above the lowest state and below none of a configuration: the average of carbon, nitrogen, oxygen', () => {
    // Weighted over the terms of p², p³, p⁴ by the levels of Slater–Condon theory they lie some 0.03 to 0.12 hartree up.
    for (const [element, z, lowest] of [
      ['C', 6, -37.677],
      ['N', 7, -54.382],
      ['O', 8, -74.78],
    ] as const) {
      const { energy } = sphericalAtom(z, z, tabledShells('6-31G', element)!);
      expect(energy - lowest).toBeGreaterThan(0.01);
      expect(energy - lowest).toBeLessThan(0.15);
    }
  });

  it('hold their electrons, which thin out with distance', () => {
    const atom = sphericalAtom(8, 8, tabledShells('6-31G', 'O')!);
    const { r, weights } = radialGrid(120);
    let sum = 0;
    r.forEach((x, i) => (sum += 4 * Math.PI * x * x * weights[i]! * atomDensity(atom, x)));
    expect(sum).toBeCloseTo(8, 8);
    expect(atomDensity(atom, 3)).toBeLessThan(atomDensity(atom, 2));
  });

  it('fill their subshells in order, chromium and copper excepted, and heavier ones are refused', () => {
    expect(configuration(17)).toEqual([[2, 2, 2], [6, 5], []]);
    expect(configuration(24)).toEqual([[2, 2, 2, 1], [6, 6], [5]]);
    expect(configuration(29)).toEqual([[2, 2, 2, 1], [6, 6], [10]]);
    expect(configuration(36)).toEqual([[2, 2, 2, 2], [6, 6, 6], [10]]);
    expect(() => configuration(37)).toThrow(RangeError);
    expect(() => sphericalAtom(6, 6, tabledShells('STO-3G', 'H')!)).toThrow(/functions of l/);
  });
});
