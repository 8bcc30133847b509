import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import * as textbook from '../../../demo/src/textbook.ts';
import { originalRef, type AtomRef } from '../crystal/atom-ref.ts';
import { withBonding } from '../crystal/bonding.ts';
import type { Structure } from '../crystal/structure.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import { seededRandom } from '../math/random.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { proposedBonding } from './bonding-proposal.ts';
import { bonds, connectedUnit } from './bonds.ts';
import { dimensionOf, distinctNets, netsOf } from './nets.ts';

const bonded = (s: Structure): Structure => withBonding(s, proposedBonding(s));

describe('a lattice of whole numbers', () => {
  it('tells its members from others, whatever its generators', () => {
    const random = seededRandom(5);
    const draw = (): Vec3 => [0, 1, 2].map(() => Math.floor(random.next() * 9) - 4) as never;
    for (let trial = 0; trial < 300; trial++) {
      const generators = Array.from({ length: 1 + (trial % 4) }, draw);
      const lattice = new IntegerLattice();
      for (const g of generators) lattice.add(g);
      const sum = (times: readonly number[]): Vec3 =>
        [0, 1, 2].map((k) => generators.reduce((t, g, i) => t + times[i]! * g[k]!, 0)) as never;
      const member = sum(generators.map(() => Math.floor(random.next() * 7) - 3));
      expect(lattice.reduce(member).every((x) => x === 0)).toBe(true);
      // Two vectors of a coset leave the same.
      const other = draw();
      const moved: Vec3 = [0, 1, 2].map((k) => other[k]! + member[k]!) as never;
      expect(lattice.reduce(moved).map((x) => x + 0)).toEqual(lattice.reduce(other).map((x) => x + 0));
    }
  });

  it('has the index of its determinant', () => {
    const lattice = new IntegerLattice();
    for (const v of [
      [2, 0, 1],
      [0, 3, 1],
      [1, 1, 4],
    ] as const)
      lattice.add(v);
    const cosets = new Set<string>();
    for (let i = 0; i < 30; i++)
      for (let j = 0; j < 30; j++) for (let k = 0; k < 30; k++) cosets.add(lattice.reduce([i, j, k]).join());
    expect(lattice.rank).toBe(3);
    expect(cosets.size).toBe(2 * (12 - 1) + 1 * (0 - 3));
  });
});

describe('nets', () => {
  it.each<[string, Structure, number]>([
    ['graphite', textbook.graphite(), 2],
    ['brucite', textbook.brucite(), 2],
    ['quartz', textbook.quartz(), 3],
    ['rutile', textbook.rutile('Ti', 4.594, 2.959, 0.3053), 3],
    ['perovskite', textbook.perovskite('Ba', 'Ti', 4), 3],
    ['copper', textbook.copper(), 3],
  ])('of %s', (_, s, dimension) => {
    expect(dimensionOf(bonded(s))).toBe(dimension);
  });

  it('are molecules where bonds end, as many as the cell holds', () => {
    const { structure: s } = testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', 3);
    const { list } = netsOf(s);
    expect(list.map((n) => n.dimension)).toEqual([0, 0, 0, 0]);
    for (const n of list) expect(n.atoms).toHaveLength(connectedUnit(s, bonds(s), n.atoms[0]!).length);
    expect(distinctNets(s)).toHaveLength(1);
  });

  it('lie in layers with two short translations each', () => {
    const s = bonded(textbook.graphite());
    const { list } = netsOf(s);
    expect(list).toHaveLength(2);
    for (const n of list) {
      expect(n.translations).toHaveLength(2);
      expect(n.translations.every((t) => t[2] === 0)).toBe(true);
    }
  });

  it('name an atom by the net it is part of, across whole cells', () => {
    const s = bonded(textbook.brucite());
    const nets = netsOf(s);
    const at = (shift: Vec3): AtomRef => ({ ...originalRef('s0'), shift });
    expect(nets.nameOf(at([3, -2, 0]))).toBe(nets.nameOf(at([0, 0, 0])));
    expect(nets.nameOf(at([0, 0, 1]))).not.toBe(nets.nameOf(at([0, 0, 0])));
    // Two frameworks through one another keep apart.
    expect(nets.netOf(at([0, 0, 1]))).toBe(nets.netOf(at([0, 0, 0])));
  });
});
