import { describe, expect, it } from 'vitest';
import { brucite, halite, textbook } from '../../../demo/src/textbook.ts';
import { cellContents } from '../crystal/structure.ts';
import { shortestContacts } from './from-symmetry.ts';
import { netAlone } from './layers.ts';

describe('chains and clusters by themselves', () => {
  it('a chain keeps its repeat along c and its bonds, with nothing beside it', () => {
    const s = textbook('P 1', 9, 2.4, [
      ['C', 0.1, 0.2, 0],
      ['C', 0.2, 0.2, 0.5],
    ]);
    const { structure, size } = netAlone(s, 'chain', 10);
    expect(structure.cell.c).toBeCloseTo(2.4, 9);
    expect(size.map((x) => Number(x.toFixed(6))).sort((p, q) => p - q)).toEqual([0, 0.9]);
    expect(cellContents(structure)).toEqual({ C: 2 });
    expect(shortestContacts(structure)[0]!.distance).toBeCloseTo(shortestContacts(s)[0]!.distance, 9);
  });

  it('a cluster stands in a box that leaves the wished room on every side', () => {
    const s = textbook('P 1', 12, 12, [
      ['O', 0.3, 0.3, 0.3],
      ['H', 0.36, 0.35, 0.3],
      ['H', 0.24, 0.35, 0.3],
    ]);
    const { structure, size } = netAlone(s, 'cluster', 8);
    const edges = [structure.cell.a, structure.cell.b, structure.cell.c];
    edges.forEach((x, k) => expect(x).toBeCloseTo(size[k]! + 8, 9));
    expect(shortestContacts(structure).map((c) => c.distance.toFixed(6))).toEqual(
      shortestContacts(s).map((c) => c.distance.toFixed(6)),
    );
  });

  it('says where there are none', () => {
    expect(() => netAlone(halite('Mg', 4.2), 'chain', 10)).toThrow(/no chains/);
    expect(() => netAlone(brucite(), 'cluster', 10)).toThrow(/no clusters/);
  });
});
