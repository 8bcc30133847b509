import { describe, expect, it } from 'vitest';
import { clusterTree, leavesOf, type Cluster } from './cluster.ts';

const places = [0, 0.1, 5, 5.3, 20];
const apart = (i: number, j: number): number => Math.abs(places[i]! - places[j]!);

describe('things put together by distance', () => {
  it('join the nearest first, groups by their mean distance', () => {
    const tree = clusterTree(places.length, apart) as Extract<Cluster, { at: number }>;
    expect([...leavesOf(tree)].sort()).toEqual([0, 1, 2, 3, 4]);
    const [p, q] = tree.of;
    const pairs = [p, q].map((c) => [...leavesOf(c)].sort().join(''));
    expect(pairs.sort()).toEqual(['0123', '4']);
    expect(tree.at).toBeCloseTo((20 + 19.9 + 15 + 14.7) / 4, 9);
    const four = [p, q].find((c) => leavesOf(c).length === 4) as Extract<Cluster, { at: number }>;
    expect(four.at).toBeCloseTo((5 + 5.3 + 4.9 + 5.2) / 4, 9);
  });

  it('never join nearer than what they are made of', () => {
    const check = (c: Cluster): number => {
      if ('leaf' in c) return 0;
      const below = Math.max(...c.of.map(check));
      expect(c.at).toBeGreaterThanOrEqual(below - 1e-12);
      return c.at;
    };
    check(clusterTree(12, (i, j) => Math.abs(Math.sin(7 * i) - Math.sin(7 * j))));
  });

  it('of one is itself, of none is refused', () => {
    expect(clusterTree(1, apart)).toEqual({ leaf: 0 });
    expect(() => clusterTree(0, apart)).toThrow(/nothing/);
  });
});
