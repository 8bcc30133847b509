import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { recognise } from '@nagare/core/formats/recognise';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { runCommand } from './commands.ts';

const folder = mkdtempSync(join(tmpdir(), 'nagare-build-'));
const file = (name: string): string => join(folder, name);
const shelf = (id: string): string => {
  const { structure } = shippedShelf().find((e) => e.id === id)!;
  writeFileSync(file(`${id}.cif`), structureCif({ name: id, structure, experiment: { kept: {} }, date: '2026-11-26' }));
  return file(`${id}.cif`);
};
interface Built {
  readonly cell: readonly number[];
  readonly angles: readonly number[];
  readonly area: number;
  readonly density: number;
  readonly factor: number;
  readonly thickness: number;
  readonly termination: number;
  readonly terminations: readonly unknown[];
  readonly matrix: readonly (readonly number[])[];
  readonly judged: readonly { readonly origin: string; readonly score: number }[];
}
const build = async (...args: string[]): Promise<Built> => {
  const { code, out, problem } = await runCommand(['build', ...args, '--json'], () => undefined);
  expect(problem ?? '').toBe('');
  expect(code).toBe(0);
  return JSON.parse(out!) as Built;
};
const refused = async (...args: string[]): Promise<string> => {
  const { code, out, problem } = await runCommand(['build', ...args], () => undefined);
  expect(code).toBe(2);
  expect(out).toBeUndefined();
  return problem!.split('\n')[0]!;
};

describe('build of the terminal', () => {
  it('a supercell, written and read back in every format', async () => {
    for (const ending of ['cif', 'xyz', 'csv']) {
      const out = file(`super.${ending}`);
      const r = await build('supercell', shelf('rutile'), '--matrix', '2,0,0;0,2,0;1,0,1', '--out', out);
      expect(r).toMatchObject({ atoms: { Ti: 8, O: 16 }, total: 24, before: 6, after: 24, determinant: 4, out });
      if (ending === 'csv') expect(readFileSync(out, 'utf8').trim().split('\n')).toHaveLength(25);
      else expect(recognise(readFileSync(out, 'utf8'), out)[0]!.structure!.sites).toHaveLength(24);
    }
  });

  it('a slab with its terminations, the plane as the new base', async () => {
    const r = await build('slab', shelf('fluorite'), '--plane', '-1,1,1', '--layers', '4', '--vacuum', '15');
    const a = recognise(readFileSync(shelf('fluorite'), 'utf8'), 'f.cif')[0]!.structure!.cell.a;
    expect(r).toMatchObject({ atoms: { Ca: 4, F: 8 }, vacuum: 15, formula: 'Ca F2', termination: expect.any(Number) });
    expect(r.area).toBeCloseTo((a * a * Math.sqrt(3)) / 4, 4);
    expect(r.angles[0]).toBeCloseTo(90, 4);
    expect(r.angles[2]).toBeCloseTo(120, 4);
    expect(r.cell[2]).toBeCloseTo(r.thickness + 15, 5);
    expect(r.terminations).toHaveLength(3);
    expect(r.terminations[r.termination]).toMatchObject({ polar: false, symmetric: true, composition: { F: 1 } });
    for (const row of r.matrix.slice(0, 2)) expect(-row[0]! + row[1]! + row[2]!).toBeCloseTo(0, 9);
    const oblique = await build('slab', shelf('fluorite'), '--plane', '1,1,1', '--oblique', '--termination', '0');
    expect(oblique.termination).toBe(0);
    expect(oblique.angles[0]).not.toBeCloseTo(90, 1);
  });

  it('the primitive cell, and the conventional one of atoms without symmetry', async () => {
    const primitive = await build('primitive', shelf('fluorite'), '--out', file('primitive.xyz'));
    expect(primitive).toMatchObject({ atoms: { Ca: 1, F: 2 }, after: 3 });
    const back = await build('conventional', file('primitive.xyz'));
    expect(back).toMatchObject({ atoms: { Ca: 4, F: 8 }, spaceGroup: 'F m -3 m' });
    expect(await build('reduced', shelf('fluorite'))).toMatchObject({ total: 3 });
  });

  it('a crystal from its symmetry, either origin', async () => {
    const sites = file('sites.txt');
    writeFileSync(sites, '# an oxide\nMg 0 0 0\nAl 5/8 5/8 5/8\nO 0.3875 0.3875 0.3875\n');
    const args = ['crystal', '--group', 'F d -3 m', '--cell', '8.083', '--sites', sites];
    const judged = await build(...args, '--out', file('spinel.cif'));
    expect(judged).toMatchObject({ formula: 'Al2 Mg O4', z: 8, total: 56, origin: '1' });
    expect(judged.density).toBeCloseTo(3.58, 1);
    expect(judged.judged.map((j) => j.origin)).toEqual(['1', '2']);
    expect(judged.judged[0]!.score).toBeGreaterThan(judged.judged[1]!.score);
    expect(await build(...args, '--origin', '2')).toMatchObject({ origin: '2' });
    const swapped = await build('substitute', file('spinel.cif'), '--site', 'Al', '--element', 'Cr', '--rescale');
    expect(swapped).toMatchObject({ atoms: { Mg: 8, Cr: 16, O: 32 } });
    expect(swapped.factor).toBeGreaterThan(1.005);
  });

  it.each<[string, string[], RegExp]>([
    ['no matrix', ['supercell', 'rutile', '--matrix', '1,2'], /no matrix of whole numbers/],
    ['a flat matrix', ['supercell', 'rutile', '--matrix', '1,0,0;0,1,0;1,1,0'], /one plane/],
    ['two indices', ['slab', 'rutile', '--plane', '1,1'], /three whole numbers/],
    ['no such termination', ['slab', 'rutile', '--plane', '1,1,0', '--termination', '9'], /no termination 9/],
    ['both ways at once', ['slab', 'rutile', '--plane', '1,1,0', '--normal', '--oblique'], /exclude one another/],
    ['layers of a framework', ['layer', 'rutile'], /no layers/],
    ['an element that is none', ['substitute', 'rutile', '--site', 'Ti', '--element', 'Qx'], /no element/],
    ['an ending nobody knows', ['primitive', 'rutile', '--out', 'x.doc'], /written as .cif, .xyz or .csv/],
    ['no way', ['tower', 'rutile'], /"tower" is not a command of nagare build/],
  ])('%s is one sentence', async (_, [way, model, ...rest], said) => {
    expect(await refused(way!, shelf(model!), ...rest)).toMatch(said);
  });

  it('tells the line of a table that cannot be read', async () => {
    const sites = file('bad.txt');
    writeFileSync(sites, 'Mg 0 0 0\nO 0.1 0.2\n');
    expect(await refused('crystal', '--group', 'P 1', '--cell', '4,4,4,90,90,90', '--sites', sites)).toMatch(/line 2/);
    expect(await refused('crystal', '--group', 'P n m a', '--cell', '4', '--sites', sites)).toMatch(/line 2/);
    expect(await refused('crystal', '--group', 'P 1')).toMatch(/needs --group/);
  });

  it('a polar slab with a remedy, in another cell of the plane', async () => {
    const plain = await build('slab', shelf('halite'), '--plane', '1,1,1', '--layers', '4');
    expect(plain).toMatchObject({ dipole: expect.any(Number), excess: {} });
    const mended = await build('slab', file('halite.cif'), '--plane', '1,1,1', '--layers', '4', '--remedy', 'moved');
    expect(mended).toMatchObject({ dipole: expect.closeTo(0, 6), total: 16 });
    const wide = await build('slab', file('halite.cif'), '--plane', '1,1,1', '--layers', '4', '--in-plane', '2,0;0,3');
    expect(wide).toMatchObject({ total: 48 });
    expect(await refused('slab', file('halite.cif'), '--plane', '1,1,1', '--remedy', 'hope')).toMatch(/alike, moved/);
    expect(await refused('slab', file('halite.cif'), '--plane', '1,1,1', '--in-plane', '2,0')).toMatch(/two rows/);
  });

  it('a strained crystal with the symmetry that is left, and the empty space of one', async () => {
    const r = await build('strain', shelf('rutile'), '--tensor', '1,0,0,0,0,0');
    expect(r).toMatchObject({ before: 6, after: 6 });
    expect(await refused('strain', file('rutile.cif'))).toMatch(/either --tensor/);
    expect(await refused('strain', file('rutile.cif'), '--tensor', '1,0')).toMatch(/six numbers/);
    expect(await build('pores', shelf('quartz'))).toMatchObject({ largest: { diameter: expect.any(Number) } });
  });

  it('a stack needs layers', async () => {
    expect(await refused('stack', shelf('rutile'))).toMatch(/no layers/);
    expect(await refused('stack', file('rutile.cif'), '--twist', 'much')).toMatch(/needs an angle/);
  });
});
