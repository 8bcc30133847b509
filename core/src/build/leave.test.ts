import { describe, expect, it } from 'vitest';
import { corundum, halite, rutile, textbook } from '../../../demo/src/textbook.ts';
import type { Structure } from '../crystal/structure.ts';
import { layerSlab } from './layers.ts';
import { certainty, FILE_KINDS, proveText, writeStructure } from './leave.ts';
import { supercell } from './supercell.ts';
import { Surface } from './surface.ts';
import { wholeCell } from './whole-cell.ts';

const graphite = textbook('P 63/m m c', 2.464, 6.711, [
  ['C', 0, 0, 0.25],
  ['C', 1 / 3, 2 / 3, 0.25],
]);
const CHOICE = { vacuum: 14, along: 'normal', bothSides: true } as const;
const CRYSTALS: readonly [string, Structure][] = [
  ['rutile', rutile('Ti', 4.594, 2.959, 0.305)],
  ['corundum', corundum('Al', 4.759, 12.991, 0.3522, 0.3062)],
  ['a supercell of halite', supercell(halite('Mg', 4.212), [2, 0, 0, 0, 1, 1, 1, 0, 2]).structure],
  [
    'a slab of rutile',
    new Surface(rutile('Ti', 4.594, 2.959, 0.305), [1, 1, 0]).slab(3, 0, { ...CHOICE, along: 'oblique' }).structure,
  ],
  ['a layer', layerSlab(graphite, 1, CHOICE).structure],
];
const date = '2026-11-26';

describe.each(CRYSTALS)('files of %s', (name, s) => {
  it.each(FILE_KINDS)('come back atom by atom: %s', (kind) => {
    const text = writeStructure(s, { kind, name, date });
    const proof = proveText(s, text, kind);
    expect(proof).toMatchObject({ same: true });
    expect(proof.words).toMatch(/as it should be/);
  });

  it.each(FILE_KINDS)('are not taken for right where an atom is lost or moved: %s', (kind) => {
    const whole = wholeCell(s);
    const without = { ...whole, sites: whole.sites.slice(1) };
    const lost =
      kind === 'cif' ? writeStructure(without, { kind, name, date }) : writeStructure(without, { kind, name, date });
    expect(proveText(s, lost, kind).same).toBe(false);
    const [first, ...others] = whole.sites;
    const moved = {
      ...whole,
      sites: [
        { ...first!, position: [first!.position[0] + 0.02, first!.position[1], first!.position[2]] as const },
        ...others,
      ],
    };
    const text = writeStructure(moved, { kind, name, date });
    // Without a lattice only what atoms are to one another can be compared; one alone has nothing to differ from.
    if (whole.sites.length > 1) expect(proveText(s, text, kind).same).toBe(false);
  });
});

describe('the sheet of what leaves', () => {
  it('tells contents, contacts across the boundaries and the vacuum that is there', () => {
    const s = layerSlab(graphite, 2, CHOICE).structure;
    const sheet = certainty(s, new Set([s.sites[0]!.id]));
    expect(sheet).toMatchObject({ atoms: { C: 4 }, total: 4, symmetry: 'P 1', fixed: 1 });
    const [a, b, c] = sheet.boundaries;
    expect(a!.distance).toBeCloseTo(2.464 / Math.sqrt(3), 5);
    expect(b!.distance).toBeCloseTo(2.464 / Math.sqrt(3), 5);
    expect(c!.distance).toBe(Infinity);
    expect(c!.empty).toBeCloseTo(14, 6);
    expect(a!.empty).toBeLessThan(2);
  });

  it('of a crystal counts by element, with its symmetry', () => {
    expect(certainty(corundum('Al', 4.759, 12.991, 0.3522, 0.3062))).toMatchObject({
      atoms: { Al: 12, O: 18 },
      total: 30,
      formula: 'Al2 O3',
      z: 6,
    });
  });

  it('holds every copy of a site that is held, and of atoms in P 1 only those', () => {
    const held = (s: Structure, ids: readonly string[]): number =>
      writeStructure(s, { kind: 'extended xyz', name: 'held', fixed: new Set(ids), date })
        .split('\n')
        .filter((row) => row.endsWith(' T')).length;
    const oxide = corundum('Al', 4.759, 12.991, 0.3522, 0.3062);
    expect(held(oxide, [oxide.sites[0]!.id])).toBe(12);
    const { sites, ...rest } = wholeCell(oxide);
    expect(held({ ...rest, sites }, [sites[0]!.id, sites[5]!.id])).toBe(2);
  });

  it('says in an extended file which atoms are held, and along which axes it goes on', () => {
    const s = layerSlab(graphite, 1, CHOICE).structure;
    const text = writeStructure(s, { kind: 'extended xyz', name: 'one sheet', fixed: new Set([s.sites[1]!.id]), date });
    const [count, about, ...rows] = text.trim().split('\n');
    expect(count).toBe('2');
    expect(about).toContain('pbc="T T F"');
    expect(about).toContain('fixed:L:1');
    expect(rows.map((r) => r.trim().at(-1)).sort()).toEqual(['F', 'T']);
  });
});
