import { describe, expect, it } from 'vitest';
import { runCommand } from './commands.ts';

const energies = async (path: string) => {
  const { code, out, problem } = await runCommand(['energies', path, '--json'], () => undefined);
  return { code, problem, json: out ? JSON.parse(out) : undefined };
};

describe('energies of the terminal', () => {
  it('one object: pairs with their parts, the lattice, remarks', async () => {
    const { code, json } = await energies('demo/truth/asagi-8.cif');
    expect(code).toBe(0);
    expect(json.pairs.length).toBeGreaterThan(10);
    for (const p of json.pairs) {
      expect(p.dispersion + p.repulsion + p.electrostatic).toBeCloseTo(p.energy, 3);
      expect(p.symmetry).toMatch(/^(\.|\d+_\d{3})$/);
    }
    // A molecule sees each contact from either side: as many neighbours come by an operator as by its inverse.
    const half = json.pairs.reduce((sum: number, p: { energy: number }) => sum + p.energy, 0) / 2;
    expect(json.lattice / half).toBeGreaterThan(0.9);
    expect(json.lattice / half).toBeLessThan(1.25);
  });

  it('says in a sentence that there is no molecule', async () => {
    const { code, problem } = await energies('demo/data/nibiiro.cif');
    expect(code).toBe(2);
    expect(problem).toContain('no molecule');
  });
});
