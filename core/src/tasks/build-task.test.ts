import { describe, expect, it } from 'vitest';
import { fluorite, halite, rutile } from '../../../demo/src/textbook.ts';
import { cellContents } from '../crystal/structure.ts';
import type { BuildWish, Built } from './build-task.ts';
import type { FromSymmetry } from './from-symmetry-task.ts';
import type { Leaving } from './leave-task.ts';
import { checkedAnswer, runTask } from './registry.ts';

const VACUUM = { vacuum: 12, along: 'normal', bothSides: true } as const;
const build = async (wish: BuildWish, structure = rutile('Ti', 4.594, 2.959, 0.305)): Promise<Built> =>
  (await checkedAnswer('build', await runTask('build', { structure, wish }))) as Built;

describe('the door of building', () => {
  it.each<[string, BuildWish, string, Record<string, number>]>([
    [
      'a supercell',
      { kind: 'supercell', matrix: [2, 0, 0, 0, 1, 0, 0, 0, 1], symmetry: false },
      'Supercell 2 × 1 × 1',
      { Ti: 4, O: 8 },
    ],
    [
      'one with its symmetry',
      { kind: 'supercell', matrix: [1, 1, 0, -1, 1, 0, 0, 0, 1], symmetry: true },
      'Supercell (1 -1 0) (1 1 0) (0 0 1)',
      { Ti: 2, O: 4 },
    ],
    ['a named cell', { kind: 'named', which: 'reduced' }, 'Reduced cell', { Ti: 2, O: 4 }],
    [
      'a slab',
      { kind: 'slab', plane: [1, 1, 0], layers: 2, vacuum: VACUUM },
      'Slab (1 1 0), 2 layers, O uppermost',
      { Ti: 4, O: 8 },
    ],
    ['another element', { kind: 'substitute', site: 'Ti', element: 'Sn', rescale: true }, 'Sn for Ti', { Sn: 2, O: 4 }],
  ])('%s comes with its title and its count', async (_, wish, title, contents) => {
    const built = await build(wish);
    expect(built.title).toBe(title);
    expect(cellContents(built.structure)).toEqual(contents);
    expect(built.words).toMatch(/\.$/);
    if (wish.kind !== 'substitute') expect(built.words).toMatch(/as it should be/);
  });

  it('a slab tells every cut, the one that was taken, and its cell standing either way', async () => {
    const { surface, structure } = await build(
      { kind: 'slab', plane: [1, 1, 1], layers: 3, vacuum: VACUUM },
      fluorite('Ca', 'F', 5.463),
    );
    expect(surface!.terminations).toHaveLength(3);
    expect(surface!.terminations[surface!.chosen]).toMatchObject({ polar: false, symmetric: true });
    expect(surface!.cells.normal).toEqual(structure.cell);
    expect(surface!.cells.normal.alpha).toBeCloseTo(90, 6);
    expect(surface!.cells.oblique.alpha).not.toBeCloseTo(90, 1);
    // Both stand equally high over the same base.
    const { normal, oblique } = surface!.cells;
    expect([oblique.a, oblique.b, oblique.gamma]).toEqual([normal.a, normal.b, expect.closeTo(normal.gamma, 6)]);
    expect(oblique.c).toBeGreaterThan(normal.c);
  });

  it('ordered models come with their count, and say where charges do not rank them', async () => {
    const [a, b] = halite('Mg', 4.212).sites;
    const shared = (charge: number) => ({
      ...halite('Mg', 4.212),
      sites: [
        { ...a!, occupancy: 0.5, charge: 2 },
        { ...a!, id: 'x', label: 'Ni1', element: 'Ni', occupancy: 0.5, charge },
        { ...b!, charge: -2 },
      ],
    });
    const matrix = [2, 0, 0, 0, 1, 0, 0, 0, 1] as const;
    const { order, words, structure } = await build({ kind: 'ordered', matrix, index: 0 }, shared(2));
    expect(order!.total).toBe(70);
    expect(order!.models.reduce((n, m) => n + m.multiplicity, 0)).toBe(70);
    expect(order!.models.length).toBeGreaterThan(2);
    expect(words).toMatch(/do not tell them apart/);
    expect(cellContents(structure)).toEqual({ Mg: 4, Ni: 4, O: 8 });
    expect((await build({ kind: 'ordered', matrix, index: 99 }, shared(2))).order!.chosen).toBe(
      order!.models.length - 1,
    );
    expect((await build({ kind: 'ordered', matrix, index: 0 }, shared(3))).words).toMatch(/not ranked/);
  });

  it('says in words what cannot be made', async () => {
    await expect(build({ kind: 'layer', count: 1, vacuum: VACUUM })).rejects.toThrow(/no layers/);
    await expect(build({ kind: 'slab', plane: [0, 0, 0], layers: 1, vacuum: VACUUM })).rejects.toThrow(/no plane/);
    await expect(build({ kind: 'substitute', site: 'Zz', element: 'Sn', rescale: false })).rejects.toThrow(
      /No site is called/,
    );
    await expect(runTask('build', { structure: halite('Mg', 4.2), wish: { kind: 'tower' } })).rejects.toThrow(
      /input of "build"/,
    );
  });
});

describe('the door of a crystal from its symmetry', () => {
  const from = async (
    symbol: string,
    constants: number[],
    table: string,
    snapped: string[] = [],
  ): Promise<FromSymmetry> =>
    (await checkedAnswer(
      'from symmetry',
      await runTask('from symmetry', { symbol, constants, table, snapped }),
    )) as FromSymmetry;

  it('gives both origins with figures, contacts and what stands near a special position', async () => {
    const { judged, understood, problems } = await from(
      'F d -3 m',
      [8.083],
      'Mg 0 0 0\nAl 5/8 5/8 5/8\nO 0.3875 0.3875 0.39\nfoot of the table',
    );
    expect(understood).toBe('label, x, y, z');
    expect(problems).toEqual([{ line: 4, text: 'foot of the table', reason: 'there are no three coordinates in it' }]);
    const [first, second] = judged;
    expect([first!.origin, second!.origin]).toEqual(['1', '2']);
    expect(first!.special.map((n) => [n.label, n.now, n.then])).toEqual([['O1', 96, 32]]);
    expect(second!.contacts.some((c) => c.absurd)).toBe(true);
  });

  it('judges anew when a site goes onto its special position', async () => {
    const table = 'Mg 0 0 0\nAl 5/8 5/8 5/8\nO 0.3875 0.3875 0.39';
    const given = (await from('F d -3 m', [8.083], table)).judged.find((j) => j.origin === '1')!;
    const [put] = (await from('F d -3 m', [8.083], table, ['O1'])).judged;
    expect(given.holdings).toMatchObject({ formula: 'Al2 Mg O12' });
    expect(put!.holdings).toMatchObject({ formula: 'Al2 Mg O4', charge: 0 });
    expect(put!.rows.map((r) => r.multiplicity)).toEqual([8, 16, 32]);
    expect(put!.score).toBeGreaterThan(given.score + 0.3);
    // What was offered is still told, so that it can be taken back.
    expect(put!.special.map((n) => n.label)).toEqual(['O1']);
  });

  it('of an empty table nothing, of a wrong symbol a sentence', async () => {
    expect(await from('P 1', [4, 4, 4, 90, 90, 90], '')).toEqual({ judged: [], understood: '', problems: [] });
    await expect(from('P 99', [4], 'Na 0 0 0')).rejects.toThrow(/not a known space-group symbol/);
    await expect(from('F m -3 m', [4, 5], 'Na 0 0 0')).rejects.toThrow(/one constant: a/);
  });
});

it('the door of leaving gives the text, what it holds, and that it was read back', async () => {
  const structure = halite('Mg', 4.212);
  for (const kind of ['cif', 'p1 cif', 'extended xyz', 'xyz', 'csv'] as const) {
    const wish = { structure, kind, name: 'halite', fixed: [], date: '2026-11-26' };
    const { text, proof, sheet } = (await checkedAnswer('leave', await runTask('leave', wish))) as Leaving;
    expect(text.length).toBeGreaterThan(100);
    expect(proof).toEqual({ same: true, words: '4 Mg, 4 O, as it should be.' });
    expect(sheet).toMatchObject({ total: 8, formula: 'Mg O', z: 4, symmetry: 'F m -3 m' });
  }
});
