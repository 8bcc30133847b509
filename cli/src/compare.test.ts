import { describe, expect, it } from 'vitest';
import { runCommand } from './commands.ts';

const compared = async (...paths: string[]) => {
  const { code, out, problem } = await runCommand(['compare', ...paths, '--json'], () => undefined);
  return { code, problem, json: out ? JSON.parse(out) : undefined };
};

describe('two structures in the terminal', () => {
  it('a crystal is like itself in every way', async () => {
    const { code, json } = await compared('demo/truth/asagi-8.cif', 'demo/truth/asagi-8.cif');
    expect(code).toBe(0);
    expect(json).toMatchObject({ packing: { matched: 15, of: 15 }, patternSimilarity: 1 });
    expect(json.molecules.rms).toBeLessThan(1e-4);
  });

  it('two forms of one dye have the molecule and not the packing', async () => {
    const { json } = await compared('demo/data/ukonzome-1.cif', 'demo/data/ukonzome-2.cif');
    expect(json.molecules.rms).toBeLessThan(1.5);
    expect(json.packing.matched).toBeLessThan(10);
    expect(json.patternSimilarity).toBeLessThan(0.98);
  });

  it('frameworks are compared atom by atom, and by their patterns', async () => {
    const { json } = await compared('demo/data/hachisu.cif', 'demo/data/hachisu.cif');
    expect(json).toMatchObject({ molecules: null, packing: null, patternSimilarity: 1 });
    expect(json.framework.matched).toBe(json.framework.of);
    expect(json.framework).toMatchObject({ rms: 0, mirrored: false, lattice: { ratio: 1 } });
  });

  it('needs two', async () => {
    expect((await compared('demo/data/hachisu.cif')).problem).toContain('nagare compare needs a file: b.cif.');
  });
});
