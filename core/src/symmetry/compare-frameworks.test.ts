import { describe, expect, it } from 'vitest';
import { textbook } from '../../../demo/src/textbook.ts';
import { tunnelOxide } from '../../../demo/src/structures.ts';
import type { Structure } from '../crystal/structure.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { applyOperator } from '../crystal/operator.ts';
import { allOperators } from '../crystal/space-group.ts';
import { toVec3, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { compareFrameworks } from './compare-frameworks.ts';

const rutile = (a = 4.594, c = 2.959, u = 0.305): Structure =>
  textbook('P 42/m n m', a, c, [['Ti', 0, 0, 0], ['O', u, u, 0]]); // prettier-ignore

/** The same crystal in P 1, from another origin, shaken by up to so many Å. */
function shaken(s: Structure, seed: number, by: number): Structure {
  const random = seededRandom(seed);
  const origin: Vec3 = [random.next(), random.next(), random.next()];
  const seen: Vec3[] = [];
  const sites = s.sites.flatMap((site, i) =>
    allOperators(s.spaceGroup).flatMap((o, n) => {
      const x = toVec3(applyOperator(o, site.position).map((v) => v - Math.floor(v + 1e-9)));
      if (seen.some((y) => y.every((v, k) => Math.abs(v - x[k]! - Math.round(v - x[k]!)) < 1e-4))) return [];
      seen.push(x);
      const position = toVec3(
        x.map((v, k) => v + origin[k]! + ((random.next() - 0.5) * 2 * by) / [s.cell.a, s.cell.b, s.cell.c][k]!),
      );
      return [{ ...site, id: `${i}-${n}`, label: `${site.label}${n}`, position }];
    }),
  );
  return { ...s, spaceGroup: spaceGroupFromSymbol('P 1'), sites };
}

describe('two frameworks', () => {
  it('of one kind are laid over each other, from any origin and shaken', () => {
    for (const seed of [1, 2, 3, 4]) {
      const s = seed % 2 ? rutile() : tunnelOxide();
      const match = compareFrameworks(s, shaken(s, seed, 0.1));
      expect(match.matched).toBe(match.of);
      expect(match.lattice.ratio).toBe(1);
      expect(match.rms).toBeLessThan(0.2);
      for (const x of match.sites) expect(x.elements[0]).toBe(x.elements[1]);
      for (const x of match.lattice.lengths) expect(Math.abs(x)).toBeLessThan(1e-6);
    }
  });

  it('told apart by what moved: the shift of a site is what was put in', () => {
    const match = compareFrameworks(rutile(), rutile(4.594, 2.959, 0.325));
    const oxygen = match.sites.find((x) => x.elements[0] === 'O')!;
    expect(oxygen.shift).toBeCloseTo(0.02 * Math.SQRT2 * 4.594, 3);
    expect(match.sites.find((x) => x.elements[0] === 'Ti')!.shift).toBeCloseTo(0, 3);
    expect(match.matched).toBe(6);
  });

  it('of one type with other atoms are mapped, with how the axes differ', () => {
    const tin = textbook('P 42/m n m', 4.737, 3.186, [['Sn', 0, 0, 0], ['O', 0.307, 0.307, 0]]); // prettier-ignore
    const { matched, of, sites, lattice } = compareFrameworks(rutile(), tin);
    expect([matched, of]).toEqual([6, 6]);
    expect(sites.map((x) => x.elements.join('>')).sort()).toEqual(['O>O', 'Ti>Sn']);
    const longer = [...lattice.lengths].sort((p, q) => p - q);
    expect(longer[0]).toBeCloseTo(100 * (4.737 / 4.594 - 1), 4);
    expect(longer[2]).toBeCloseTo(100 * (3.186 / 2.959 - 1), 4);
  });

  it('finds a cell that is twice the other, either way round', () => {
    const s = rutile();
    const doubled: Structure = {
      ...shaken(s, 7, 0.05),
      cell: { ...s.cell, c: 2 * s.cell.c },
      sites: [0, 1].flatMap((n) =>
        shaken(s, 7, 0.05).sites.map((x, i) => {
          const z = (x.position[2] + n) / 2 + (i === 0 ? 0.02 * (n ? 1 : -1) : 0);
          return { ...x, id: `${x.id}-${n}`, label: `${x.label}${'ab'[n]!}`, position: [x.position[0], x.position[1], z] as Vec3 }; // prettier-ignore
        }),
      ),
    };
    const up = compareFrameworks(s, doubled);
    expect(up.lattice.ratio).toBe(2);
    expect([up.matched, up.of]).toEqual([12, 12]);
    const down = compareFrameworks(doubled, s);
    expect(down.lattice.ratio).toBe(0.5);
    expect(down.matched).toBe(12);
    expect(s.sites.map((x) => x.label)).toContain(down.sites[0]!.two);
  });

  it('says when lattices have nothing to do with one another', () => {
    const other = textbook('F m -3 m', 8.9, 8.9, [['Na', 0, 0, 0], ['Cl', 0.5, 0.5, 0.5]]); // prettier-ignore
    expect(() => compareFrameworks(rutile(), other)).toThrow(/not related/);
  });
});
