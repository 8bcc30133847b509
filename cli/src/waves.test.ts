import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { beforeAll, describe, expect, it } from 'vitest';
import { wavefunctionOptions } from '@nagare/core/aspherical/levels';
import { seededRandom } from '@nagare/core/math/random';
import { CifWriter } from '@nagare/core/publish/cif-writer';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { writeReflections } from '../../demo/src/reflection-loop.ts';
import { testCrystal } from '../../demo/src/test-crystals.ts';
import { waveCrystal } from '../../demo/src/wave-crystal.ts';
import { runCommand } from './commands.ts';

const folder = mkdtempSync(join(tmpdir(), 'nagare-waves-'));
const file = (name: string): string => join(folder, name);
const answer = async (...args: string[]) => {
  const { code, out, problem } = await runCommand(args, () => undefined);
  expect(problem).toBeUndefined();
  expect(code).toBe(0);
  return JSON.parse(out!) as Record<string, never>;
};

describe('nagare wavefunction', () => {
  // The optimum of Hehre, Radom, Schleyer & Pople (1986): 0.947 Å, 105.5°.
  writeFileSync(file('water.xyz'), '3\nwater\nO 0 0 0\nH 0.753824 0.573178 0\nH -0.753824 0.573178 0\n');

  it('gives the published energy of water in one wavefunction, and writes it', async () => {
    const w = await answer(
      'wavefunction',
      file('water.xyz'),
      '--method',
      'hf',
      '--basis',
      '6-31G*',
      '--out',
      file('wave.json'),
      '--json',
    );
    expect(w['energy']).toBeCloseTo(-76.010746, 5);
    expect(w['basisFunctions']).toBe(19);
    expect(w['electrons']).toBe(10);
    expect(w['dipole']).toBeCloseTo(2.2, 1);
    const charges = w['charges'] as { label: string; charge: number }[];
    expect(charges.reduce((sum, c) => sum + c.charge, 0)).toBeCloseTo(0, 2);
    const { molecules } = JSON.parse(readFileSync(file('wave.json'), 'utf8')) as {
      molecules: { density: number[]; atoms: unknown[] }[];
    };
    expect(molecules[0]!.density).toHaveLength(19 * 19);
    expect(molecules[0]!.atoms).toHaveLength(3);
  });

  it(
    'divides the density again until its atoms are those it was divided by, where that is asked for',
    { tags: 'long' },
    async () => {
      const charge = async (...more: string[]): Promise<number> => {
        const w = await answer('wavefunction', file('water.xyz'), '--method', 'hf', ...more, '--json');
        return (w['charges'] as { charge: number }[])[0]!.charge;
      };
      expect(await charge('--division', 'iterated')).toBeLessThan((await charge()) - 0.3);
      const { code, problem } = await runCommand(
        ['wavefunction', file('water.xyz'), '--division', 'half'],
        () => undefined,
      );
      expect(code).toBe(2);
      expect(problem).toContain('--division must be stockholder or iterated, not "half"');
    },
  );

  it('takes a charge and a spin, and refuses what cannot be in a sentence', async () => {
    const w = await answer(
      'wavefunction',
      file('water.xyz'),
      '--basis',
      'sto-3g',
      '--charge',
      '1',
      '--spin',
      '2',
      '--json',
    );
    expect(w['electrons']).toBe(9);
    for (const [args, says] of [
      [['--charge', '1', '--spin', '1'], /9 electrons/],
      [['--basis', 'huge'], /--basis must be one of/],
      [['--method', 'dft'], /--method must be hf/],
    ] as const) {
      const { code, problem } = await runCommand(['wavefunction', file('water.xyz'), ...args], () => undefined);
      expect(code).toBe(2);
      expect(problem).toMatch(says);
    }
  });
});

describe('nagare aspherical', () => {
  beforeAll(async () => {
    const measurement = {
      dMin: 0.7,
      wavelength: 0.71075,
      coverage: 0.95,
      repeats: 1.5,
      meanCounts: 1500,
      systematic: 0.012,
      outliers: 0,
    };
    const { structure } = testCrystal('O', 'P 21 21 21', 3);
    const { raw } = await waveCrystal(structure, measurement, seededRandom(6), {
      wavefunction: wavefunctionOptions('6-31G(d,p)', 'hf'),
      neighbours: 'none',
    });
    const w = new CifWriter('x');
    writeReflections(w, raw, 2);
    const model = structureCif({
      name: 'ice',
      structure,
      wavelength: 0.71075,
      date: '2026-11-27',
      experiment: { wavelength: 0.71075, kept: {} },
    });
    writeFileSync(file('ice.cif'), model + w.toString().replace(/^data_x\n\n/, ''));
  }, 60_000);

  it('says each round, what was gained, bonds before and after; the CIF says how', { tags: 'long' }, async () => {
    const r = (await answer(
      'aspherical',
      file('ice.cif'),
      '--level',
      'quick',
      '--out',
      file('final.cif'),
      '--json',
    )) as never as {
      rounds: { r1: number; energy: number; maxShiftOverSu: number }[];
      r1Spherical: number;
      r1: number;
      settled: boolean;
      bonds: { a: string; h: string; spherical: number; aspherical: number; su: number }[];
    };
    expect(r.rounds.length).toBeGreaterThan(1);
    expect(r.rounds.at(-1)!.maxShiftOverSu).toBeLessThan(0.01);
    expect(r.settled).toBe(true);
    expect(r.r1).toBeLessThan(r.r1Spherical);
    expect(r.bonds).toHaveLength(2);
    for (const b of r.bonds) {
      expect(b.aspherical - b.spherical).toBeGreaterThan(0.05);
      expect(b.su).toBeGreaterThan(0.0005);
    }
    const cif = readFileSync(file('final.cif'), 'utf8');
    expect(cif).toMatch(/_nagare_aspherical_method/);
    expect(cif).toMatch(/stockholder/);
  });

  it('refuses a level that there is not', async () => {
    const { code, problem } = await runCommand(['aspherical', file('ice.cif'), '--level', 'perfect'], () => undefined);
    expect(code).toBe(2);
    expect(problem).toMatch(/--level must be quick, good or best/);
  });
});
